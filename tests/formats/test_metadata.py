"""What was known stays known: facts read from files of other writers, and from our deliveries by three other readers."""

import io
from dataclasses import fields, replace
from pathlib import Path
from typing import Any

import exifread
import numpy as np
import pyexiv2
import pytest
from PIL import Image

from tests.conftest import gradient
from tests.reference.files import writer as w
from zincplate.formats.capture import CaptureData
from zincplate.formats.decode import facts
from zincplate.formats.description import facts_of_iptc, facts_of_xmp
from zincplate.formats.encode import FORMATS, encode
from zincplate.formats.facts_in_words import in_words

EVERYTHING = CaptureData(
    camera_make="Pennick", camera_model="Pennick Field 6", lens="Pennick 24-70 mm f/4", exposure_time_s=1 / 250, f_number=5.6,
    iso=102_400, focal_length_mm=35.0, focal_length_35mm=52.0, captured_at="2026-05-12T07:08:09.250", utc_offset="+02:00",
    modified_at="2026-05-13T10:11:12", bias_ev=-0.67, program=3, metering=5, flash=0, subject_distance_m=2.5,
    camera_serial="PF6-0042", camera_owner="Mára Jørgensen", lens_make="Pennick", lens_serial="L-77",
    lens_limits=(24.0, 70.0, 4.0, 4.0),
    artist="Mára Jørgensen", copyright="© 2026 Harrow Lane Tileworks", title="Öfen am Abend",
    caption="Kiln two, sixth firing: glaze „Moss“",
    keywords=("kiln", "Öfen", "glaze, moss"), user_comment="third shelf - left",
    rating=4, label="proof", latitude=-33.856784, longitude=151.215297, altitude_m=-3.5, direction_degrees=271.25,
    place="Harrow Lane 4", city="Göteborg", region="Västra Götaland",
    country="Sverige",
)  # fmt: skip
OF_THE_PICTURE = {
    "file_type",
    "width",
    "height",
    "bits",
    "channels",
    "raw",
    "orientation",
    "colour_space",
    "own_lens",
    "notes",
    "sphere",
}


def delivered(folder: Path, file_format: str, capture: CaptureData = EVERYTHING, changed_at: str = "") -> Path:
    """A delivery of a small picture."""
    bits = 8 if file_format == "jpeg" else 16
    path = folder / f"a{FORMATS[file_format].endings[0]}"
    path.write_bytes(encode(gradient(bits), file_format, "p3", capture, changed_at=changed_at))  # type: ignore[arg-type]
    return path


@pytest.mark.parametrize("file_format", FORMATS)
def test_everything_comes_back_from_a_delivery(file_format: str, tmp_path: Path) -> None:
    found, _ = facts(delivered(tmp_path, file_format))
    for field in fields(CaptureData):
        if field.name in OF_THE_PICTURE:
            continue
        wanted, got = getattr(EVERYTHING, field.name), getattr(found, field.name)
        if isinstance(wanted, float):
            assert got == pytest.approx(wanted, abs=1e-6, rel=1e-4), field.name
        else:
            assert got == wanted, field.name


@pytest.mark.parametrize("file_format", FORMATS)
def test_three_other_readers_agree(file_format: str, tmp_path: Path) -> None:
    path = delivered(tmp_path, file_format, changed_at="2026-11-20T09:30:00")
    height, width = gradient(8).shape[:2]
    with Image.open(path) as image:
        first = image.getexif()
        inner, gps = first.get_ifd(0x8769), first.get_ifd(0x8825)
        assert first[0x8298].encode("latin-1", "surrogateescape") if isinstance(first[0x8298], str) else first[0x8298]
        assert (first[306], inner[36867], inner[36881]) == ("2026:11:20 09:30:00", "2026:05:12 07:08:09", "+02:00")
        assert float(inner[33437]) == 5.6 and inner[34855] == 65535 and inner[34866] == 102_400
        assert (inner[40962], inner[40963], inner[40961]) == (width, height, 65535)
        assert gps[1] == "S" and gps[3] == "E" and float(gps[2][0]) == 33 and bytes(gps[5])[:1] in (b"\x01",)
    with open(path, "rb") as file:
        tags = exifread.process_file(file, details=False)
    assert str(tags["Image Model"]) == "Pennick Field 6" and str(tags["EXIF LensModel"]) == "Pennick 24-70 mm f/4"
    assert str(tags["EXIF ExposureTime"]) == "1/250" and str(tags["EXIF BodySerialNumber"]) == "PF6-0042"
    assert exifread.utils.get_gps_coords(tags) == pytest.approx((-33.856784, 151.215297), abs=1e-6)
    image = pyexiv2.Image(str(path))
    try:
        exif, xmp, iptc = image.read_exif(), image.read_xmp(), image.read_iptc()
    finally:
        image.close()
    assert exif["Exif.Image.Artist"] == "Mára Jørgensen" and exif["Exif.Image.Copyright"] == EVERYTHING.copyright
    assert (
        exif["Exif.Photo.ExposureBiasValue"] == "-67/100"
        and exif["Exif.Photo.LensSpecification"] == "2400/100 7000/100 400/100 400/100"
    )
    assert xmp["Xmp.dc.title"] == {'lang="x-default"': "Öfen am Abend"} and xmp["Xmp.dc.subject"] == list(EVERYTHING.keywords)
    assert xmp["Xmp.xmp.Rating"] == "4" and xmp["Xmp.photoshop.City"] == "Göteborg"
    if file_format != "png":
        assert iptc["Iptc.Application2.Keywords"] == list(EVERYTHING.keywords)
        assert iptc["Iptc.Application2.Caption"] == EVERYTHING.caption and iptc["Iptc.Application2.CountryName"] == "Sverige"


