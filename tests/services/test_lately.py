"""A moving hand asks the database for nothing; whoever looks otherwise sees at once what has become of a frame."""

from pathlib import Path

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import run_jobs
from zincplate.formats.turns import Turn, Urgency
from zincplate.recipe.document import Recipe
from zincplate.render.view import ViewRequest
from zincplate.services import bring_in, lately, shoots, views
from zincplate.services.context import Context, NotFound
from zincplate.store.database import database
from zincplate.store.models import Frame

HAND, SEEN = Turn(Urgency.HAND), Turn(Urgency.SEEN)
REQUEST = ViewRequest(60, 40, quick=True)


class Clock:
    """Seconds that pass when told to."""

    seconds = 1000.0

    def __call__(self) -> float:
        return self.seconds


@pytest.fixture
def clock(context: Context) -> Clock:
    """Of what is kept of frames."""
    made = Clock()
    context.lately = lately.Lately(made)
    return made


@pytest.fixture
def frame(context: Context, tmp_path: Path) -> Frame:
    """The only one."""
    path = tmp_path / "TW-0001.dng"
    path.write_bytes(small_dng())
    bring_in.start(context, shoots.create("Kiln"), [path])
    run_jobs(context)
    return Frame.get()


@pytest.fixture
def queries(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Statements that the database is sent."""
    sent: list[str] = []
    execute = type(database).execute_sql

    def listened(self: object, sql: str, *arguments: object) -> object:
        sent.append(sql)
        return execute(self, sql, *arguments)

    monkeypatch.setattr(type(database), "execute_sql", listened)
    return sent


def shown(context: Context, frame: Frame, turn: Turn, exposure_ev: float = 0.0) -> bytes:
    recipe = Recipe.neutral(True).with_values({"tone": {"exposure_ev": exposure_ev}}).to_document()
    answer = views.render(context, frame.id, recipe, REQUEST, turn)
    return answer[4 + int.from_bytes(answer[:4], "little") :]  # the picture itself


def test_a_moving_hand_asks_the_database_for_nothing(context: Context, clock: Clock, frame: Frame, queries: list[str]) -> None:
    assert len(shown(context, frame, SEEN)) > 200
    queries.clear()
    pictures = {shown(context, frame, HAND, 0.1 * step) for step in range(4)}
    assert len(pictures) == 4 and not queries
    shown(context, frame, SEEN)
    assert queries  # a picture that stays is of the frame as it is
    queries.clear()
    clock.seconds += lately.KEPT_S
    shown(context, frame, HAND)
    assert queries


def test_a_hand_over_the_picture_asks_for_nothing_either(
    context: Context, clock: Clock, frame: Frame, queries: list[str]
) -> None:
    recipe = Recipe.neutral(True).to_document()
    first = views.pixel(context, frame.id, recipe, 100, 80, 1)
    queries.clear()
    assert views.pixel(context, frame.id, recipe, 100, 80, 1) == first
    assert views.pixel(context, frame.id, recipe, 400, 300, 1) != first and not queries
    clock.seconds += lately.KEPT_S
    assert views.pixel(context, frame.id, recipe, 100, 80, 1) == first and queries


def test_a_frame_that_is_gone_is_missed_at_once_or_after_two_seconds(context: Context, clock: Clock, frame: Frame) -> None:
    shown(context, frame, HAND)
    Frame.delete().where(Frame.id == frame.id).execute()
    assert shown(context, frame, HAND)
    with pytest.raises(NotFound):
        shown(context, frame, SEEN)
    clock.seconds += lately.KEPT_S
    with pytest.raises(NotFound):
        shown(context, frame, HAND)


def test_another_original_is_shown_once_it_was_seen(context: Context, clock: Clock, frame: Frame, tmp_path: Path) -> None:
    before = shown(context, frame, SEEN)
    other = tmp_path / "other.dng"
    other.write_bytes(small_dng(meter_ev=-1.5))
    Frame.update(path=str(other), referenced=True, content_hash="f" * 64).where(Frame.id == frame.id).execute()
    after = shown(context, frame, SEEN)
    assert after != before and shown(context, frame, HAND) == after


def test_few_are_kept(clock: Clock) -> None:
    kept = lately.Lately(clock)
    frames = [Frame(id=number) for number in range(lately.MOST + 1)]
    for one in frames:
        kept.keep(one)
    assert kept.frame(0) is None and kept.frame(1) is frames[1] and kept.frame(lately.MOST) is frames[-1]
