"""All shoots with their counts and covers, as the first page shows them."""

import threading
from typing import Any

import peewee

from zincplate.services.frame_lists import Sum, sums
from zincplate.services.pictures import thumb_key
from zincplate.services.versions import live
from zincplate.store.models import Delivered, Frame, Refusal, Shoot, Version

COVERS = 6
NOTHING: dict[str, Any] = {
    "frames": 0, "kept": 0, "adjusted": 0, "delivered": 0, "size_bytes": 0, "first_at": "", "last_at": "", "covers": [],
}  # fmt: skip


class Overviews:
    """What was counted of every shoot; one object per process, safe to use from several threads.

    A shoot is counted anew when the checksum over when its frames changed is another one: a catalogue of a hundred thousand
    frames is not gone through whenever the first page is opened.
    """

    def __init__(self) -> None:
        self._counted: dict[int, tuple[Sum, dict[str, Any]]] = {}
        self._lock = threading.Lock()

    def all(self) -> list[dict[str, Any]]:
        """Newest first."""
        shoots = list(Shoot.select().order_by(Shoot.created_at.desc(), Shoot.id.desc()))
        refused = dict(Refusal.select(Refusal.shoot, peewee.fn.COUNT(Refusal.id)).group_by(Refusal.shoot).tuples())
        with self._lock:
            now = sums(Frame.shoot_id)
            self._counted = {i: counted for i, counted in self._counted.items() if counted[0] == now.get(i)}
            for i in now.keys() - self._counted.keys():
                self._counted[i] = now[i], _counted(i)
            return [
                {
                    "id": shoot.id,
                    "name": shoot.name,
                    "created_at": shoot.created_at.isoformat(),
                    "refused": refused.get(shoot.id, 0),
                    **(self._counted[shoot.id][1] if shoot.id in self._counted else NOTHING),
                }
                for shoot in shoots
            ]


def _counted(shoot_id: int) -> dict[str, Any]:
    """Counts and covers of one shoot."""
    here = (Frame.shoot == shoot_id) & Frame.removed_at.is_null()
    frames, kept, size_bytes, first, last = (
        Frame.select(
            peewee.fn.COUNT(Frame.id),
            peewee.fn.SUM(peewee.Case(None, [(Frame.mark == "keep", 1)], 0)),
            peewee.fn.SUM(Frame.size_bytes),
            peewee.fn.MIN(Frame.captured_at),
            peewee.fn.MAX(Frame.captured_at),
        )
        .where(here)
        .tuples()
        .get()
    )
    distinct = peewee.fn.COUNT(peewee.fn.DISTINCT(Frame.id))
    adjusted = Version.select(distinct).join(Frame).where(here, Version.adjusted, live()).scalar()
    delivered = Delivered.select(distinct).join(Version).join(Frame).where(Frame.shoot == shoot_id).scalar()
    return {
        "frames": frames,
        "kept": int(kept or 0),
        "adjusted": adjusted,
        "delivered": delivered,
        "size_bytes": int(size_bytes or 0),
        "first_at": first.isoformat() if first else "",
        "last_at": last.isoformat() if last else "",
        "covers": _covers(here),
    }


def _covers(here: Any) -> list[dict[str, Any]]:
    """Kept frames first, spread over the shoot."""
    order = (peewee.Case(None, [(Frame.mark == "keep", 0)], 1), Frame.captured_at, Frame.id)
    ids = [i for (i,) in Frame.select(Frame.cover_id).where(here, Frame.mark != "drop").order_by(*order).tuples()]
    step = max(len(ids) / COVERS, 1)
    picked = [ids[int(i * step)] for i in range(min(COVERS, len(ids)))]
    fields = (Version.id, Version.recipe_hash, Version.adjusted, Version.frame, Frame.content_hash, Frame.thumb_state)
    versions = {v.id: v for v in Version.select(*fields).join(Frame).where(Version.id.in_(picked))} if picked else {}
    return [{"version": i, "thumb": thumb_key(versions[i].frame, versions[i])} for i in picked if i in versions]
