"""The sky, without a learned model: what is smooth and light at the top of a picture, then a graph cut on colour and place.

Seeds are regions that reach the upper edge, change slowly and are lighter than what lies below them. Two mixtures of
Gaussians over colour and height are fitted and the border is cut where it costs least (GrabCut: Rother, Kolmogorov, Blake,
SIGGRAPH 2004, as OpenCV has it). Near the border there is much drawing on both sides, which tells nothing: there each place
goes to whose colour about it is nearer. Pieces that leaves and masts cut off are taken back where they have the sky's colour.
Skies with clouds, at dusk and at night are found; what only looks like one, a wall or a ceiling, differs too little from what
lies below, or has too much drawing, and is refused.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

LONG_EDGE = 384
SMOOTH = 0.012
"""Change of Oklab lightness from sample to sample up to which a region counts as smooth."""
LEAST_SEED, LEAST_SKY, MOST_SKY = 0.008, 0.01, 0.85
"""Shares of the picture."""
APART = 1.3
"""Separation (distance of means in standard deviations, in the direction that parts them best) of sky and unlit land at least."""
BRIGHTEST = 0.98
"""Share of a sky that what of the land is lighter than it, lamps and windows, is not compared with."""
DIM, DIM_TO, MOST_LIFTED = 0.3, 0.4, 2.0
"""Oklab lightness of the upper third (its lighter part) below which it is night, what that is lifted to, and by how much at
most."""
STARLESS_PX = 5
"""Median of squares of so many samples."""
BAND_PX, ABOUT_PX = 4, 6
"""At 384 samples: about the border, where colour alone decides, and how far colours are averaged for that."""
CUT_OFF_PX, CUT_OFF_AT_SIDE_PX, LEAST_CUT_OFF = 9, 45, 20
"""How far a piece may lie from the sky, and one that reaches the picture's side; samples it has at least."""
LIKENESS, SPREAD_PX = 2.2, 14
SPREAD_LEAST = (0.035, 0.02, 0.02)
"""Standard deviations about the sky's colour that a piece may have, how far they are taken from, and how small at least."""
ROUNDS = 4
LIGHT_SHARE = 0.72
"""Of the lightness of the lightest part of a seed, what others of it have at least."""
GREENEST = -0.015
"""Oklab a: nothing greener on the whole is a sky unless it is bluer than green."""
DARKEST = 0.75
"""Of the lightness just below it, what a sky has at least: snow may be lighter than its sky, a wall round a window is darker."""
FOOT, MOST_AT_FOOT = 0.12, 0.16
"""Share of the height at the lower edge in which there is no sky, and of the width how much of it may end there."""


def _drawing(lightness: Float32) -> Float32:
    """How much lightness changes about each place: mean gradient of three scales."""
    out = np.zeros_like(lightness)
    for sigma in (0.7, 1.5):
        soft = cv2.GaussianBlur(lightness, (0, 0), sigma)
        gx, gy = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125)
        out += cv2.blur(np.hypot(gx, gy), (5, 5)) / 2
    return out