@pytest.mark.parametrize("file_format", FORMATS)
def test_without_location_nothing_tells_the_place(file_format: str, tmp_path: Path) -> None:
    path = delivered(tmp_path, file_format, EVERYTHING.without_location())
    found, _ = facts(path)
    assert found.latitude is None and not (found.city or found.country or found.place or found.region)
    data = path.read_bytes()
    assert b"teborg" not in data and b"Harrow Lane 4" not in data and b"Sverige" not in data
    with Image.open(path) as image:
        assert not image.getexif().get_ifd(0x8825)


def test_space_and_size_are_those_of_the_delivery(tmp_path: Path) -> None:
    path = tmp_path / "a.jpg"
    path.write_bytes(encode(gradient(8), "jpeg", "srgb", EVERYTHING))
    with Image.open(path) as image:
        assert image.getexif().get_ifd(0x8769)[40961] == 1


# ---- other writers --------------------------------------------------------------------------------------------------------


def with_exif(
    folder: Path, main: dict[int, Any], exif: dict[int, Any], gps: dict[int, Any] | None = None, order: str = "<"
) -> CaptureData:
    """Facts of a JPEG that holds these tags."""
    directory = w.Directory(main, exif=w.Directory(exif), gps=w.Directory(gps) if gps else None)
    out = io.BytesIO()
    Image.fromarray(np.zeros((8, 8, 3), np.uint8)).save(out, "JPEG", exif=b"Exif\0\0" + w.structure(directory, order=order))
    path = folder / "a.jpg"
    path.write_bytes(out.getvalue())
    return facts(path)[0]


def test_apex_values(tmp_path: Path) -> None:
    found = with_exif(tmp_path, {}, {37377: (w.SRATIONAL, [8.0]), 37378: (w.RATIONAL, [5.0])})
    assert found.exposure_time_s == pytest.approx(1 / 256) and found.f_number == pytest.approx(2**2.5)


@pytest.mark.parametrize(
    ("tags", "iso"),
    [
        ({34855: (w.SHORT, 400)}, 400), ({34855: (w.SHORT, 65535), 34866: (w.LONG, 204_800)}, 204_800),
        ({34867: (w.LONG, 3200)}, 3200), ({34855: (w.SHORT, 65535)}, 65535), ({41493: (w.RATIONAL, [160.0])}, 160),
    ],
)  # fmt: skip
def test_sensitivity(tags: dict[int, Any], iso: int, tmp_path: Path) -> None:
    assert with_exif(tmp_path, {}, tags).iso == iso


@pytest.mark.parametrize(("stored", "rating"), [(3, 3), (0, 0), (65535, None), (99, None)])
def test_ratings_that_are_none_are_passed_over(stored: int, rating: int | None, tmp_path: Path) -> None:
    assert with_exif(tmp_path, {18246: (w.SHORT, stored)}, {}).rating == rating


def test_the_longest_texts_fit_into_a_delivery(tmp_path: Path) -> None:
    long = "\N{CLAPPER BOARD}" * 5000
    capture = replace(EVERYTHING, caption=long, artist=long, copyright=long, user_comment=long)
    found, _ = facts(delivered(tmp_path, "jpeg", capture))
    assert (
        found.camera_model == EVERYTHING.camera_model and found.copyright == long[:1000] and found.keywords == EVERYTHING.keywords
    )


def test_times(tmp_path: Path) -> None:
    changed = {306: (w.ASCII, "2026:06:01 12:00:00")}
    original = with_exif(tmp_path, changed, {36867: (w.ASCII, "2026:05:12 07:08:09"), 36868: (w.ASCII, "2026:05:20 01:01:01")})
    assert (original.captured_at, original.modified_at) == ("2026-05-12T07:08:09", "2026-06-01T12:00:00")
    assert with_exif(tmp_path, changed, {36868: (w.ASCII, "2026:05:20 01:01:01")}).captured_at == "2026-05-20T01:01:01"
    assert with_exif(tmp_path, changed, {}).captured_at == "2026-06-01T12:00:00"
    assert with_exif(tmp_path, {}, {36867: (w.ASCII, "    :  :     :  :  ")}).captured_at == ""


