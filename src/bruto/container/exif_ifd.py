"""The Exif and GPS directories of all that is written: as entries of a TIFF-like file, or as a block of a picture.

In a TIFF they are appended behind what the TIFF writer has closed, and linked from its IFD 0.
"""

from __future__ import annotations

import struct
from fractions import Fraction
from pathlib import Path
from typing import Any, Protocol

import tifffile
from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from bruto.container.ifd import write_ifd
from bruto.container.raw_frame import GpsPlace

_EXIF_IFD, _GPS_IFD = 34665, 34853
EXIF_PLACEHOLDER = 34664
"""The TIFF writer refuses tag 34665; this unused neighbour keeps its place in the sorted directory until it is
renamed.
"""


LONGEST_TIME = 40
"""Letters of a time that are written; Exif has 19."""


class ShootingData(Protocol):
    """What is stated of a shot; see `rawframe.RawMeta` for units."""

    @property
    def iso(self) -> float | None:
        """ISO speed, None where the file gives none."""

    @property
    def exposure_s(self) -> float | None:
        """Exposure time, seconds; None where the file gives none."""

    @property
    def f_number(self) -> float | None:
        """f-number of the lens, None where the file gives none."""

    @property
    def focal_mm(self) -> float | None:
        """Focal length, mm; None where the file gives none."""

    @property
    def focal_35mm(self) -> float | None:
        """35 mm equivalent focal length, mm; None where the file gives none."""

    @property
    def taken(self) -> str:
        """Time of the capture as Exif writes it, "" where the file gives none."""


def exif_entries(shot: ShootingData) -> list[tuple[int, int, Any]]:
    """Return (tag, type, values) of the Exif IFD.

    Parameters
    ----------
    shot
        Facts of the capture to write.

    Returns
    -------
    list[tuple[int, int, Any]]
        (tag, type, values) of the Exif IFD.
    """
    entries: list[tuple[int, int, Any]] = []

    def rational(tag: int, value: float, limit: int = 1_000_000) -> None:
        f = Fraction(float(value)).limit_denominator(limit)
        entries.append((tag, 5, [f.numerator, f.denominator]))

    if shot.exposure_s:
        seconds = shot.exposure_s
        f = Fraction(1, max(1, round(1 / seconds)))
        if abs(float(f) / seconds - 1) > 1e-4:  # merging needs the true time, not the dial's
            f = Fraction(seconds).limit_denominator(1_000_000)
        entries.append((33434, 5, [f.numerator, f.denominator]))
    if shot.f_number:
        rational(33437, shot.f_number, 100)
    if shot.iso:
        entries.append((34855, 3, [min(65535, round(shot.iso))]))
    entries.append((36864, 7, b"0232"))
    if shot.taken:
        plain = "".join(c for c in shot.taken if c.isprintable())[:LONGEST_TIME]
        text = plain.encode("ascii", "replace") + b"\0"
        entries += [(36867, 2, text), (36868, 2, text)]
    if shot.focal_mm:
        rational(37386, shot.focal_mm, 1000)
    if shot.focal_35mm:
        entries.append((41989, 3, [min(65535, round(shot.focal_35mm))]))
    return entries


def gps_entries(place: GpsPlace) -> list[tuple[int, int, Any]]:
    """Return the GPS directory (Exif 3.0, section 4.6.6).

    Parameters
    ----------
    place
        Position on the earth from the file.

    Returns
    -------
    list[tuple[int, int, Any]]
        The GPS directory (Exif 3.0, section 4.6.6).
    """

    def angle(value: float) -> list[int]:
        degrees = abs(value)
        minutes = (degrees % 1) * 60
        return [int(degrees), 1, int(minutes), 1, round((minutes % 1) * 60 * 10000), 10000]

    found: list[tuple[int, int, Any]] = [
        (0, 1, [2, 3, 0, 0]),
        (1, 2, (b"N" if place.latitude >= 0 else b"S") + b"\0"),
        (2, 5, angle(place.latitude)),
        (3, 2, (b"E" if place.longitude >= 0 else b"W") + b"\0"),
        (4, 5, angle(place.longitude)),
    ]
    if place.altitude_m is not None:
        found += [(5, 1, [int(place.altitude_m < 0)]), (6, 5, [round(abs(place.altitude_m) * 1000), 1000])]
    return found


def exif_block(head: dict[int, Any], shot: ShootingData | None = None, size: tuple[int, int] | None = None,
               place: GpsPlace | None = None) -> bytes:  # fmt: skip
    """Make the Exif of a finished picture.

    Parameters
    ----------
    head
        Values of IFD 0 by tag.
    shot
        Facts of the capture, where they are written.
    size
        Width and height, pixels.
    place
        Position on the earth, where it is written.

    Returns
    -------
    bytes
        The block, with its identifier, as JPEG files hold it (Exif 3.0, section 4.7.2).
    """
    exif = Image.Exif()
    exif.update(head)
    if shot is not None:
        exif.get_ifd(_EXIF_IFD).update({tag: _value(kind, found) for tag, kind, found in exif_entries(shot)})
    if size is not None:
        exif.get_ifd(_EXIF_IFD).update({40962: size[0], 40963: size[1]})
    if place is not None:
        exif.get_ifd(_GPS_IFD).update({tag: _value(kind, found) for tag, kind, found in gps_entries(place)})
    return exif.tobytes()


def _value(kind: int, found: Any) -> Any:
    """Return the numbers of an entry as the picture writer wants them."""
    if kind == 2:
        return found.rstrip(b"\0").decode("ascii")
    if kind == 5:
        values = [IFDRational(*found[k : k + 2]) for k in range(0, len(found), 2)]
        return values[0] if len(values) == 1 else tuple(values)
    return found[0] if kind == 3 else bytes(found)


def append_exif(path: Path, shot: ShootingData) -> None:
    """Append an Exif IFD and point tag 34665 of IFD 0 at it (the placeholder was written by the TIFF writer).

    Parameters
    ----------
    path
        File to read.
    shot
        Facts of the capture to write.
    """
    with tifffile.TiffFile(path) as tif:
        at = tif.pages[0].tags[EXIF_PLACEHOLDER].offset
    with path.open("r+b") as stream:
        stream.seek(0, 2)
        start = stream.tell() + stream.tell() % 2
        stream.seek(start)
        stream.write(write_ifd(exif_entries(shot), "<", start))
        stream.seek(at)
        stream.write(struct.pack("<HHII", _EXIF_IFD, 4, 1, start))
