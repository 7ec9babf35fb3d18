"""The ground of the clay pit: dug in benches, with water on its floor."""

import cv2
import numpy as np
from geo import boxes, grid_faces
from noise import mix, noise3, smooth

EYE = np.array([0.0, 0.0, 5.4])  # on the loading ramp
HALF = np.radians(71.0)  # to either side
WATER = -14.72


def n3(x, y, size, seed, z=0.0, **k):
    """Noise over the ground plan."""
    return noise3(np.stack([x, y, np.full_like(x, z)], -1), size, seed, **k)


def height(x, y):
    """Ground, metres; returns height and how steep the dug faces are (0..1)."""
    az, d = np.arctan2(x, y), np.hypot(x, y)
    near = 17 + 4 * np.sin(az * 1.7 + 0.6) + 3.0 * n3(np.cos(az), np.sin(az), 3.0, 3)
    far = 150 + 34 * np.sin(az * 1.3 - 0.4) + 22 * n3(np.cos(az), np.sin(az), 2.5, 4)
    w = n3(x, y, 240.0, 5, beta=3.6) * 9
    into, out = (d + w * smooth(d, 8, 40)) - near, far - (d + w)
    side = 40 * smooth(np.abs(az), 1.30, 0.9) - 8
    raw = -np.minimum(np.minimum(into * 0.42, out * 0.30), side + n3(x, y, 90.0, 6) * 2)
    raw = np.clip(raw, -15.5, 40)
    raw = np.where(raw > 0, np.minimum(raw * 0.06, 1.2), raw)
    raw = raw + 0.8 * n3(x, y, 60.0, 7) * smooth(raw, -0.2, -2)
    step = 3.6
    q = raw / step
    k = np.floor(q)
    fr = q - k
    gully = np.abs(n3(x, y, 34.0, 8, n=32)) * 0.13 + np.abs(n3(x, y, 9.0, 9, n=32)) * 0.035
    face = smooth(fr - gully * (fr > 0.35), 0.47, 0.83) * 0.93 + 0.07 * smooth(fr - gully, 0.30, 0.62)  # a foot of fallen stuff
    z = np.where(raw < -0.1, (k + face) * step, raw)
    steep = np.where(raw < -0.1, smooth(fr, 0.44, 0.56) * smooth(fr, 1.0, 0.84), 0)
    heap = lambda cx, cy, r, h: h * np.maximum(0, 1 - np.hypot(x - cx, y - cy) / r + 0.10 * n3(x, y, 12.0, 31)) ** 1.25
    z = z + heap(-22, 62, 9, 5.5) + heap(-31, 66, 8, 4.2) + heap(30, 92, 12, 6) + heap(4, 106, 10, 4.5) + heap(52, 70, 8, 4)
    for cx, s in ((6.0, 0.0), (7.5, 0.0)):  # wheel tracks down to the floor
        lane = np.exp(-(((x - cx - 5 * np.sin(y * 0.03) - s) / 0.32) ** 2)) * smooth(y, 18, 30) * (raw < -1)
        z = z - 0.16 * lane
    z = (
        z
        + 0.42 * n3(x, y, 70.0, 34) * smooth(raw, -10.5, -13.0)
        + 0.16 * n3(x, y, 14.0, 10)
        + 0.05 * n3(x, y, 3.2, 11)
        + 0.018 * n3(x, y, 0.8, 12) * smooth(d, 90, 30)
    )
    z = z + smooth(d, 420, 1900) * (55 + 26 * n3(np.cos(az), np.sin(az), 1.6, 33))
    return z, steep


def rows(az, count):
    """(count, n) distances at which the ground is sampled: as even on the screen as the benches allow."""
    coarse, fine = np.linspace(az[0], az[-1], 700), np.geomspace(8.0, 330.0, 5000)
    weights = np.empty((len(fine) - 1, len(coarse)), np.float32)
    for i in range(0, len(coarse), 50):
        a = coarse[i : i + 50]
        z, _ = height(fine[:, None] * np.sin(a), fine[:, None] * np.cos(a))
        up = np.arctan((z - EYE[2]) / fine[:, None])
        seen = up >= np.maximum.accumulate(up, 0) - 0.0015
        weights[:, i : i + 50] = np.abs(np.diff(up, axis=0)) * np.where(seen[1:], 1, 0.12)
    # rows of neighbouring columns must run side by side, or the ground is torn into needles
    weights = (
        cv2.GaussianBlur(weights, (0, 0), sigmaX=9, sigmaY=4, borderType=cv2.BORDER_REPLICATE)
        + 0.05 * np.diff(np.log(fine))[:, None]
    )
    out = np.empty((count, len(coarse)))
    for k in range(len(coarse)):
        share = np.concatenate([[0.0], np.cumsum(weights[:, k].astype(float))])
        out[:, k] = np.interp(np.linspace(0, share[-1], count), share, fine)
    at = np.interp(az, coarse, np.arange(len(coarse)))
    low = np.minimum(at.astype(int), len(coarse) - 2)
    return out[:, low] + (out[:, low + 1] - out[:, low]) * (at - low)


