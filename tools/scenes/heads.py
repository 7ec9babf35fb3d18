"""A human head as distance fields: the face, ears and neck that the bust and the worker share.

Metres; the face looks along -y, x goes to the sitter's left, the chin is at z = 0.305 and the crown at 0.535. Proportions
follow the anthropometric means quoted in most drawing manuals (common practice): eyes half way up, head five eyes wide.
"""

import numpy as np
import sdf
from geo import rot

EYE_Z = 0.413


def both(field, p):
    """A part and its mirror image."""
    return field(np.concatenate([np.abs(p[..., :1]), p[..., 1:]], -1))


def _skull(p, strong):
    e, u = sdf.ellipsoid, sdf.smooth_union
    skull = u(e(p, (0, 0.022, 0.452), (0.074, 0.090, 0.083)), e(p, (0, -0.008, 0.420), (0.062, 0.064, 0.080)), k=0.02)
    temple = both(lambda q: e(q, (0.054, -0.022, 0.430), (0.014, 0.030, 0.034)), p)
    jaw = u(
        e(p, (0, -0.016, 0.352), (0.043 + 0.003 * strong, 0.052, 0.048)),
        e(p, (0, -0.052, 0.318), (0.023 + 0.003 * strong, 0.021, 0.017)),
        k=0.022,
    )
    angle = both(lambda q: sdf.cone(q, (0.047 + 0.005 * strong, 0.004, 0.336), (0.026, -0.044, 0.316), 0.012, 0.012), p)
    cheek = both(
        lambda q: u(
            e(q, (0.043, -0.044, 0.388), (0.019, 0.020, 0.017)), e(q, (0.034, -0.047, 0.365), (0.020, 0.020, 0.026)), k=0.02
        ),
        p,
    )
    ramus = both(lambda q: sdf.cone(q, (0.050 + 0.004 * strong, 0.008, 0.340), (0.058, 0.006, 0.400), 0.012, 0.013), p)
    return u(u(skull, temple, jaw, k=0.03), cheek, angle, ramus, k=0.028)


def _nose(p, strong):
    e, u = sdf.ellipsoid, sdf.smooth_union
    root = sdf.chain(p, [(0, -0.064, 0.428), (0, -0.072, 0.408), (0, -0.076, 0.386)], (0.009, 0.011, 0.0155), k=0.012)
    ridge = sdf.chain(
        p, [(0, -0.0735, 0.4285), (0, -0.0860, 0.4060), (0, -0.0950, 0.3880)], (0.0052, 0.0058, 0.0070 + 0.001 * strong), k=0.010
    )
    tip = e(p, (0, -0.0965, 0.3845), (0.0092, 0.0085, 0.0080))
    wings = both(lambda q: e(q, (0.0125 + 0.001 * strong, -0.0855, 0.3815), (0.0058, 0.0090, 0.0066)), p)
    column = sdf.cone(p, (0, -0.0930, 0.3785), (0, -0.0805, 0.3745), 0.0042, 0.0048)
    return u(u(root, ridge, tip, k=0.012), wings, column, k=0.006)


def _lips(p, face, full):
    u = sdf.smooth_union
    muzzle = sdf.ellipsoid(p, (0, -0.050, 0.3500), (0.0310, 0.0300, 0.0270))
    face = u(face, muzzle, k=0.022)
    upper = both(
        lambda q: sdf.chain(
            q,
            [(0, -0.0836, 0.3524), (0.0080, -0.0832, 0.3541), (0.0252, -0.0783, 0.3483)],
            (0.0047 * full, 0.0045 * full, 0.0014),
            k=0.004,
        ),
        p,
    )
    lower = both(
        lambda q: sdf.chain(
            q,
            [(0, -0.0817, 0.3416), (0.0095, -0.0803, 0.3421), (0.0242, -0.0772, 0.3476)],
            (0.0058 * full, 0.0053 * full, 0.0014),
            k=0.004,
        ),
        p,
    )
    face = u(face, upper, k=0.0035)
    face = u(face, lower, k=0.0042)
    line = both(
        lambda q: sdf.chain(
            q, [(0, -0.0885, 0.3476), (0.0075, -0.0880, 0.3487), (0.0270, -0.0785, 0.3473)], (0.0011, 0.0010, 0.0013), k=0.001
        ),
        p,
    )
    face = sdf.smooth_cut(face, line, k=0.0026)
    groove = sdf.cone(p, (0, -0.0880, 0.3690), (0, -0.0878, 0.3595), 0.0010, 0.0014)
    return sdf.smooth_cut(face, groove, k=0.0045)


