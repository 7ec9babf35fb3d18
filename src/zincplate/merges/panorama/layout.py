"""A panorama at reduced size: frames laid on the canvas, seams between them, and their coarse bands blended."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.bands import Piece, blended
from zincplate.core.merging.covered import largest_covered
from zincplate.core.merging.rectangling import rectangled
from zincplate.core.merging.seams import chosen
from zincplate.core.sensor.highlights import Surroundings, rebuild, surroundings
from zincplate.merges.errors import MergeError
from zincplate.merges.in_turn import in_turn
from zincplate.merges.panorama.canvas import Canvas, around, canvas_of, step_of
from zincplate.merges.panorama.judge import PanoramaJudgement
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.panorama.places import bent, half_size, reduced_places
from zincplate.merges.view import Opened, View
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

SEAMS_PX = 1000
"""Of the picture in which seams are looked for."""
WHOLE_DEGREES = 359.0
LEAST_ROWS = 64
"""Pixels that have to be covered all around, for a view to close."""
EDGE_PX = 3
"""Pixels of a frame at its edge that are not used: their neighbours are not known."""
CLIPPED_DISLIKE, EDGE_DISLIKE, UNSHARP_DISLIKE = 0.05, 0.004, 0.02
"""Stops for each pixel."""
BLOWN_SHARE = 2e-4
FEWEST_FOR_DETAIL = 1e-5


@dataclass(frozen=True)
class Blown:
    """What is known about a frame's blown highlights."""

    around: Surroundings
    limits: Float32


@dataclass
class Layout:
    """What parts at full size are made with. ``step`` canvas pixels are one of the small pictures."""

    canvas: Canvas
    step: int
    pieces: list[Piece]
    """Of each member: camera values in the reference's light."""
    labels: NDArray[np.int16]
    """(h, w) the member that each place is taken from; -1 where none shows it."""
    coarse: Float32
    """(3, h, w) the pieces' blend."""
    blown: list[Blown | None]
    gains: Float64
    """(members, 3) what plate values are multiplied by to be camera values in the reference's light."""
    white: float
    """Camera value, in the reference's light, that becomes 1 in the file."""
    uncovered: float
    """Share of the canvas that no frame shows."""
    outlines: list[list[tuple[float, float]]]
    """Of what is not covered, in shares of width and height."""
    wide: "Layout | None" = None
    """Of a whole turn: the same that goes on beyond both ends, by which parts are made."""


