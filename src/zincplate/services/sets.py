"""Sets of a shoot: proposed from what the frames tell, then the user's: kept, made by hand, changed, taken apart.

What the user has decided about a frame is never changed by a later proposal.
"""

from collections.abc import Sequence
from typing import Any

from zincplate.formats.errors import FileError
from zincplate.render.light_plate import LightPlate
from zincplate.render.sets import WORDS, propose
from zincplate.services import work
from zincplate.services.context import Context, NotFound, Progress, UserError
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.services.plates import plate_of
from zincplate.store.database import database
from zincplate.store.models import Frame, FrameSet, Shoot, now

KINDS = (*WORDS, "other")
LONGEST_NAME = 80


class OfShoot(Arguments):
    """Whose sets are to be proposed."""

    shoot_id: int


def _run(context: Context, job: Progress, arguments: OfShoot) -> dict[str, int]:
    """Job: measures frames that were not measured yet and proposes sets among those about which nothing was decided."""
    here = (Frame.shoot == arguments.shoot_id) & Frame.removed_at.is_null()
    open_frames = list(Frame.select().where(here, ~Frame.set_decided).order_by(Frame.captured_at, Frame.name))
    frames: list[Frame] = []
    plates: list[LightPlate] = []
    for done, frame in enumerate(open_frames):
        job.progress(0.8 * done / max(len(open_frames), 1), f"{frame.name}, {done + 1} of {len(open_frames)}")
        try:
            plates.append(plate_of(context, frame))
            frames.append(frame)
        except FileError:
            continue  # its small picture tells that it cannot be read
    done = 0

    def breathe() -> None:
        nonlocal done
        done += 1
        if done % 16 == 0:
            job.progress(0.8 + 0.2 * min(done / max(len(frames), 1), 1), "comparing")

    proposed = propose(plates, breathe)
    with database.atomic():
        Shoot.select().where(Shoot.id == arguments.shoot_id).for_update().get()
        wanted = [(found.kind, [frames[i].id for i in found.members]) for found in proposed]
        stand = _leave(arguments.shoot_id, {(kind, frozenset(members)) for kind, members in wanted})
        for kind, members in wanted:
            if (kind, frozenset(members)) in stand:
                continue
            # decided meanwhile, by hand: the hand counts
            if Frame.select().where(Frame.id.in_(members), Frame.set_decided).exists():
                continue
            _put(arguments.shoot_id, kind, members, decided=False)
    return {"sets": len(proposed)}


def _leave(shoot_id: int, wanted: set[tuple[str, frozenset[int]]]) -> set[tuple[str, frozenset[int]]]:
    """Takes earlier proposals away that nobody has looked at and that are made no more; returns those that stand: they stay the
    same sets, opened or folded as they are, and their frames do not count as changed."""
    earlier = list(FrameSet.select().where(FrameSet.shoot == shoot_id, FrameSet.state == "proposed"))
    members: dict[int, set[int]] = {s.id: set() for s in earlier}
    for frame, of in Frame.select(Frame.id, Frame.set_id).where(Frame.set_id.in_(list(members))).tuples():
        members[of].add(frame)
    told = {s.id: (s.kind, frozenset(members[s.id])) for s in earlier}
    stale = [i for i, which in told.items() if which not in wanted]
    if stale:
        Frame.update(set_id=None, changed_at=now()).where(Frame.set_id.in_(stale)).execute()
        FrameSet.delete().where(FrameSet.id.in_(stale)).execute()
    return wanted & set(told.values())


def _put(shoot_id: int, kind: str, members: Sequence[int], *, decided: bool) -> FrameSet:
    made = FrameSet.create(shoot=shoot_id, kind=kind, state="kept" if decided else "proposed")
    Frame.update(set_id=made.id, set_decided=decided, changed_at=now()).where(Frame.id.in_(members)).execute()
    return made


