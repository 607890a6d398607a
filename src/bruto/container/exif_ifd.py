"""The Exif directory of TIFF-like files.

Appended behind a file the TIFF writer has closed, and linked from its IFD 0.
"""

from __future__ import annotations

import struct
from fractions import Fraction
from pathlib import Path
from typing import Any, Protocol

import tifffile

from bruto.container.ifd import write_ifd

_EXIF_IFD = 34665
EXIF_PLACEHOLDER = 34664
"""The TIFF writer refuses tag 34665; this unused neighbour keeps its place in the sorted directory until it is
renamed.
"""


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

    if shot.exposure_s is not None:
        seconds = shot.exposure_s
        f = Fraction(1, max(1, round(1 / seconds)))
        if abs(float(f) / seconds - 1) > 1e-4:  # merging needs the true time, not the dial's
            f = Fraction(seconds).limit_denominator(1_000_000)
        entries.append((33434, 5, [f.numerator, f.denominator]))
    if shot.f_number is not None:
        rational(33437, shot.f_number, 100)
    if shot.iso is not None:
        entries.append((34855, 3, [min(65535, round(shot.iso))]))
    entries.append((36864, 7, b"0232"))
    if shot.taken:
        text = shot.taken.encode("ascii", "replace") + b"\0"
        entries += [(36867, 2, text), (36868, 2, text)]
    if shot.focal_mm is not None:
        rational(37386, shot.focal_mm, 1000)
    if shot.focal_35mm is not None:
        entries.append((41989, 3, [round(shot.focal_35mm)]))
    return entries


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
