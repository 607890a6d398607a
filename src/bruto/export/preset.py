"""How a picture is delivered, and what each picture is written with."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from bruto.container.exif_ifd import exif_block
from bruto.container.provenance import SOFTWARE
from bruto.container.raw_frame import RawMeta

JPEG_QUALITY = 92


@dataclass(frozen=True)
class ExportPreset:
    """How a picture is exported.

    Output `space`, `bits` a channel (8 or 16), `long_edge` in pixels or None, JPEG `quality`, Exif or not, and with it
    the place where the shot was taken or not.
    """

    space: str = "srgb"
    bits: int = 8
    long_edge: int | None = None
    quality: int = JPEG_QUALITY
    keep_exif: bool = True
    keep_place: bool = False


LONGEST_TEXT = 2000
"""Letters of a text of Exif that are passed on; a JPEG file holds 64 KiB of Exif in all (Exif 3.0, section 4.7.2)."""


def passed_on(text: str) -> str:
    """Return a text of the source as it is written into a picture.

    Without control signs, shortened where it is too long for one, with a word that says so.

    Parameters
    ----------
    text
        Text to read.

    Returns
    -------
    str
        A text of the source as it is written into a picture.
    """
    plain = "".join(c if c.isprintable() else " " for c in text).strip()
    return plain if len(plain) <= LONGEST_TEXT else plain[:LONGEST_TEXT].rstrip() + " (shortened)"


def exif_bytes(meta: RawMeta, width: int, height: int, keep: bool = True, place: bool = False) -> bytes:
    """Return the Exif of a developed picture: what the source says, oriented; without `keep` only who wrote it.

    With `place`, the place where the shot was taken stays, too.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    width
        Width, pixels.
    height
        Height, pixels.
    keep
        Whether it is kept.
    place
        Whether the place where it was taken is written.

    Returns
    -------
    bytes
        Exif of a developed picture.
    """
    head: dict[int, Any] = {274: 1, 305: SOFTWARE}
    if not keep:
        return exif_block(head)
    texts = ((271, meta.make), (272, meta.model), (306, meta.taken), (270, meta.description))
    head |= {tag: passed_on(value) for tag, value in texts if value}
    return exif_block(head, meta, (width, height), meta.gps if place else None)