def _seed(lab: Float32, drawing: Float32) -> NDArray[np.bool_]:
    """Smooth regions that reach the upper edge."""
    height, width = drawing.shape
    smooth = (drawing < SMOOTH).astype(np.uint8)
    _, labels = cv2.connectedComponents(smooth, connectivity=4)
    top = max(height // 40, 2)
    touching = [n for n in np.unique(labels[:top]) if n]
    seed = np.zeros((height, width), bool)
    for n in touching:
        region = labels == n
        # a sliver along the edge is no sky
        if region.sum() > 0.002 * region.size:
            seed |= region
    if not seed.any():
        return seed
    # of these the light ones: dark regions at the top are roofs, leaves and walls, unless all is dark
    light = lab[0][seed]
    bright = float(np.quantile(light, 0.8))
    return seed & (lab[0] > LIGHT_SHARE * bright)


def _separation(features: Float32, sky: NDArray[np.bool_], land: NDArray[np.bool_]) -> float:
    """Fisher's discriminant of sky and land."""
    a, b = features[:, sky].T.astype(np.float64), features[:, land].T.astype(np.float64)
    if len(a) < 50 or len(b) < 50:
        return np.inf
    spread = np.cov(a.T) + np.cov(b.T) + 1e-6 * np.eye(a.shape[1])
    difference = a.mean(0) - b.mean(0)
    return float(np.sqrt(difference @ np.linalg.solve(spread, difference)))


def find_sky(lab: Float32) -> tuple[Float32, float] | None:
    """The sky of a picture in Oklab (3, h, w) as (h, w) 0..1 at 384 samples along the long edge, and how sure that is (0..1);
    None when there is none."""
    scale = LONG_EDGE / max(lab.shape[1:])
    size = (max(round(lab.shape[2] * scale), 8), max(round(lab.shape[1] * scale), 8))
    small = np.stack([cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in lab])
    height, width = small.shape[1:]
    dimmest = float(np.quantile(small[0][: height // 3], 0.7))
    if dimmest < DIM:
        # stars are no drawing
        lifted = small * np.float32(min(DIM_TO / max(dimmest, 1e-3), MOST_LIFTED))
        small = np.stack([cv2.medianBlur(p, STARLESS_PX) for p in lifted])
    drawing = _drawing(small[0])
    seed = _seed(small, drawing)
    if seed.mean() < LEAST_SEED:
        return None
    # GrabCut takes three channels of 8 bits: lightness, the stronger of the two colour axes apart, and drawing
    codes = np.stack([small[0], 0.5 + 2.5 * small[2], 12 * drawing], -1)
    picture = np.clip(np.rint(255 * codes), 0, 255).astype(np.uint8)
    mask = np.full((height, width), cv2.GC_PR_BGD, np.uint8)
    lowest = int(np.nonzero(seed.any(1))[0].max())
    core = cv2.erode(seed.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    mask[seed] = cv2.GC_PR_FGD
    mask[core & (drawing < SMOOTH / 2)] = cv2.GC_FGD
    foot = height - max(round(FOOT * height), 2)
    mask[min(lowest + round(0.3 * height), foot) :] = cv2.GC_BGD
    if not (mask == cv2.GC_FGD).any():
        return None
    cv2.setRNGSeed(1)
    cv2.grabCut(picture, mask, None, np.zeros((1, 65)), np.zeros((1, 65)), ROUNDS, cv2.GC_INIT_WITH_MASK)
    sky = (mask == cv2.GC_FGD) | (mask == cv2.GC_PR_FGD)
    sky = _by_colour(small, _reaching_up(sky))
    at_foot = float(sky[foot - 3 : foot].mean())
    for _ in range(2):  # one behind another
        sky = _with_cut_off(small, drawing, sky)
    if not LEAST_SKY < sky.mean() < MOST_SKY or at_foot > MOST_AT_FOOT or not _like_sky(small, sky):
        return None
    unlit = small[0] <= np.quantile(small[0][sky], BRIGHTEST)
    apart = _separation(np.stack([small[0], 2 * small[1], 2 * small[2], 6 * drawing]), sky, ~sky & unlit)
    sure = float(np.clip((apart - 0.8) / 2.2, 0, 0.99))
    if apart < APART:
        return None
    return cv2.GaussianBlur(sky.astype(np.float32), (0, 0), 0.6), sure


def _like_sky(lab: Float32, sky: NDArray[np.bool_]) -> bool:
    """Whether light and colour of a region can be a sky's."""
    a, b = float(lab[1][sky].mean()), float(lab[2][sky].mean())
    if a < GREENEST and abs(a) > 0.6 * abs(b):
        return False
    height = sky.shape[0]
    lowest = height - 1 - np.argmax(sky[::-1], axis=0)
    rows = np.arange(height)[:, None]
    below = sky.any(0) & (rows > lowest + 1) & (rows <= lowest + 1 + height // 8)
    return not below.any() or float(lab[0][sky].mean()) >= DARKEST * float(lab[0][below].mean())


def _reaching_up(sky: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Only what hangs together with the upper edge, and what it shines through: holes of leaves and lattices close to it."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(sky.astype(np.uint8), connectivity=8)
    top = set(np.unique(labels[: max(len(sky) // 40, 2)])) - {0}
    out = np.isin(labels, list(top))
    near = cv2.dilate(out.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    for n in range(1, len(stats)):
        if n not in top and stats[n, cv2.CC_STAT_AREA] >= 2 and near[labels == n].any():
            out |= labels == n
    return out


def _mean_about(planes: Float32, where: NDArray[np.bool_], sigma_px: float) -> tuple[Float32, Float32]:
    """Means (3, h, w) of planes about every place over those that are meant, and the weight that each stands on."""
    weight = cv2.GaussianBlur(where.astype(np.float32), (0, 0), sigma_px)
    sums = np.stack([cv2.GaussianBlur(p * where, (0, 0), sigma_px) for p in planes])
    return sums / np.maximum(weight, 1e-6), weight


def _round(size_px: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * size_px + 1,) * 2), np.uint8)


def _colours(lab: Float32) -> Float32:
    """Lightness and, twice as strong, what colour there is."""
    return np.stack([lab[0], 2 * lab[1], 2 * lab[2]])


def _by_colour(lab: Float32, sky: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The sky with its border where colours change."""
    colours, there = _colours(lab), sky.astype(np.uint8)
    band = (cv2.dilate(there, _round(BAND_PX)) > 0) & (cv2.erode(there, _round(BAND_PX)) == 0)
    above, sky_weight = _mean_about(colours, sky & ~band, ABOUT_PX)
    below, land_weight = _mean_about(colours, ~sky & ~band, ABOUT_PX)
    nearer = np.square(colours - above).sum(0) < np.square(colours - below).sum(0)
    return np.where(band & (sky_weight > 1e-3) & (land_weight > 1e-3), nearer, sky)


def _where_it_goes_on(colours: Float32, sky: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where colours (3, h, w) are those that a sky that changes evenly across the picture has there: towards the horizon it is
    lighter and warmer than anywhere that is seen of it."""
    y, x = np.indices(sky.shape)
    ways = np.stack([np.ones(sky.size), x.ravel(), y.ravel()], 1)
    seen = colours[:, sky].T.astype(np.float64)
    even, *_ = np.linalg.lstsq(ways[sky.ravel()], seen, rcond=None)
    gone_on = (ways @ even).T.reshape(colours.shape)
    spread = np.var(seen - gone_on[:, sky].T, axis=0) + np.square(SPREAD_LEAST)
    return np.asarray((np.square(colours - gone_on) / spread[:, None, None]).sum(0) < LIKENESS**2)


def _with_cut_off(lab: Float32, drawing: Float32, sky: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The sky with what hangs together with it behind leaves, wires and masts."""
    colours = _colours(lab)
    mean, weight = _mean_about(colours, sky, SPREAD_PX)
    spread = np.maximum(_mean_about(np.square(colours), sky, SPREAD_PX)[0] - np.square(mean), 0)
    spread += np.square(np.array(SPREAD_LEAST, np.float32))[:, None, None]
    smooth = (weight > 1e-5) & (drawing < 1.4 * SMOOTH) & ~sky
    near_by = (np.square(colours - mean) / spread).sum(0) < LIKENESS**2
    farther = near_by | _where_it_goes_on(colours, sky)
    away_px = cv2.distanceTransform((~sky).astype(np.uint8), cv2.DIST_L2, 3)
    out = sky.copy()
    for like, only_at_side in ((near_by, False), (farther, True)):
        pieces = cv2.morphologyEx((like & smooth).astype(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
        _, labels, stats, _ = cv2.connectedComponentsWithStats(pieces, connectivity=4)
        for n, (x, _, w, _, size) in enumerate(stats):
            at_side = x == 0 or x + w == sky.shape[1]
            if n == 0 or size < LEAST_CUT_OFF or (only_at_side and not at_side):
                continue
            piece = labels == n
            if away_px[piece].min() <= (CUT_OFF_AT_SIDE_PX if at_side else CUT_OFF_PX):
                out |= piece
    added = cv2.dilate((out & ~sky).astype(np.uint8), _round(BAND_PX)) > 0
    return np.where(added, _by_colour(lab, out), out)
