"""A kiln worker in cap, waistcoat and apron who carries a board of tiles: soft bodies, one per piece of clothing.

Local coordinates in metres: the worker stands at the origin and faces +y, +x is to the right hand. Built for a height of about
900 picture elements: features down to 2 mm.
"""

import heads
import numpy as np
import sdf
import worker_body as body
from geo import boxes, rot
from noise import mix, noise3, smooth

SKIN, SHIRT, VEST, APRON, TROUSERS, CAP, SCARF, HAIR = (
    np.float32(c)
    for c in (
        (0.40, 0.235, 0.165),
        (0.40, 0.385, 0.345),
        (0.080, 0.066, 0.055),
        (0.33, 0.285, 0.215),
        (0.075, 0.070, 0.066),
        (0.115, 0.095, 0.072),
        (0.27, 0.055, 0.04),
        (0.060, 0.040, 0.026),
    )
)


def _skin_colour(v):
    """Of the head, in the coordinates of `heads`: weathered cheeks, stubble, brows, lips, eyes."""
    x, y, z = np.abs(v[:, 0]), v[:, 1], v[:, 2]
    fine = noise3(v, 0.012, 111, beta=2.0)
    col = SKIN * (1 + 0.07 * noise3(v, 0.06, 112) + 0.04 * fine)[:, None]
    red = (
        np.exp(-(((x - 0.045) / 0.022) ** 2) - ((z - 0.385) / 0.022) ** 2)
        + 0.9 * np.exp(-((x / 0.013) ** 2) - ((z - 0.383) / 0.014) ** 2) * (y < -0.08)
        + 0.7 * (x > 0.072)
    )
    col = mix(col, np.float32([0.40, 0.165, 0.115]), np.clip(red, 0, 1)[:, None] * 0.55)
    beard = smooth(z, 0.374, 0.350) * smooth(z, 0.285, 0.312) + smooth(x, 0.045, 0.056) * smooth(z, 0.405, 0.37) * smooth(
        y, 0.015, -0.01
    )
    beard = np.clip(beard, 0, 1) * smooth(y, 0.03, 0.0) * (0.42 + 0.25 * np.clip(fine, -1, 1))
    lips = smooth(np.hypot(x / 0.026, (z - 0.3470) / 0.0085), 1.05, 0.80) * (y < -0.076)
    col = mix(col, np.float32([0.13, 0.105, 0.09]), (np.clip(beard, 0, 1) * (1 - lips))[:, None])
    col = mix(col, np.float32([0.33, 0.150, 0.115]), lips[:, None] * 0.8)
    line = np.interp(x, [0.008, 0.026, 0.046], [0.4365, 0.4425, 0.4375])
    brow = np.exp(-(((z - line) / 0.0050) ** 2)) * smooth(x, 0.006, 0.012) * smooth(x, 0.052, 0.044) * (y < -0.045)
    col = mix(col, HAIR, np.clip(brow * (1.0 + 0.4 * fine), 0, 1)[:, None] * 0.9)
    dx, dz = x - 0.0305, z - 0.4124
    open_ = (dz < 0.0046 - 7 * dx**2) & (dz > -0.0046 + 5 * dx**2) & (np.abs(dx) < 0.0125) & (y < -0.055)
    eye = np.where(
        (np.hypot(dx - 0.0008, dz - 0.0004) < 0.0056)[:, None], np.float32([0.045, 0.035, 0.028]), np.float32([0.30, 0.27, 0.24])
    )
    lash = np.exp(-(((dz - 0.0046 + 7 * dx**2) / 0.0013) ** 2)) * (np.abs(dx) < 0.0145) * (y < -0.055)
    col = np.where(open_[:, None], eye, col)
    return mix(col, np.float32([0.05, 0.035, 0.028]), lash[:, None] * 0.8)


