"""JPEG (ITU-T T.81) with EXIF, XMP, an ICC profile and IPTC."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.capture import CaptureData
from zincplate.formats.delivered.kind import SOFTWARE, DeliveredFormat, exif_block
from zincplate.formats.description_writer import image_resource, iptc_block, xmp_packet
from zincplate.formats.exif_writer import Written
from zincplate.formats.icc import profile_of
from zincplate.formats.jpeg_writer import LONGEST_SEGMENT, jpeg, segment


def jpeg_bytes(image: NDArray[np.uint8], space: str, capture: CaptureData, quality: int, changed_at: str = "") -> bytes:
    """(h, w, 3) uint8 -> JPEG; 4:4:4 from quality 90 on, 4:2:0 below."""
    written = Written(image.shape[1], image.shape[0], space, changed_at)
    xmp, iptc = xmp_packet(capture, SOFTWARE, changed_at), iptc_block(capture)
    exif = exif_block(capture, written)
    if len(exif) > LONGEST_SEGMENT:  # the longest texts; XMP and IPTC hold them too
        shorter = {name: getattr(capture, name)[:1000] for name in ("caption", "artist", "copyright", "user_comment")}
        exif = exif_block(replace(capture, **shorter), written)
    extra = [segment(0xE1, b"Exif\0\0" + exif)]
    if xmp and len(xmp) < LONGEST_SEGMENT:
        extra.append(segment(0xE1, b"http://ns.adobe.com/xap/1.0/\0" + xmp))
    extra.append(segment(0xE2, b"ICC_PROFILE\0\1\1" + profile_of(space)))
    if iptc and len(iptc) < LONGEST_SEGMENT:
        extra.append(segment(0xED, image_resource(iptc)))
    return jpeg(image, quality, full_colour=quality >= 90, extra=extra)


JPEG = DeliveredFormat("jpeg", "JPEG", (".jpg", ".jpeg"), (8,), True, jpeg_bytes)
