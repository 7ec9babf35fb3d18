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
    skull = u(e(p, (0, .022, .452), (.074, .090, .083)), e(p, (0, -.008, .420), (.062, .064, .080)), k=.02)
    temple = both(lambda q: e(q, (.054, -.022, .430), (.014, .030, .034)), p)
    jaw = u(e(p, (0, -.016, .352), (.043 + .003 * strong, .052, .048)), e(p, (0, -.052, .318), (.023 + .003 * strong, .021, .017)), k=.022)
    angle = both(lambda q: sdf.cone(q, (.047 + .005 * strong, .004, .336), (.026, -.044, .316), .012, .012), p)
    cheek = both(lambda q: u(e(q, (.043, -.044, .388), (.019, .020, .017)), e(q, (.034, -.047, .365), (.020, .020, .026)), k=.02), p)
    ramus = both(lambda q: sdf.cone(q, (.050 + .004 * strong, .008, .340), (.058, .006, .400), .012, .013), p)
    return u(u(skull, temple, jaw, k=.03), cheek, angle, ramus, k=.028)


def _nose(p, strong):
    e, u = sdf.ellipsoid, sdf.smooth_union
    root = sdf.chain(p, [(0, -.064, .428), (0, -.072, .408), (0, -.076, .386)], (.009, .011, .0155), k=.012)
    ridge = sdf.chain(p, [(0, -.0735, .4285), (0, -.0860, .4060), (0, -.0950, .3880)], (.0052, .0058, .0070 + .001 * strong), k=.010)
    tip = e(p, (0, -.0965, .3845), (.0092, .0085, .0080))
    wings = both(lambda q: e(q, (.0125 + .001 * strong, -.0855, .3815), (.0058, .0090, .0066)), p)
    column = sdf.cone(p, (0, -.0930, .3785), (0, -.0805, .3745), .0042, .0048)
    return u(u(root, ridge, tip, k=.012), wings, column, k=.006)


def _lips(p, face, full):
    u = sdf.smooth_union
    muzzle = sdf.ellipsoid(p, (0, -.050, .3500), (.0310, .0300, .0270))
    face = u(face, muzzle, k=.022)
    upper = both(lambda q: sdf.chain(q, [(0, -.0836, .3524), (.0080, -.0832, .3541), (.0252, -.0783, .3483)], (.0047 * full, .0045 * full, .0014), k=.004), p)
    lower = both(lambda q: sdf.chain(q, [(0, -.0817, .3416), (.0095, -.0803, .3421), (.0242, -.0772, .3476)], (.0058 * full, .0053 * full, .0014), k=.004), p)
    face = u(face, upper, k=.0035)
    face = u(face, lower, k=.0042)
    line = both(lambda q: sdf.chain(q, [(0, -.0885, .3476), (.0075, -.0880, .3487), (.0270, -.0785, .3473)], (.0011, .0010, .0013), k=.001), p)
    face = sdf.smooth_cut(face, line, k=.0026)
    groove = sdf.cone(p, (0, -.0880, .3690), (0, -.0878, .3595), .0010, .0014)
    return sdf.smooth_cut(face, groove, k=.0045)


def _eyes(p, face, open_):
    e, u = sdf.ellipsoid, sdf.smooth_union
    face = sdf.smooth_cut(face, both(lambda q: e(q, (.0310, -.0840, .4125), (.0185, .0165, .0105)), p), k=.012)
    ball = both(lambda q: e(q, (.0305, -.0592, .4135), (.0134, .0134, .0130)), p)
    top = both(lambda q: np.maximum(e(q, (.0305, -.0592, .4140), (.0155, .0155, .0150)), .4172 - .0012 * (1 - open_) - q[..., 2] + 7.0 * (q[..., 0] - .0305) ** 2), p)
    low = both(lambda q: np.maximum(e(q, (.0305, -.0592, .4130), (.0148, .0148, .0142)), q[..., 2] - .4076 - 5.0 * (q[..., 0] - .0305) ** 2), p)
    return u(face, u(ball, top, low, k=.0010), k=.0035)


def face(p, strong=0.0, full=1.0, open_=1.0):
    """The face without ears and hair. ``strong`` 0..1 gives a heavier brow, nose and jaw, ``full`` thickens the lips."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    out = _skull(p, strong)
    out = u(out, e(p, (0, -.042, .376), (.036, .036, .036)), k=.03)                     # upper jaw, carries nose and lip
    r = 1 + .35 * strong
    brow = both(lambda q: sdf.chain(q, [(.004, -.0690, .4325), (.024, -.0720, .4385), (.046, -.0550, .4340)], (.0055 * r, .0050 * r, .0036), k=.012), p)
    out = u(out, brow, k=.022)
    out = _eyes(p, out, open_)
    out = u(out, _nose(p, strong), k=.010)
    nostril = both(lambda q: e(q, (.0072, -.0890, .3752), (.0032, .0052, .0026), rot([0, 0, 1], -18)), p)
    out = sdf.smooth_cut(out, nostril, k=.0018)
    out = _lips(p, out, full)
    chin = e(p, (0, -.058, .3170), (.019 + .004 * strong, .0190, .0150))
    return u(out, chin, k=.014)


def ears(p):
    """Both ears."""
    def one(q):
        outer = sdf.ellipsoid(q, (.0765, .018, .398), (.0085, .0170, .0300), rot([0, 0, 1], -22) @ rot([1, 0, 0], -10))
        bowl = sdf.ellipsoid(q, (.0850, .0135, .402), (.0060, .0085, .0150), rot([0, 0, 1], -22))
        return sdf.smooth_union(sdf.smooth_cut(outer, bowl, k=.005), sdf.ellipsoid(q, (.0740, .012, .374), (.0065, .0080, .0085)), k=.008)
    return both(one, p)


def neck(p, radius=0.046):
    """From the shoulders up into the head, with the muscle that runs from behind the ear to the breastbone."""
    column = sdf.cone(p, (0, .026, .19), (0, .014, .36), radius * 1.10, radius)
    muscle = both(lambda q: sdf.cone(q, (.010, -.030, .212), (.050, .030, .365), .010, .012), p)
    return sdf.smooth_union(column, muscle, k=.022)