def laid_out(
    frames: Sequence[Opened],
    views: Sequence[View],
    judged: PanoramaJudgement,
    options: PanoramaOptions,
    breathe: Callable[[str], None] = lambda _: None,
) -> Layout:
    """Lays judged frames out; raises :class:`MergeError` when nothing is left after cutting."""
    whole = canvas_of(frames, judged, options)
    whole = _whole_turn(whole, frames, judged, options) or whole
    members = judged.members
    step = step_of(whole.width, whole.height)
    boxes = _boxes(whole, frames, judged)
    if options.rectangle > 0 or (options.cut and not whole.ends):
        whole = _shaped(whole, step, frames, views, judged, options, boxes, breathe)
        boxes = _boxes(whole, frames, judged) if whole.bend is None else [(0, 0, whole.width, whole.height)] * len(members)
    step = step_of(whole.width, whole.height)
    neutral = [np.asarray(frames[i].source.as_shot_neutral, np.float64) for i in members]
    gains = np.stack([n * np.exp(-g) for n, g in zip(neutral, judged.evenness.log_gain, strict=True)])
    blown = [_blown_of(frames[i].source, views[i]) for i in members]
    pieces, trusts = [], []

    def lay(at: tuple[int, int]) -> tuple[Piece, Float32]:
        k, i = at
        return _piece(frames[i], views[i], judged, k, whole, step, boxes[k], gains[k], blown[k])

    with in_turn(lay, enumerate(members)) as results:
        for i, (piece, trust) in zip(members, results, strict=True):
            breathe(f"laying out {frames[i].name}")
            pieces.append(piece)
            trusts.append(trust)
    breathe("looking for seams")
    size = -(-whole.height // step), -(-whole.width // step)
    labels = _seams(pieces, trusts, size)
    ends = whole.ends // step
    if ends:  # what is there twice is taken from the same frames
        middle = labels[:, ends:-ends]
        labels = np.concatenate([middle[:, -ends:], middle, middle[:, :ends]], 1)
    breathe("blending")
    coarse = blended(pieces, labels)
    white = _white(frames, judged, gains, blown)
    uncovered = labels[:, ends : labels.shape[1] - ends] < 0
    share, outlines = float(uncovered.mean()), _outlines(uncovered)
    layout = Layout(whole, step, pieces, labels, coarse, blown, gains, white, share, outlines)
    return _without_ends(layout) if ends else layout


def _whole_turn(whole: Canvas, frames: Sequence[Opened], judged: PanoramaJudgement, options: PanoramaOptions) -> Canvas | None:
    """The canvas of a view that closes, going on at both ends, cut to what is covered all around if it is to be cut; None where
    it does not close."""
    if whole.across_degrees < WHOLE_DEGREES or whole.kind not in ("cylinder", "sphere") or options.rectangle > 0:
        return None
    whole = around(whole)
    step = step_of(whole.width, whole.height)
    covered = np.asarray(_covered(whole, step, frames, judged, _boxes(whole, frames, judged)).all(1), np.uint8)
    # a reduced pixel counts when all of it is covered; at a pole nothing lies beyond
    sure = np.asarray(cv2.erode(covered[:, None], np.ones((3, 1), np.uint8)))[:, 0] > 0
    changes = np.diff(np.concatenate([[0], sure.astype(int), [0]]))
    begins, ends = np.flatnonzero(changes == 1), np.flatnonzero(changes == -1)
    if not len(begins):
        return None
    best = int((ends - begins).argmax())
    top, bottom = int(begins[best]) * step, min(int(ends[best]) * step, whole.height)
    if bottom - top < LEAST_ROWS:
        return None
    return whole.cut(0, top, whole.width, bottom - top) if options.cut else whole


def _boxes(canvas: Canvas, frames: Sequence[Opened], judged: PanoramaJudgement) -> list[tuple[int, int, int, int]]:
    return [canvas.box_of(frames[i], s) for i, s in zip(judged.members, judged.sights, strict=True)]


def _without_ends(wide: Layout) -> Layout:
    """A layout of one turn, of one that goes on at both ends."""
    canvas, ends = wide.canvas, wide.canvas.ends // wide.step
    columns = slice(ends, wide.labels.shape[1] - ends)
    pieces = []
    for piece in wide.pieces:
        x0, x1 = (min(max(v, columns.start), columns.stop) for v in (piece.x, piece.x + piece.shown.shape[1]))
        mine = slice(x0 - piece.x, x1 - piece.x)
        pieces.append(Piece(piece.planes[:, :, mine], piece.shown[:, mine], x0 - ends, piece.y))
    shown = replace(canvas.cut(canvas.ends, 0, canvas.width - 2 * canvas.ends, canvas.height), ends=0)
    return replace(
        wide, canvas=shown, pieces=pieces, labels=np.ascontiguousarray(wide.labels[:, columns]),
        coarse=np.ascontiguousarray(wide.coarse[:, :, columns]), wide=wide,
    )  # fmt: skip


def grid(canvas: Canvas, step: int, box: tuple[int, int, int, int]) -> tuple[Float64, Float64]:
    """Middles of reduced pixels (x, y), each (h, w), of a box (x0, y0, x1, y1) in reduced pixels."""
    x = (np.arange(box[0], box[2]) + 0.5) * step
    y = (np.arange(box[1], box[3]) + 0.5) * step
    xx, yy = np.meshgrid(x, y)
    return xx, yy


def _reduced_box(box: tuple[int, int, int, int], step: int, canvas: Canvas) -> tuple[int, int, int, int]:
    columns, rows = -(-canvas.width // step), -(-canvas.height // step)
    x0, y0 = max(box[0] // step - 1, 0), max(box[1] // step - 1, 0)
    return x0, y0, max(min(-(-box[2] // step) + 1, columns), x0 + 1), max(min(-(-box[3] // step) + 1, rows), y0 + 1)


def file_places(canvas: Canvas, judged: PanoramaJudgement, k: int, x: Float64, y: Float64) -> tuple[Float64, Float64]:
    """Places of the canvas (any shape) in a member's file, from its middle."""
    u, v = canvas.flat_places(judged.sight(k), x, y)
    file = bent(np.stack([u.ravel(), v.ravel()], 1), judged.radials[k])
    return file[:, 0].reshape(u.shape), file[:, 1].reshape(u.shape)


def _inside(frame: Opened, x: Float64, y: Float64, edge: float = EDGE_PX) -> Mask:
    half = half_size(frame) - edge
    return np.asarray((np.abs(x) <= half[0]) & (np.abs(y) <= half[1]))


def _shaped(
    whole: Canvas, step: int, frames: Sequence[Opened], views: Sequence[View], judged: PanoramaJudgement,
    options: PanoramaOptions, boxes: Sequence[tuple[int, int, int, int]], breathe: Callable[[str], None],
) -> Canvas:  # fmt: skip
    """The canvas bent towards a rectangle, and cut to what is covered."""
    covered = _covered(whole, step, frames, judged, boxes)
    if options.rectangle > 0:
        breathe("bending the outline")
        light = _glance(whole, step, frames, views, judged, boxes)
        bend = rectangled(light, covered, whole.width, whole.height, options.rectangle / 100)
        if bend is not None:
            whole = replace(whole, bend=bend)
            covered = _covered(whole, step, frames, judged, [(0, 0, whole.width, whole.height)] * len(boxes))
    if not options.cut:
        return whole
    # a reduced pixel counts when all of it is covered
    sure = cv2.erode(covered.astype(np.uint8), np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
    x, y, w, h = largest_covered(sure)
    if w * step < 64 or h * step < 64:
        raise MergeError("Nothing is left of this view after cutting it to what is covered.")
    return whole.cut(x * step, y * step, min(w * step, whole.width - x * step), min(h * step, whole.height - y * step))


def _covered(
    canvas: Canvas, step: int, frames: Sequence[Opened], judged: PanoramaJudgement, boxes: Sequence[tuple[int, int, int, int]]
) -> Mask:
    out = np.zeros((-(-canvas.height // step), -(-canvas.width // step)), bool)
    for k, i in enumerate(judged.members):
        box = _reduced_box(boxes[k], step, canvas)
        x, y = file_places(canvas, judged, k, *grid(canvas, step, box))
        out[box[1] : box[3], box[0] : box[2]] |= _inside(frames[i], x, y)
    return out


def _glance(
    canvas: Canvas, step: int, frames: Sequence[Opened], views: Sequence[View], judged: PanoramaJudgement,
    boxes: Sequence[tuple[int, int, int, int]],
) -> Float32:  # fmt: skip
    """(h, w) logarithm of light, each place from the frame whose middle is nearest: to see lines by."""
    size = -(-canvas.height // step), -(-canvas.width // step)
    out, nearest = np.full(size, -10.0, np.float32), np.full(size, np.inf)
    for k, i in enumerate(judged.members):
        box = _reduced_box(boxes[k], step, canvas)
        x, y = file_places(canvas, judged, k, *grid(canvas, step, box))
        at = (slice(box[1], box[3]), slice(box[0], box[2]))
        reduced = reduced_places(views[i], np.stack([x.ravel(), y.ravel()], 1), frames[i])
        rx, ry = (np.clip(v, -2e4, 2e4).reshape(x.shape).astype(np.float32) for v in reduced.T)
        level = np.exp(judged.evenness.log_gain[k, 1]) / frames[i].source.as_shot_neutral[1]
        light = np.log2(np.maximum(cv2.remap(views[i].green, rx, ry, cv2.INTER_LINEAR) / np.float32(level), 1e-4))
        closer = _inside(frames[i], x, y) & (np.hypot(x, y) < nearest[at])
        out[at][closer], nearest[at][closer] = light[closer], np.hypot(x, y)[closer]
    return out


def _blown_of(source: Source, view: View) -> Blown | None:
    """Surroundings of blown highlights where a camera file has any."""
    if source.camera is None or float((~view.shown).mean()) < BLOWN_SHARE:
        return None
    planes = source.reduced(2, True).planes
    columns, rows = max(view.size[1] // 3, 2), max(view.size[0] // 3, 2)
    return Blown(surroundings(planes, source.white_limits, columns, rows), source.white_limits)


def _piece(
    frame: Opened, view: View, judged: PanoramaJudgement, k: int, canvas: Canvas, step: int, box: tuple[int, int, int, int],
    gain: Float64, blown: Blown | None,
) -> tuple[Piece, Float32]:  # fmt: skip
    """A frame on the reduced canvas, and how far it is to be believed there."""
    x0, y0, x1, y1 = _reduced_box(box, step, canvas)
    x, y = file_places(canvas, judged, k, *grid(canvas, step, (x0, y0, x1, y1)))
    inside = _inside(frame, x, y)
    planes = view.planes
    if blown is not None:
        out = np.empty_like(planes)
        h, w = view.size
        rebuild(np.ascontiguousarray(planes), blown.around, blown.limits, (float(w), float(h), 0.0, 0.0), out)
        planes = out
    stack = np.concatenate([planes, view.shown[None].astype(np.float32)])
    by = max(step // view.step, 1)
    if by > 1:
        size = max(view.size[1] // by, 1), max(view.size[0] // by, 1)
        stack = np.stack([cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in stack])
    reduced = reduced_places(view, np.stack([x.ravel(), y.ravel()], 1), frame)
    reduced = (reduced + 0.5) * np.array([stack.shape[2] / view.size[1], stack.shape[1] / view.size[0]]) - 0.5
    rx, ry = (np.clip(v, -2e4, 2e4).reshape(x.shape).astype(np.float32) for v in reduced.T)
    laid = np.stack([cv2.remap(p, rx, ry, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for p in stack])
    light = judged.radials[k].gain_at(np.hypot(*canvas.flat_places(judged.sight(k), *grid(canvas, step, (x0, y0, x1, y1)))))
    values = laid[:3] * (gain[:, None, None] * light).astype(np.float32)
    return Piece(np.ascontiguousarray(values, np.float32), inside, x0, y0), laid[3]


def _seams(pieces: Sequence[Piece], trusts: Sequence[Float32], size: tuple[int, int]) -> NDArray[np.int16]:
    by = max(math.ceil(max(size) / SEAMS_PX), 1)
    small = -(-size[0] // by), -(-size[1] // by)
    n = len(pieces)
    light = np.zeros((n, *small), np.float32)
    shown = np.zeros((n, *small), bool)
    dislike = np.zeros((n, *small), np.float32)
    detail = np.zeros((n, *small), np.float32)
    for k, (piece, trust) in enumerate(zip(pieces, trusts, strict=True)):
        level = np.log2(np.maximum(piece.planes[1], 1e-5)).astype(np.float32)
        fine = np.abs(cv2.Laplacian(level, cv2.CV_32F, ksize=1))
        edge = cv2.distanceTransform(np.pad(piece.shown.astype(np.uint8), 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
        near = np.exp(-edge / (0.15 * max(float(edge.max()), 1.0)))
        cost = CLIPPED_DISLIKE * (1 - trust) + EDGE_DISLIKE * near
        for target, plane in ((light, level), (dislike, cost), (detail, fine)):
            target[k] = _placed(plane.astype(np.float32), piece, size, by)
        shown[k] = _placed(piece.shown.astype(np.float32), piece, size, by) > 0.999
    # where two show the same, the sharper one: by detail about a place, against the best
    soft = np.stack([cv2.GaussianBlur(np.where(s, d, 0), (0, 0), 6) for s, d in zip(shown, detail, strict=True)])
    weight = np.stack([cv2.GaussianBlur(s.astype(np.float32), (0, 0), 6) for s in shown])
    soft = np.where(shown, soft / np.maximum(weight, 1e-3), 0)
    best = soft.max(0)
    dislike += np.where(best > FEWEST_FOR_DETAIL, UNSHARP_DISLIKE * np.clip(0.85 - soft / np.maximum(best, 1e-9), 0, 0.7), 0)
    labels = chosen(light, shown, dislike)
    if by > 1:
        labels = np.repeat(np.repeat(labels, by, 0), by, 1)[: size[0], : size[1]]
    return _completed(labels, pieces)


def _placed(plane: Float32, piece: Piece, size: tuple[int, int], by: int) -> Float32:
    whole = np.zeros((-(-size[0] // by) * by, -(-size[1] // by) * by), np.float32)
    h, w = plane.shape
    whole[piece.y : piece.y + h, piece.x : piece.x + w] = plane
    if by == 1:
        return whole
    return np.asarray(whole.reshape(whole.shape[0] // by, by, whole.shape[1] // by, by).mean((1, 3)), np.float32)


def _completed(labels: NDArray[np.int16], pieces: Sequence[Piece]) -> NDArray[np.int16]:
    """Labels only where their frame is, and no place without one that a frame shows (coarser pixels missed some at edges)."""
    out = labels.copy()
    wrong = np.zeros(labels.shape, bool)
    anybody = np.zeros(labels.shape, bool)
    for k, piece in enumerate(pieces):
        h, w = piece.shown.shape
        there = np.zeros(labels.shape, bool)
        there[piece.y : piece.y + h, piece.x : piece.x + w] = piece.shown
        wrong |= (out == k) & ~there
        anybody |= there
    out[wrong | ~anybody] = -1
    for k, piece in enumerate(pieces):
        h, w = piece.shown.shape
        part = out[piece.y : piece.y + h, piece.x : piece.x + w]
        part[(part < 0) & piece.shown] = k
    return out


def _white(frames: Sequence[Opened], judged: PanoramaJudgement, gains: Float64, blown: Sequence[Blown | None]) -> float:
    tops = []
    for k, i in enumerate(judged.members):
        source = frames[i].source
        # rebuilt highlights go higher than the sensor did
        room = 2.0 if blown[k] is not None else 1.0
        neutral = np.asarray(source.as_shot_neutral)
        fall_off = float(judged.radials[k].gain_at(np.array([judged.cameras[k].half_diagonal_px]))[0])
        tops.append(room * source.ceiling * float((gains[k] / neutral).max()) * min(max(fall_off, 1.0), 4.0))
    return max(tops)


def _outlines(uncovered: Mask) -> list[list[tuple[float, float]]]:
    if not uncovered.any():
        return []
    h, w = uncovered.shape
    lines, _ = cv2.findContours(uncovered.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    simple = [cv2.approxPolyDP(line, 1.0, True)[:, 0] for line in lines if cv2.contourArea(line) > 4]
    return [[(float((x + 0.5) / w), float((y + 0.5) / h)) for x, y in line] for line in simple if len(line) > 2]