def test_text_of_one_byte_a_letter(tmp_path: Path) -> None:
    found = with_exif(tmp_path, {315: (w.ASCII, "Jørgensen\0".encode("latin-1"))}, {})
    assert found.artist == "Jørgensen"
    office = {40091: (w.BYTE, "Öfen\0".encode("utf-16-le")), 40094: (w.BYTE, "kiln;moss\0".encode("utf-16-le"))}
    found = with_exif(tmp_path, office, {})
    assert (found.title, found.keywords) == ("Öfen", ("kiln", "moss"))


@pytest.mark.parametrize("order", ["<", ">"])
def test_comments(order: str, tmp_path: Path) -> None:
    code = "utf-16-le" if order == "<" else "utf-16-be"
    found = with_exif(tmp_path, {}, {37510: (w.UNDEFINED, b"UNICODE\0" + "links - drei".encode(code))}, order=order)
    assert found.user_comment == "links - drei"
    assert with_exif(tmp_path, {}, {37510: (w.UNDEFINED, b"ASCII\0\0\0left")}, order=order).user_comment == "left"


def test_places(tmp_path: Path) -> None:
    gps = {1: (w.ASCII, "N"), 2: (w.RATIONAL, [57.0, 42.5, 0.0]), 3: (w.ASCII, "W"), 4: (w.RATIONAL, [11.0, 58.0, 3.0]),
           5: (w.BYTE, 1), 6: (w.RATIONAL, [12.0])}  # fmt: skip
    found = with_exif(tmp_path, {}, {}, gps)
    assert (found.latitude, found.longitude, found.altitude_m) == pytest.approx(
        (57 + 42.5 / 60, -(11 + 58 / 60 + 3 / 3600), -12.0)
    )
    wrong = with_exif(tmp_path, {}, {}, {2: (w.RATIONAL, [(1, 0), (0, 1), (0, 1)]), 4: (w.RATIONAL, [400.0])})
    assert wrong.latitude is None and wrong.longitude is None


XMP = """<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/"
 xmlns:exif="http://ns.adobe.com/exif/1.0/" xmp:Rating="-1" exif:GPSLatitude="51,30.5N" exif:GPSLongitude="0,7,39W">
<xmp:Label>ask</xmp:Label>
<dc:title><rdf:Alt><rdf:li xml:lang="de">Ofen</rdf:li><rdf:li xml:lang="x-default">Kiln</rdf:li></rdf:Alt></dc:title>
<dc:subject><rdf:Bag><rdf:li>one</rdf:li><rdf:li>two</rdf:li></rdf:Bag></dc:subject></rdf:Description></rdf:RDF></x:xmpmeta>"""


def test_xmp() -> None:
    found, notes = facts_of_xmp(XMP.encode())
    assert notes == () and found["rating"] == -1 and found["label"] == "ask" and found["title"] == "Kiln"
    assert found["keywords"] == ("one", "two")
    assert (found["latitude"], found["longitude"]) == pytest.approx((51 + 30.5 / 60, -(7 / 60 + 39 / 3600)))


BOMB = '<!DOCTYPE a [<!ENTITY b "bb"><!ENTITY c "&b;&b;">]><a>&c;</a>'
OUTSIDE = '<!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]><a>&b;</a>'


@pytest.mark.parametrize("packet", [BOMB, OUTSIDE, XMP[:300], "<a" * 1000, "no xml at all", "<a>" * 100_000])
def test_xmp_that_is_damaged_or_hostile_is_passed_over_with_a_note(packet: str) -> None:
    found, notes = facts_of_xmp(packet.encode())
    assert found == {} and len(notes) == 1


def test_iptc_of_other_codes() -> None:
    def entry(dataset: int, data: bytes) -> bytes:
        return b"\x1c\x02" + bytes([dataset]) + len(data).to_bytes(2, "big") + data

    latin = entry(80, "Jørgensen".encode("latin-1")) + entry(25, b"kiln") + entry(25, b"moss")
    assert facts_of_iptc(latin) == {"artist": "Jørgensen", "keywords": ("kiln", "moss")}
    assert facts_of_iptc(latin[:-2]) == {"artist": "Jørgensen", "keywords": ("kiln",)}
    assert facts_of_iptc(b"\x1c\x02\x50\xff\xff") == {}


def test_facts_of_another_version_are_read() -> None:
    document = {**EVERYTHING.as_dict(), "of tomorrow": 3, "keywords": ["a", "b"]}
    del document["city"]
    assert CaptureData.of(document) == replace(EVERYTHING, city="", keywords=("a", "b"))


def test_facts_in_words() -> None:
    words = {name: text for _, rows in in_words(EVERYTHING) for name, text in rows}
    assert words["Time"] == "1/250 s" and words["Aperture"] == "f/5.6" and words["Compensation"] == "-0.67 EV"
    assert words["Flash"] == "did not fire" and words["Lens range"] == "24-70 mm f/4" and words["Rating"] == "4 of 5"
    assert words["Position"] == "33.85678° south, 151.21530° east" and words["Taken"] == "2026-05-12 07:08:09.250 +02:00"
    assert in_words(CaptureData(width=3, height=2)) == [("File", [("Size", "3 x 2")])]
