"""Long parts of a recipe are sent once and named afterwards; what the program does not know any more is asked for again."""

import json
import pickle
from collections.abc import Iterator
from typing import Any

import pytest
from flask import Flask, request

from zincplate.api import pieces
from zincplate.api.pieces import Pieces
from zincplate.ops.areas import Brush
from zincplate.ops.drawn_places import Row, places_of
from zincplate.ops.repair.repairs import Repair
from zincplate.plan.passes import Places
from zincplate.recipe.document import Recipe, RecipeError

POINTS = [100 * i for i in range(80)]


@pytest.fixture
def client() -> Iterator[Any]:
    """An application that answers with what it has understood."""
    app = Flask(__name__)
    app.json = Pieces(app)
    app.add_url_rule("/", view_func=lambda: json.dumps(request.get_json()), methods=["POST"])
    with app.test_client() as found:
        yield found


def understood(client: Any, body: Any) -> Any:
    answer = client.post("/", data=json.dumps(body), content_type="application/json")
    return answer.get_json(force=True) if answer.status_code == 200 else answer.status_code


def test_a_part_that_was_sent_is_known_by_its_name(client: Any) -> None:
    assert understood(client, {"points": {"piece": "tab:1", "is": POINTS}, "size": 1}) == {"points": POINTS, "size": 1}
    assert understood(client, [{"points": {"piece": "tab:1"}}]) == [{"points": POINTS}]
    assert understood(client, {"raster": {"piece": "tab:2", "is": "abc" * 200}}) == {"raster": "abc" * 200}
    assert understood(client, {"raster": {"piece": "tab:2"}, "points": {"piece": "tab:1"}})["raster"] == "abc" * 200
    # under the same name again: the newer one
    assert understood(client, {"points": {"piece": "tab:1", "is": [1, 2]}}) == {"points": [1, 2]}
    assert understood(client, {"points": {"piece": "tab:1"}}) == {"points": [1, 2]}


def test_what_is_not_known_is_asked_for(client: Any) -> None:
    assert understood(client, {"points": {"piece": "tab:9"}}) == 428


@pytest.mark.parametrize(
    "other", [{"piece": 5}, {"piece": "a", "is": 1, "more": 2}, {"piece": "x" * 81}, {"piece": None}, {"is": 1}]
)
def test_what_only_looks_like_a_piece_is_left_alone(client: Any, other: dict[str, Any]) -> None:
    assert understood(client, {"given": other}) == {"given": other}


def test_what_is_no_row_goes_on_to_be_complained_of_and_is_not_kept(client: Any) -> None:
    for wrong in ([1, "a"], [1.5, 2], {"a": 1}, [70_000, 0], None):
        assert understood(client, {"points": {"piece": "tab:3", "is": wrong}}) == {"points": wrong}
        assert understood(client, {"points": {"piece": "tab:3"}}) == 428


def test_what_was_not_used_for_longest_goes_first(client: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pieces, "KEPT_BYTES", 36 * 200)
    for name in "abc":
        understood(client, {"points": {"piece": name, "is": POINTS}})
        if name == "b":
            understood(client, {"points": {"piece": "a"}})
    assert [understood(client, {"points": {"piece": n}}) == {"points": POINTS} for n in "abc"] == [True, False, True]
    # one that is larger than all that may be kept is kept alone: it is what is being worked on
    understood(client, {"points": {"piece": "d", "is": list(range(400))}})
    assert [understood(client, {"points": {"piece": n}}) == 428 for n in "acd"] == [True, True, False]


def test_equal_rows_are_the_same_places_and_short_ones_do_not_pass_as_checked() -> None:
    row = Row(POINTS)
    assert places_of(row) is places_of(tuple(POINTS)) and places_of(row)[1] == (0.01, 0.015)
    assert len(places_of((1, 2, 3))) == 1
    stroke = {"id": "a", "size": 0.1}
    taken = Brush.model_validate({"id": "b", "strokes": [{**stroke, "points": row}]}).strokes[0]
    assert taken.points is row and taken.model_dump(mode="json")["points"] == POINTS
    for short in (Row([1]), Row([])):
        with pytest.raises(ValueError, match="at least 2"):
            Brush.model_validate({"id": "b", "strokes": [{**stroke, "points": short}]})
    with pytest.raises(ValueError, match="at most 4000"):
        Repair.model_validate({"id": "b", "kind": "patch", "outline": Row([1] * 4002)})


def test_what_keeps_its_hash_equals_what_is_equal_and_travels_without_it() -> None:
    one, other = places_of(Row(POINTS)), Places(places_of(Row(POINTS)))
    assert one is not other and one == other and hash(one) == hash(other) and (one != other) is False
    assert one != places_of((1, 2)) and one != 5 and one == tuple(one)
    row = Row(POINTS)
    hash(row)
    again = pickle.loads(pickle.dumps(row))
    assert type(again) is Row and again == row and "_hash" not in vars(again)


def test_a_recipe_with_rows_is_the_recipe_with_lists() -> None:
    def with_points(points: Any) -> dict[str, Any]:
        strokes = [{"id": "s", "points": points, "size": 0.1}]
        area = {"terms": [{"id": "t", "kind": "brush", "strokes": strokes}]}
        return Recipe.neutral(True).to_document() | {"passes": {"passes": [{"id": "p", "area": area}]}}

    one, other = Recipe.from_document(with_points(POINTS)), Recipe.from_document(with_points(Row(POINTS)))
    assert one == other and one.to_document() == other.to_document()
    assert json.dumps(one.to_document()) == json.dumps(other.to_document())
    with pytest.raises(RecipeError):
        Recipe.from_document(with_points([1, 70_000]))
