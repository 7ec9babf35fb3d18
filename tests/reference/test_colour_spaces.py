"""Colour spaces, adaptation, temperature and differences against standards and colour-science 0.4.7."""

import colour
import numpy as np
import pytest

from zincplate.core.colour.adaptation import D65_XY, bradford, xy_to_xyz
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.core.colour.lab import delta_e_2000, xyz_to_lab
from zincplate.core.colour.temperature import locus_uv, temperature_and_tint, uv_to_xy, white_point_xy, xy_to_uv
from zincplate.formats.icc import build_profile, profile_of, read_profile

THEIRS = {
    "srgb": "sRGB",
    "p3": "Display P3",
    "a98": "Adobe RGB (1998)",
    "romm": "ROMM RGB",
    "rec2020": "ITU-R BT.2020",
}


@pytest.mark.parametrize("key", SPACES)
def test_matrices_against_colour_science(key: str) -> None:
    ours, theirs = SPACES[key], colour.RGB_COLOURSPACES[THEIRS[key]]
    assert np.allclose(ours.primaries, theirs.primaries, atol=2e-6)
    # standards print the matrices with four to six digits; derived from the primaries they agree to that
    derived = colour.normalised_primary_matrix(theirs.primaries, ours.white_xy)
    assert np.abs(ours.to_xyz - derived).max() < 5e-6
    assert np.allclose(ours.to_working @ ours.from_working, np.eye(3), atol=1e-12)
    assert np.allclose(ours.from_working @ np.ones(3), 1, atol=1e-12)


def test_srgb_matrix_of_the_standard() -> None:
    # IEC 61966-2-1:1999, equation 7
    printed = [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
    assert np.abs(SPACES["srgb"].to_xyz - printed).max() < 6e-5


@pytest.mark.parametrize(
    ("key", "decode"),
    [
        ("srgb", colour.models.eotf_sRGB),
        ("p3", colour.models.eotf_sRGB),
        ("a98", lambda x: x ** (563 / 256)),  # the space's own encoding document, 1998: gamma 2 51/256
        ("romm", colour.models.cctf_decoding_ROMMRGB),
        ("rec2020", lambda x: colour.models.oetf_inverse_BT2020(x, is_12_bits_system=True)),
    ],
)
def test_transfer_functions(key: str, decode) -> None:
    x = np.linspace(0, 1, 4001)
    # colour-science rounds the constants of BT.2020 as the standard prints them; the kink differs by that
    assert np.abs(SPACES[key].transfer.decode(x) - decode(x)).max() < (2e-4 if key == "rec2020" else 1e-6)
    assert np.abs(SPACES[key].transfer.encode(SPACES[key].transfer.decode(x)) - x).max() < 1e-12


def test_bradford_against_colour_science() -> None:
    white = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["A"]
    theirs = colour.adaptation.matrix_chromatic_adaptation_VonKries(xy_to_xyz(white), xy_to_xyz(D65_XY), "Bradford")
    assert np.abs(bradford(white, D65_XY) - theirs).max() < 1e-7


def test_ciede2000_of_the_paper() -> None:
    # Sharma, Wu, Dalal: The CIEDE2000 Color-Difference Formula, Color Research & Application 30 (2005), table 1
    rows = [
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
        ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
        ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0000),
        ((50, 0, 0), (50, -1, 2), 2.3669),
        ((50, 2.49, -0.001), (50, -2.49, 0.0009), 7.1792),
        ((50, 2.49, -0.001), (50, -2.49, 0.0011), 7.2195),
        ((50, -0.001, 2.49), (50, 0.0009, -2.49), 4.8045),
        ((50, 2.5, 0), (73, 25, -18), 27.1492),
        ((50, 2.5, 0), (50, 3.1736, 0.5854), 1.0000),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
        ((90.8027, -2.0831, 1.441), (91.1528, -1.6435, 0.0447), 1.4441),
        ((6.7747, -0.2908, -2.4247), (5.8714, -0.0985, -2.2286), 0.6377),
        ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
    ]
    got = [float(delta_e_2000(a, b)) for a, b, _ in rows]
    assert np.abs(np.array(got) - [r[2] for r in rows]).max() < 1e-4


