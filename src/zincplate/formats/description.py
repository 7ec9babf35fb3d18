"""What people wrote about a picture: XMP (ISO 16684-1) and IPTC (IIM 4.2), read into the facts of a frame.

Where several say something about the same, what EXIF says of author and rights counts first, and of words XMP, then IPTC, then
EXIF (as the Metadata Working Group advises, 2010). XML with entities is not looked at.
"""

import struct
from contextlib import suppress
from typing import Any
from xml.etree.ElementTree import Element

from zincplate.formats import sphere
from zincplate.formats.capture import LONGEST_TEXT, MOST_KEYWORDS
from zincplate.formats.tags import text_of

_LARGEST_PACKET = 8 << 20
RDF, DC = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}", "{http://purl.org/dc/elements/1.1/}"
XMP, PHOTOSHOP = "{http://ns.adobe.com/xap/1.0/}", "{http://ns.adobe.com/photoshop/1.0/}"
CORE, EXIF = "{http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/}", "{http://ns.adobe.com/exif/1.0/}"
AUX, EXIF_EX = "{http://ns.adobe.com/exif/1.0/aux/}", "{http://cipa.jp/exif/1.0/}"
TIFF = "{http://ns.adobe.com/tiff/1.0/}"
_LANGUAGE = "{http://www.w3.org/XML/1998/namespace}lang"
_BROKEN = "What was written about it in XMP is damaged and was passed over."


def _properties(root: Element) -> dict[str, Any]:
    """Simple values, and lists of the containers, by name."""
    found: dict[str, Any] = {}
    for description in root.iter(f"{RDF}Description"):
        for name, value in description.attrib.items():
            found.setdefault(name, value)
        for child in description:
            container = next((e for e in child if e.tag in (f"{RDF}Alt", f"{RDF}Bag", f"{RDF}Seq")), None)
            if container is None:
                if child.text and child.text.strip():
                    found.setdefault(child.tag, child.text.strip())
                continue
            items = [e for e in container if e.tag == f"{RDF}li"]
            if container.tag == f"{RDF}Alt":
                items.sort(key=lambda e: e.get(_LANGUAGE) != "x-default")
            texts = [e.text.strip() for e in items if e.text and e.text.strip()]
            if texts:
                found.setdefault(child.tag, texts)
    return found


def _first(value: Any) -> str:
    text = value[0] if isinstance(value, list) and value else value
    return str(text)[:LONGEST_TEXT] if isinstance(text, str) else ""


def _degrees(text: str) -> float | None:
    """``51,30.5N`` or ``51,30,30N`` (XMP, part 2, "GPSCoordinate")."""
    if not text or text[-1] not in "NSEW":
        return None
    try:
        value = sum(float(part) / 60**i for i, part in enumerate(text[:-1].split(",")[:3]))
    except ValueError:
        return None
    return -value if text[-1] in "SW" else value


def facts_of_xmp(packet: bytes) -> tuple[dict[str, Any], tuple[str, ...]]:
    """Facts of an XMP packet, only those that are there, and notes."""
    if not packet.strip(b"\0 \t\r\n"):
        return {}, ()
    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import ParseError, fromstring

    if len(packet) > _LARGEST_PACKET:
        return {}, (_BROKEN,)
    try:
        properties = _properties(fromstring(packet.strip(b"\0"), forbid_dtd=True))
    except (ParseError, DefusedXmlException, ValueError, LookupError, RecursionError):
        return {}, (_BROKEN,)
    subjects = properties.get(f"{DC}subject", [])
    creators = properties.get(f"{DC}creator", [])
    found: dict[str, Any] = {
        "title": _first(properties.get(f"{DC}title")) or _first(properties.get(f"{PHOTOSHOP}Headline")),
        "caption": _first(properties.get(f"{DC}description")),
        "keywords": tuple(k[:200] for k in ([subjects] if isinstance(subjects, str) else subjects)[:MOST_KEYWORDS]),
        "artist": "; ".join([creators] if isinstance(creators, str) else creators)[:LONGEST_TEXT],
        "copyright": _first(properties.get(f"{DC}rights")),
        "label": _first(properties.get(f"{XMP}Label"))[:80],
        "city": _first(properties.get(f"{PHOTOSHOP}City")),
        "region": _first(properties.get(f"{PHOTOSHOP}State")),
        "country": _first(properties.get(f"{PHOTOSHOP}Country")),
        "place": _first(properties.get(f"{CORE}Location")),
        "lens": (_first(properties.get(f"{EXIF_EX}LensModel")) or _first(properties.get(f"{AUX}Lens")))[:120],
        "lens_serial": _first(properties.get(f"{EXIF_EX}LensSerialNumber"))[:80],
        "camera_serial": (_first(properties.get(f"{EXIF_EX}BodySerialNumber")) or _first(properties.get(f"{AUX}SerialNumber")))[
            :80
        ],
    }
    latitude = _degrees(_first(properties.get(f"{EXIF}GPSLatitude")))
    longitude = _degrees(_first(properties.get(f"{EXIF}GPSLongitude")))
    if latitude is not None and longitude is not None and abs(latitude) <= 90 and abs(longitude) <= 180:
        found |= {"latitude": latitude, "longitude": longitude}
    if view := sphere.of_properties(properties):
        found["sphere"] = view
    rating = _first(properties.get(f"{XMP}Rating"))
    with suppress(ValueError):
        found["rating"] = max(min(round(float(rating)), 5), -1)
    return {k: v for k, v in found.items() if v or k in ("rating", "latitude", "longitude")}, ()


_IPTC = {5: "title", 80: "artist", 90: "city", 92: "place", 95: "region", 101: "country", 116: "copyright", 120: "caption"}


def facts_of_iptc(block: bytes) -> dict[str, Any]:
    """Facts of an IPTC block; what is damaged ends it."""
    found: dict[str, Any] = {}
    keywords: list[str] = []
    place = 0
    while place + 5 <= len(block) and block[place] == 0x1C:
        record, dataset, size = struct.unpack_from(">BBH", block, place + 1)
        place += 5
        if size & 0x8000:
            length = size & 0x7FFF
            if length > 4:
                break
            size = int.from_bytes(block[place : place + length], "big")
            place += length
        data = block[place : place + size]
        place += size
        if record != 2 or len(data) < size:
            continue
        if dataset == 25 and len(keywords) < MOST_KEYWORDS:
            keywords.append(text_of(data)[:200])
        elif dataset in _IPTC:
            found.setdefault(_IPTC[dataset], text_of(data)[:LONGEST_TEXT])
    if keywords:
        found["keywords"] = tuple(keywords)
    return found


def merged(exif: dict[str, Any], xmp: bytes, iptc: bytes) -> dict[str, Any]:
    """All facts together, by the order of who counts first; ``notes`` among them when something was passed over."""
    by_xmp, notes = facts_of_xmp(xmp)
    by_iptc = facts_of_iptc(iptc)
    found = {**exif, **by_iptc, **by_xmp}
    for name in ("artist", "copyright", "lens", "lens_serial", "camera_serial", "latitude", "longitude"):
        if exif.get(name) is not None and exif.get(name) != "":
            found[name] = exif[name]
    if notes:
        found["notes"] = (*found.get("notes", ()), *notes)
    return found