def of_shoot(shoot_id: int) -> list[dict[str, Any]]:
    """All sets of a shoot; which frames are in them stands with the frames."""
    return [
        {"id": s.id, "kind": s.kind, "name": s.name, "state": s.state, "words": WORDS.get(s.kind, "set")}
        for s in FrameSet.select().where(FrameSet.shoot == shoot_id).order_by(FrameSet.id)
    ]


def _get(set_id: int) -> FrameSet:
    found = FrameSet.get_or_none(FrameSet.id == set_id)
    if found is None:
        raise NotFound("There is no such set any more.")
    return found


def make(frame_ids: list[int], kind: str, name: str = "") -> dict[str, Any]:
    """A set made by hand of frames of one shoot; they leave the sets they were in."""
    if kind not in KINDS:
        raise UserError(f'There is no kind of set "{kind}". There are {", ".join(KINDS)}.')
    with database.atomic():
        frames = list(Frame.select().where(Frame.id.in_(frame_ids), Frame.removed_at.is_null()).for_update())
        if len(frames) != len(set(frame_ids)) or len({f.shoot_id for f in frames}) != 1:
            raise UserError("A set is made of frames of one shoot that are still there.")
        if len(frames) < 2:
            raise UserError("A set has two frames at least.")
        left = {f.set_id for f in frames if f.set_id}
        made = _put(frames[0].shoot_id, kind, frame_ids, decided=True)
        FrameSet.update(name=name.strip()[:LONGEST_NAME]).where(FrameSet.id == made.id).execute()
        _sweep(left)
    return {"set": made.id}


def _sweep(set_ids: set[int]) -> None:
    """Takes apart sets that have fewer than two frames left."""
    for set_id in set_ids:
        members = [f.id for f in Frame.select(Frame.id).where(Frame.set_id == set_id)]
        if len(members) < 2:
            Frame.update(set_id=None, changed_at=now()).where(Frame.id.in_(members)).execute()
            FrameSet.delete().where(FrameSet.id == set_id).execute()


def keep(set_ids: list[int]) -> int:
    """Accepts proposals: they stay as they are."""
    kept: int = FrameSet.update(state="kept").where(FrameSet.id.in_(set_ids)).execute()
    Frame.update(set_decided=True, changed_at=now()).where(Frame.set_id.in_(set_ids)).execute()
    return kept


def change(set_id: int, kind: str | None, name: str | None) -> dict[str, Any]:
    """Another kind or name."""
    found = _get(set_id)
    if kind is not None and kind not in KINDS:
        raise UserError(f'There is no kind of set "{kind}". There are {", ".join(KINDS)}.')
    values: dict[str, Any] = {"state": "kept"}
    if kind is not None:
        values["kind"] = kind
    if name is not None:
        values["name"] = name.strip()[:LONGEST_NAME]
    FrameSet.update(**values).where(FrameSet.id == found.id).execute()
    Frame.update(set_decided=True, changed_at=now()).where(Frame.set_id == set_id).execute()
    return {"set": set_id}


def take_out(frame_ids: list[int]) -> int:
    """Frames leave their sets, for good: a later proposal does not put them back."""
    with database.atomic():
        left = {f.set_id for f in Frame.select(Frame.set_id).where(Frame.id.in_(frame_ids), Frame.set_id.is_null(False))}
        count: int = Frame.update(set_id=None, set_decided=True, changed_at=now()).where(Frame.id.in_(frame_ids)).execute()
        _sweep(left)
    return count


def start(context: Context, shoot_id: int) -> dict[str, Any]:
    """Proposes sets as a job: the one that waits already, if there is one."""
    shoot = Shoot.get_or_none(Shoot.id == shoot_id)
    if shoot is None:
        raise NotFound("There is no such shoot.")
    waiting = work.waiting(KIND.name, shoot_id=shoot_id)
    if waiting is not None:
        return work.as_dict(waiting)
    return work.as_dict(KIND.submit(context, f"Propose sets: {shoot.name}", OfShoot(shoot_id=shoot_id)))


KIND = JobKind("sets", OfShoot, _run)