def test_lab_against_colour_science() -> None:
    xyz = np.random.default_rng(1).random((50, 3))
    assert np.abs(xyz_to_lab(xyz) - colour.XYZ_to_Lab(xyz, D65_XY)).max() < 1e-9


@pytest.mark.parametrize(
    ("name", "kelvin"), [("A", 2856), ("D50", 5003), ("D55", 5503), ("D65", 6504), ("D75", 7504)]
)  # CIE 15:2018, tables 1 and 5
def test_temperature_of_cie_illuminants(name: str, kelvin: float) -> None:
    xy = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"][name]
    found, tint = temperature_and_tint(xy)
    assert abs(found - kelvin) < 0.004 * kelvin
    assert abs(tint) < 1.0


@pytest.mark.parametrize("name", ["FL1", "FL5", "FL6"])
def test_a_greenish_light_has_a_tint_above_zero(name: str) -> None:
    """CIE 15:2018, table 10: daylight and light white fluorescent tubes stand above the locus, and pictures taken by them
    as if they were daylight are green. (Common practice: more tint takes green out.)"""
    xy = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"][name]
    _, tint = temperature_and_tint(xy)
    assert tint > 5
    assert xy_to_uv(xy)[1] > locus_uv(temperature_and_tint(xy)[0])[1]


def test_planckian_part_against_colour_science() -> None:
    for kelvin in (1700, 2000, 2856, 3500, 4000):
        theirs = colour.temperature.CCT_to_uv_Planck1900(kelvin)  # Planck's law integrated over the observer
        assert np.abs(locus_uv(kelvin) - theirs).max() < 1.2e-4


def test_daylight_part_against_colour_science() -> None:
    for kelvin in (5000, 6504, 9000, 15000, 24000):
        theirs = colour.CCT_to_xy(kelvin, method="CIE Illuminant D Series")
        assert np.abs(uv_to_xy(locus_uv(kelvin)) - theirs).max() < 1e-6


@pytest.mark.parametrize("kelvin", [1800, 2856, 4400, 6504, 12000, 22000])
@pytest.mark.parametrize("tint", [-80, 0, 35])
def test_temperature_and_tint_go_both_ways(kelvin: float, tint: float) -> None:
    found = temperature_and_tint(white_point_xy(kelvin, tint))
    assert found == pytest.approx((kelvin, tint), rel=1e-3, abs=0.05)


@pytest.mark.parametrize("key", SPACES)
def test_icc_profiles_read_back_and_agree_with_littlecms(key: str) -> None:
    from io import BytesIO

    from PIL import Image, ImageCms

    data = profile_of(key)
    found = read_profile(data)
    assert found is not None and found.space_key == key
    profile = ImageCms.ImageCmsProfile(BytesIO(data))
    assert ImageCms.getProfileDescription(profile).strip() == SPACES[key].name
    # a second reader (littlecms) must find the same colours: 8 bit to L*a*b*
    codes = np.random.default_rng(2).integers(20, 236, (1, 64, 3)).astype(np.uint8)
    lab = ImageCms.createProfile("LAB")
    transform = ImageCms.buildTransform(profile, lab, "RGB", "LAB", renderingIntent=1, flags=0x100)
    theirs = np.asarray(ImageCms.applyTransform(Image.fromarray(codes), transform)).astype(np.int16)
    linear = SPACES[key].transfer.decode(codes[0] / 255)
    d50 = (0.9642 / 2.7891, 1 / 2.7891)
    ours = xyz_to_lab(linear @ (bradford(SPACES[key].white_xy, d50) @ SPACES[key].to_xyz).T, d50)
    signed = np.where(theirs[0, :, 1:] > 127, theirs[0, :, 1:] - 256, theirs[0, :, 1:])
    inside = np.abs(ours[:, 1:]).max(1) < 120  # 8 bit a* and b* end at 127
    assert np.abs(theirs[0, inside, 0] / 2.55 - ours[inside, 0]).max() < 0.6
    assert np.abs(signed[inside] - ours[inside, 1:]).max() < 1.1


def test_other_peoples_profiles() -> None:
    from PIL import ImageCms

    theirs = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    found = read_profile(theirs)
    assert found is not None and found.space_key == "srgb"
    assert read_profile(ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()) is None
    assert read_profile(b"") is None and read_profile(build_profile(SPACES["romm"])[:200]) is None
