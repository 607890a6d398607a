"""How a picture is delivered, and what each picture is written with."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PIL import Image

from bruto.container.provenance import SOFTWARE
from bruto.container.rawframe import RawMeta

JPEG_QUALITY = 92


@dataclass(frozen=True)
class Ticket:
    """How a picture is delivered: output `space`, `bits` a channel (8 or 16), `long_edge` in pixels or None, JPEG
    `quality`, Exif or not.
    """

    space: str = "srgb"
    bits: int = 8
    long_edge: int | None = None
    quality: int = JPEG_QUALITY
    keep_exif: bool = True


LONGEST_TEXT = 2000
"""Letters of a text of Exif that are passed on; a JPEG file holds 64 KiB of Exif in all (Exif 3.0, section 4.7.2)."""


def passed_on(text: str) -> str:
    """A text of the source as it is written into a picture: without control signs, shortened where it is too long for
    one, with a word that says so.
    """
    plain = "".join(c if c.isprintable() else " " for c in text).strip()
    return plain if len(plain) <= LONGEST_TEXT else plain[:LONGEST_TEXT].rstrip() + " (shortened)"


def exif_bytes(meta: RawMeta, width: int, height: int, keep: bool = True) -> bytes:
    """Exif of a developed picture: what the source says, oriented; without `keep` only who wrote it."""
    exif = Image.Exif()
    exif[274] = 1
    exif[305] = SOFTWARE
    if not keep:
        return exif.tobytes()
    for tag, value in ((271, meta.make), (272, meta.model), (306, meta.taken), (270, meta.description)):
        if value:
            exif[tag] = passed_on(value)
    sub: dict[int, Any] = exif.get_ifd(34665)
    for tag, number in ((33434, meta.exposure_s), (33437, meta.f_number), (37386, meta.focal_mm)):
        if number:
            sub[tag] = float(number)
    if meta.iso:
        sub[34855] = min(65535, round(meta.iso))
    if meta.focal_35mm:
        sub[41989] = min(65535, round(meta.focal_35mm))
    if meta.taken:
        sub[36867] = passed_on(meta.taken)
    sub[40962], sub[40963] = width, height
    return exif.tobytes()
