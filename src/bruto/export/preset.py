"""How a picture is delivered, and what each picture is written with."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PIL import Image

from bruto.container.provenance import SOFTWARE
from bruto.container.raw_frame import GpsPlace, RawMeta

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


def _place(gps: GpsPlace) -> dict[int, Any]:
    """Return the GPS directory (Exif 3.0, section 4.6.6)."""

    def angle(value: float) -> tuple[float, float, float]:
        minutes = abs(value) % 1 * 60
        return float(int(abs(value))), float(int(minutes)), round(minutes % 1 * 60, 4)

    found: dict[int, Any] = {
        0: b"\2\3\0\0",
        1: "N" if gps.latitude >= 0 else "S",
        2: angle(gps.latitude),
        3: "E" if gps.longitude >= 0 else "W",
        4: angle(gps.longitude),
    }
    if gps.altitude_m is not None:
        found |= {5: bytes([int(gps.altitude_m < 0)]), 6: abs(gps.altitude_m)}
    return found


def exif_bytes(meta: RawMeta, width: int, height: int, keep: bool = True, place: bool = False) -> bytes:
    """Return the Exif of a developed picture: what the source says, oriented; without `keep` only who wrote it.

    With `place` the place where the shot was taken, too.

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
        Position concerned.

    Returns
    -------
    bytes
        Exif of a developed picture.
    """
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
    if place and meta.gps is not None:
        exif.get_ifd(34853).update(_place(meta.gps))
    return exif.tobytes()
