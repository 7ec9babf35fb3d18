"""XMP (ISO 16684-1) and IPTC (IIM 4.2) of deliveries: what people wrote about a picture."""

import struct
from xml.etree import ElementTree
from xml.etree.ElementTree import Element, SubElement

from zincplate.formats import description as d
from zincplate.formats.capture import CaptureData
from zincplate.formats.sphere import GPANO, as_properties

_PREFIXES = {
    "rdf": d.RDF, "dc": d.DC, "xmp": d.XMP, "photoshop": d.PHOTOSHOP, "Iptc4xmpCore": d.CORE,
    "x": "{adobe:ns:meta/}", "GPano": GPANO,
}  # fmt: skip
_IPTC_LIMITS = {5: 64, 25: 64, 80: 32, 90: 32, 92: 32, 95: 32, 101: 64, 116: 128, 120: 2000}
_BEGIN = '<?xpacket begin="\N{ZERO WIDTH NO-BREAK SPACE}" id="W5M0MpCehiHzreSzNTczkc9d"?>\n'


def _clean(text: str) -> str:
    """Without what XML cannot hold (XML 1.0, 2.2)."""
    return "".join(c for c in text if c in "\t\n\r" or " " <= c < "\ufffe" or c > "\uffff" if not "\ud800" <= c <= "\udfff")


def _listed(parent: Element, name: str, container: str, texts: tuple[str, ...]) -> None:
    inner = SubElement(SubElement(parent, name), f"{d.RDF}{container}")
    for text in texts:
        item = SubElement(inner, f"{d.RDF}li")
        if container == "Alt":
            item.set("{http://www.w3.org/XML/1998/namespace}lang", "x-default")
        item.text = _clean(text)


def xmp_packet(capture: CaptureData, software: str, changed_at: str = "") -> bytes:
    """A packet; empty when nothing was written about the picture."""
    alternatives = (
        (f"{d.DC}title", capture.title),
        (f"{d.DC}description", capture.caption),
        (f"{d.DC}rights", capture.copyright),
    )
    simple = (
        (f"{d.XMP}Label", capture.label), (f"{d.PHOTOSHOP}City", capture.city), (f"{d.PHOTOSHOP}State", capture.region),
        (f"{d.PHOTOSHOP}Country", capture.country), (f"{d.CORE}Location", capture.place),
        (f"{d.XMP}Rating", "" if capture.rating is None else str(capture.rating)),
    )  # fmt: skip
    if (
        not any(text for _, text in (*alternatives, *simple))
        and not capture.keywords
        and not capture.artist
        and not capture.sphere
    ):
        return b""
    for prefix, name in _PREFIXES.items():
        ElementTree.register_namespace(prefix, name.strip("{}"))
    root = Element("{adobe:ns:meta/}xmpmeta")
    about = SubElement(SubElement(root, f"{d.RDF}RDF"), f"{d.RDF}Description", {f"{d.RDF}about": ""})
    for name, text in simple:
        if text:
            about.set(name, _clean(text))
    for name, text in as_properties(capture.sphere).items():
        about.set(name, text)
    about.set(f"{d.XMP}CreatorTool", software)
    if changed_at:
        about.set(f"{d.XMP}ModifyDate", f"{changed_at}Z")
    for name, text in alternatives:
        if text:
            _listed(about, name, "Alt", (text,))
    if capture.artist:
        _listed(about, f"{d.DC}creator", "Seq", tuple(v.strip() for v in capture.artist.split(";") if v.strip()))
    if capture.keywords:
        _listed(about, f"{d.DC}subject", "Bag", capture.keywords)
    body = ElementTree.tostring(root, encoding="unicode")
    return f'{_BEGIN}{body}\n<?xpacket end="w"?>'.encode()


def iptc_block(capture: CaptureData) -> bytes:
    """A block in UTF-8; empty when nothing was written about the picture. Texts are cut to what the standard allows, whole
    letters."""
    entries: list[tuple[int, str]] = [
        (5, capture.title), *((25, k) for k in capture.keywords), (80, capture.artist), (90, capture.city), (92, capture.place),
        (95, capture.region), (101, capture.country), (116, capture.copyright), (120, capture.caption),
    ]  # fmt: skip
    body = b""
    for dataset, text in entries:
        if text:
            data = text.encode()[: _IPTC_LIMITS[dataset]].decode("utf-8", "ignore").encode()
            body += struct.pack(">BBBH", 0x1C, 2, dataset, len(data)) + data
    if not body:
        return b""
    head = struct.pack(">BBBH", 0x1C, 1, 90, 3) + b"\x1b%G" + struct.pack(">BBBHH", 0x1C, 2, 0, 2, 4)
    return head + body


def image_resource(block: bytes) -> bytes:
    """An IPTC block as the segment of a JPEG holds it."""
    padded = block + b"\0" * (len(block) & 1)
    return b"Photoshop 3.0\0" + b"8BIM" + struct.pack(">HHI", 0x0404, 0, len(block)) + padded