def worker(S, at, yaw, rng, head_turn=-16.0, head_down=7.0, cell=0.0042, cloth="cloth", skin="skin"):
    """Adds the worker to the soups ``cloth`` and ``skin``; the board goes to ``wood`` and its load to ``tile``."""
    R = rot([0, 0, 1], yaw)

    def put(soup, field, low, high, colour, step=cell, dirt=0.15, turn=None):
        v, f = sdf.mesh(field, low, high, step)
        col = (
            colour(v)
            if callable(colour)
            else np.float32(colour) * (1 + 0.09 * noise3(v, 0.35, 7) + 0.05 * noise3(v, 0.03, 8, beta=2.2))[:, None]
        )
        w = (v - body.PIVOT) @ turn.T + body.NECK if turn is not None else v
        d = dirt(v) if callable(dirt) else dirt
        S[soup].add(w @ R.T + at, f, np.stack([v[:, 0] + v[:, 1] * 0.8, v[:, 2]], 1) * 8, np.clip(col, 0.004, 0.9), d)

    dust = lambda v: np.clip(
        0.12
        + 0.30 * smooth(v[:, 2], 0.45, 0.05)
        + 0.18 * noise3(v, 0.5, 121)
        + 0.45 * np.exp(-(((v[:, 2] - 0.50) / 0.07) ** 2)) * (v[:, 1] > 0.05),
        0,
        0.8,
    )
    put(
        cloth,
        lambda p: np.maximum(body.legs(p), 0.075 + 0.012 * np.sin(30 * p[..., 0]) - p[..., 2]),
        (-0.30, -0.26, 0.05),
        (0.30, 0.30, 1.10),
        TROUSERS,
        dirt=dust,
    )
    for ankle, turn in zip(body.ANKLES, (-7, 13), strict=True):
        a = np.array(ankle)
        put(
            skin,
            lambda p, k=ankle, t=turn: body.boot(p, k, t),
            (a[0] - 0.14, a[1] - 0.12, -0.004),
            (a[0] + 0.14, a[1] + 0.27, 0.25),
            (0.040, 0.028, 0.020),
            0.003,
            lambda v: np.clip(0.35 * smooth(v[:, 2], 0.09, 0.02) + 0.12 * noise3(v, 0.2, 122) + 0.1, 0, 0.7),
        )

    def stripes(v):
        k = v[:, 0].copy()
        for s, e in zip(body.SHOULDERS, body.ELBOWS, strict=True):  # on the sleeves they run along the arm
            on_arm = (
                np.linalg.norm(
                    v
                    - s
                    - np.clip(body.along(v, s, e)[0], 0.05, 0.3)[:, None] * (np.array(e) - s) / np.linalg.norm(np.array(e) - s),
                    axis=1,
                )
                < 0.085
            )
            k = np.where(
                on_arm & (np.abs(v[:, 0]) > 0.165),
                0.066
                * np.arctan2(v[:, 1] - s[1] - 0.15 * (v[:, 2] - 1.4), v[:, 0] - s[0] + 0.17 * np.sign(s[0]) * (v[:, 2] - 1.4)),
                k,
            )
        line = smooth(np.abs((k / 0.017) % 1 - 0.5), 0.22, 0.12)
        worn = (1 + 0.06 * noise3(v, 0.3, 131) + 0.03 * noise3(v, 0.04, 132))[:, None]
        grime = smooth(noise3(v, 0.25, 133), 0.7, 1.9)[:, None] * 0.35
        return mix(
            mix(SHIRT, np.float32([0.16, 0.19, 0.24]), (line * 0.55)[:, None]) * worn, np.float32([0.25, 0.20, 0.14]), grime
        )

    put(cloth, body.shirt, (-0.36, -0.22, 0.92), (0.36, 0.22, 1.60), stripes, dirt=0.06)

    def vest_colour(v):
        lining = (np.abs(v[:, 0]) > 0.168) & (v[:, 2] > 1.28)
        button = (
            (np.abs(v[:, 0] + 0.008) < 0.0085)
            & (np.abs((v[:, 2] - 1.035 + 0.0225) % 0.045 - 0.0225) < 0.0085)
            & (v[:, 1] > 0.09)
            & (v[:, 2] < 1.23)
        )
        herring = 0.10 * np.sign(np.sin(v[:, 2] * 520)) * np.sign(np.sin(v[:, 0] * 420))
        col = VEST * (1 + herring + 0.10 * noise3(v, 0.25, 141))[:, None]
        return np.where(button[:, None], np.float32([0.20, 0.14, 0.08]), np.where(lining[:, None], VEST * 0.7, col))

    put(cloth, body.vest, (-0.28, -0.22, 0.96), (0.28, 0.22, 1.60), vest_colour, step=0.0034, dirt=0.10)

    def canvas(v):
        col = APRON * (1 + 0.07 * noise3(v, 0.4, 151) + 0.05 * noise3(v, 0.05, 152, beta=2.0))[:, None]
        slip = (
            smooth(noise3(v * np.float32([1, 1, 0.4]), 0.22, 153) + 0.6 * np.exp(-(((v[:, 2] - 0.93) / 0.10) ** 2)), 0.55, 1.5)
            * 0.75
        )
        clay = smooth(noise3(v, 0.30, 154), 0.9, 1.7) * 0.6
        col = mix(col, np.float32([0.52, 0.47, 0.40]), slip[:, None])
        col = mix(col, np.float32([0.24, 0.115, 0.065]), clay[:, None])
        seam = np.maximum.reduce(
            [
                smooth(np.abs(np.abs(v[:, 0] - 0.012) - 0.100), 0.004, 0.001) * (np.abs(v[:, 2] - 0.79) < 0.075),
                smooth(np.abs(v[:, 2] - 0.445), 0.004, 0.001),
                smooth(np.abs(v[:, 2] - 0.853), 0.004, 0.001) * (np.abs(v[:, 0] - 0.012) < 0.105),
            ]
        ) * (v[:, 1] > 0)
        return col * (1 - 0.45 * seam)[:, None]

    put(
        cloth,
        body.apron,
        (-0.30, -0.22, 0.38),
        (0.30, 0.32, 1.07),
        canvas,
        step=0.0036,
        dirt=lambda v: np.clip(0.10 + 0.25 * smooth(v[:, 2], 0.62, 0.42) + 0.1 * noise3(v, 0.3, 123), 0, 0.6),
    )
    for side, e, w in zip((1, -1), body.ELBOWS, body.WRISTS, strict=True):
        mid = (np.array(e) + np.array(w)) / 2

        def arm_colour(v, side=side):
            tan = SKIN * (1 + 0.06 * noise3(v, 0.09, 161) + 0.05 * noise3(v, 0.015, 162, beta=2))[:, None]
            hair = (
                0.25 * smooth(noise3(v * np.float32([1, 0.4, 1]), 0.012, 163, beta=1.6), 0.9, 1.8) * smooth(v[:, 1], 0.20, 0.12)
            )
            dry = smooth(noise3(v, 0.08, 164) + 1.4 * smooth(v[:, 1], 0.20, 0.30), 0.6, 1.8) * 0.55  # clay dried on the hands
            return mix(mix(tan, HAIR, hair[:, None]), np.float32([0.46, 0.36, 0.27]), dry[:, None])

        put(
            skin,
            lambda p, e=e, w=w, s=side: body.arm(p, e, w, s),
            mid - [0.14, 0.26, 0.12],
            mid + [0.14, 0.33, 0.16],
            arm_colour,
            0.0026,
            0.0,
        )

    turn = rot([0, 0, 1], head_turn) @ rot([1, 0, 0], -head_down) @ rot([0, 0, 1], 180)
    box = ((-0.13, -0.14, 0.20), (0.13, 0.16, 0.58))
    put(
        skin,
        lambda p: (
            sdf.smooth_union(sdf.smooth_union(heads.face(p, 1.0, 0.72), heads.neck(p, 0.051), k=0.02), heads.ears(p), k=0.006)
            - 0.0005 * noise3(p, 0.04, 113)
        ),
        *box,
        _skin_colour,
        0.0020,
        0.0,
        turn,
    )
    put(
        cloth,
        body.hair,
        *box,
        lambda v: HAIR * (1 + 0.35 * noise3(v * np.float32([1, 1, 0.3]), 0.02, 73, beta=2))[:, None],
        0.0026,
        0.03,
        turn,
    )
    put(
        cloth,
        body.moustache,
        (-0.05, -0.11, 0.335),
        (0.05, -0.06, 0.38),
        lambda v: HAIR * (1.25 + 0.4 * noise3(v, 0.01, 92, beta=1.8))[:, None],
        0.0016,
        0.0,
        turn,
    )

    def tweed(v):
        col = CAP * (1 + 0.12 * noise3(v, 0.012, 83, beta=1.5) + 0.08 * noise3(v, 0.08, 84))[:, None]
        panel = np.abs(np.sin(np.arctan2(v[:, 0], v[:, 1] - 0.02) * 4)) * np.hypot(v[:, 0], v[:, 1] - 0.02)
        return col * (1 - 0.35 * smooth(panel, 0.006, 0.002) * (v[:, 2] > 0.52))[:, None]

    put(
        cloth,
        body.cap,
        (-0.14, -0.17, 0.44),
        (0.14, 0.18, 0.58),
        tweed,
        0.0030,
        lambda v: np.clip(0.08 + 0.2 * noise3(v, 0.15, 85), 0, 0.4),
        turn,
    )
    put(
        cloth,
        body.scarf,
        (-0.12, -0.12, 1.37),
        (0.12, 0.16, 1.56),
        lambda v: (
            SCARF * (1 + 0.10 * noise3(v, 0.1, 102) + 0.25 * (np.sin(v[:, 0] * 260) * np.sin(v[:, 2] * 260) > 0.75))[:, None]
        ),
        0.0034,
        0.05,
    )
    _load(S, at, R, rng)