def _eyes(p, face, open_):
    e, u = sdf.ellipsoid, sdf.smooth_union
    face = sdf.smooth_cut(face, both(lambda q: e(q, (0.0310, -0.0840, 0.4125), (0.0185, 0.0165, 0.0105)), p), k=0.012)
    ball = both(lambda q: e(q, (0.0305, -0.0592, 0.4135), (0.0134, 0.0134, 0.0130)), p)
    top = both(
        lambda q: np.maximum(
            e(q, (0.0305, -0.0592, 0.4140), (0.0155, 0.0155, 0.0150)),
            0.4172 - 0.0012 * (1 - open_) - q[..., 2] + 7.0 * (q[..., 0] - 0.0305) ** 2,
        ),
        p,
    )
    low = both(
        lambda q: np.maximum(
            e(q, (0.0305, -0.0592, 0.4130), (0.0148, 0.0148, 0.0142)), q[..., 2] - 0.4076 - 5.0 * (q[..., 0] - 0.0305) ** 2
        ),
        p,
    )
    return u(face, u(ball, top, low, k=0.0010), k=0.0035)


def face(p, strong=0.0, full=1.0, open_=1.0):
    """The face without ears and hair. ``strong`` 0..1 gives a heavier brow, nose and jaw, ``full`` thickens the lips."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    out = _skull(p, strong)
    out = u(out, e(p, (0, -0.042, 0.376), (0.036, 0.036, 0.036)), k=0.03)  # upper jaw, carries nose and lip
    r = 1 + 0.35 * strong
    brow = both(
        lambda q: sdf.chain(
            q,
            [(0.004, -0.0690, 0.4325), (0.024, -0.0720, 0.4385), (0.046, -0.0550, 0.4340)],
            (0.0055 * r, 0.0050 * r, 0.0036),
            k=0.012,
        ),
        p,
    )
    out = u(out, brow, k=0.022)
    out = _eyes(p, out, open_)
    out = u(out, _nose(p, strong), k=0.010)
    nostril = both(lambda q: e(q, (0.0072, -0.0890, 0.3752), (0.0032, 0.0052, 0.0026), rot([0, 0, 1], -18)), p)
    out = sdf.smooth_cut(out, nostril, k=0.0018)
    out = _lips(p, out, full)
    chin = e(p, (0, -0.058, 0.3170), (0.019 + 0.004 * strong, 0.0190, 0.0150))
    return u(out, chin, k=0.014)


def ears(p):
    """Both ears."""

    def one(q):
        outer = sdf.ellipsoid(q, (0.0765, 0.018, 0.398), (0.0085, 0.0170, 0.0300), rot([0, 0, 1], -22) @ rot([1, 0, 0], -10))
        bowl = sdf.ellipsoid(q, (0.0850, 0.0135, 0.402), (0.0060, 0.0085, 0.0150), rot([0, 0, 1], -22))
        return sdf.smooth_union(
            sdf.smooth_cut(outer, bowl, k=0.005), sdf.ellipsoid(q, (0.0740, 0.012, 0.374), (0.0065, 0.0080, 0.0085)), k=0.008
        )

    return both(one, p)


def neck(p, radius=0.046):
    """From the shoulders up into the head, with the muscle that runs from behind the ear to the breastbone."""
    column = sdf.cone(p, (0, 0.026, 0.19), (0, 0.014, 0.36), radius * 1.10, radius)
    muscle = both(lambda q: sdf.cone(q, (0.010, -0.030, 0.212), (0.050, 0.030, 0.365), 0.010, 0.012), p)
    return sdf.smooth_union(column, muscle, k=0.022)