def terrain(S):
    """Polar grid about the eye, dense where the dug faces stand."""
    n_az, n_r = 4200, 1300
    az = np.linspace(-HALF - 0.06, HALF + 0.06, n_az)
    Rr = np.concatenate([rows(az, n_r - 40), np.broadcast_to(np.geomspace(340, 2400, 40)[:, None], (40, n_az))])
    A = np.broadcast_to(az, Rr.shape)
    x, y = Rr * np.sin(A), Rr * np.cos(A)
    z, steep = np.empty_like(x), np.empty_like(x)
    for i in range(0, n_r, 100):
        z[i : i + 100], steep[i : i + 100] = height(x[i : i + 100], y[i : i + 100])
    v = np.stack([x, y, z], -1)
    solid = lambda size, seed, **k: noise3(v, size, seed, **k)  # through the body of the clay, so that faces are not streaked
    rough = steep * (0.24 * solid(6.0, 50) + 0.10 * solid(1.3, 51, beta=2.8)) + (1 - steep) * 0.02 * solid(1.1, 52) * smooth(
        Rr, 150, 40
    )
    teeth = steep * 0.05 * np.sin(A * Rr * 11 + 3 * solid(7.0, 53)) * smooth(solid(9.0, 54), 0.1, 0.9)  # what the bucket left
    Rd = Rr + rough + teeth
    bed = 0.10 * np.sin(z * 9 + 2.2 * solid(30.0, 55)) * steep
    v = np.stack([Rd * np.sin(A), Rd * np.cos(A), z + bed * 0.5], -1)
    x, y = v[..., 0], v[..., 1]
    band = z + 0.5 * n3(x, y, 50.0, 13) + 0.16 * solid(4.0, 14)
    t = (np.sin(band * 2.1) * 0.5 + 0.5) * 0.6 + (np.sin(band * 5.3 + 1) * 0.5 + 0.5) * 0.4
    ochre, grey, red, pale = (
        np.float32(c) for c in ((0.34, 0.215, 0.115), (0.235, 0.215, 0.19), (0.27, 0.130, 0.075), (0.44, 0.36, 0.25))
    )
    col = mix(ochre, red, smooth(t, 0.35, 0.8)[..., None] * 0.8)
    col = mix(col, grey, (smooth(z, -9.5, -12.5) * 0.85)[..., None])
    col = mix(col, pale, (smooth(np.sin(band * 1.3 + 2), 0.80, 0.97) * 0.6)[..., None])
    seams = smooth(np.abs((band * 1.7) % 1 - 0.5), 0.07, 0.02) * steep * smooth(solid(6.0, 56), -0.3, 0.6)
    col = mix(col, col * 0.62, seams[..., None])
    grain = (
        0.09 * solid(9.0, 15)
        + 0.08 * solid(2.1, 16)
        + 0.09 * solid(0.55, 17, beta=2.0)
        + 0.05 * noise3(v, 0.17, 57, beta=1.8) * smooth(Rr, 120, 40)
    )
    col = col * np.clip(1 + grain, 0.4, 1.7)[..., None]
    streak = smooth(n3(A * 40, z * 0.4, 6.0, 18), 0.6, 1.9) * steep * 0.7
    col = mix(col, col * 0.6, streak[..., None])
    rubble = smooth(solid(0.9, 58, beta=1.8), 0.6, 1.6) * (1 - steep) * (z < -2) * smooth(solid(14.0, 59), -0.4, 0.8)
    col = mix(col, col * 0.72 + np.float32([0.03, 0.02, 0.01]), rubble[..., None])
    grass = smooth(z + 0.5 * n3(x, y, 24.0, 19) + 0.25 * n3(x, y, 3.0, 20), -0.9, 0.15) * smooth(
        n3(x, y, 11.0, 21) + 1.1, -0.2, 0.7
    )
    green = mix(
        np.float32([0.085, 0.088, 0.038]), np.float32([0.19, 0.160, 0.080]), smooth(n3(x, y, 30.0, 22), -1, 1.2)[..., None]
    )
    green = green * np.clip(1 + 0.30 * n3(x, y, 0.35, 23, beta=1.4) + 0.12 * n3(x, y, 4.0, 24), 0.3, 1.8)[..., None]
    col = mix(col, green, grass[..., None])
    field = smooth(np.hypot(x, y), 190, 215) * (z > -1)
    strip = np.floor((x * 0.8 + y * 0.35 + 14 * n3(x, y, 700.0, 26)) / 85.0)
    tone = np.float32([(0.17, 0.16, 0.06), (0.10, 0.12, 0.035), (0.24, 0.19, 0.09), (0.13, 0.14, 0.05)])[(strip.astype(int)) % 4]
    col = mix(col, tone * (1 + 0.08 * n3(x, y, 60.0, 27))[..., None], field[..., None])
    wet = np.clip(
        smooth(z, -12.6, -13.9) * (0.75 + 0.3 * n3(x, y, 7.0, 25))
        + 0.22 * smooth(steep, 0.2, 0.9) * smooth(solid(16.0, 28), 0.4, 1.5),
        0,
        0.9,
    ) * (1 - grass)
    col = col * (1 - 0.35 * wet)[..., None]
    S["ground"].add(
        v, grid_faces(n_r, n_az), np.stack([x + 0.57 * z, y + 0.83 * z], -1) * 0.55, np.clip(col, 0.01, 0.8).reshape(-1, 3), wet
    )
    w, f = boxes([[0, 120, WATER - 0.5]], [700, 300, 1.0])
    S["water"].add(w, f, w[:, :2])


def on(x, y):
    z, _ = height(np.array([float(x)]), np.array([float(y)]))
    return np.array([x, y, z[0]])