def _load(S, at, R, rng):
    """The board and what is on it."""
    v, f = boxes(
        [[0, 0.335, 1.118], [0, 0.275, 1.107], [0, 0.395, 1.107]],
        [[0.66, 0.27, 0.018], [0.62, 0.03, 0.010], [0.62, 0.03, 0.010]],
        0.003,
    )
    S["wood"].add(v @ R.T + at, f, np.stack([v[:, 1] * 1.4, v[:, 0] * 0.5], 1), (0.25, 0.18, 0.11), 0.15)
    low = []
    for x in (-0.17, -0.02, 0.14):
        shift = rng.normal(0, 0.004, 2)
        for k in range(int(rng.integers(3, 8))):
            low.append([x + shift[0] + rng.normal(0, 0.003), 0.335 + shift[1] + rng.normal(0, 0.003), 1.134 + 0.0142 * k])
    turns = np.array([rot([0, 0, 1], rng.normal(0, 2.5)) for _ in low])
    v, f = boxes(np.array(low), [0.145, 0.198, 0.0125], 0.002, turns)
    tone = np.float32([0.42, 0.22, 0.12]) * np.exp(rng.normal(0, 0.13, (len(low), 1))) * (1 + rng.normal(0, 0.03, (len(low), 3)))
    S["tile"].add(v @ R.T + at, f, col=np.repeat(np.float32(tone), 24, 0), dirt=0.08)
