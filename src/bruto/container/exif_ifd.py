"""The Exif directory of TIFF-like files: appended behind a file the TIFF writer has closed, and linked from its IFD
0.
"""

from __future__ import annotations

import struct
from fractions import Fraction
from pathlib import Path
from typing import Protocol

import tifffile

_EXIF_IFD = 34665
EXIF_PLACEHOLDER = 34664
"""The TIFF writer refuses tag 34665; this unused neighbour keeps its place in the sorted directory until it is
renamed.
"""


class ShootingData(Protocol):
    """What is stated of a shot; see `rawframe.RawMeta` for units."""

    @property
    def iso(self) -> float | None: ...
    @property
    def exposure_s(self) -> float | None: ...
    @property
    def f_number(self) -> float | None: ...
    @property
    def focal_mm(self) -> float | None: ...
    @property
    def focal_35mm(self) -> float | None: ...
    @property
    def taken(self) -> str: ...


def _entries(shot: ShootingData) -> list[tuple[int, int, int, bytes]]:
    """(tag, type, count, little-endian value) of the Exif IFD, sorted."""
    entries = []

    def rational(tag, value, limit=1_000_000):
        f = Fraction(float(value)).limit_denominator(limit)
        entries.append((tag, 5, 1, struct.pack("<2I", f.numerator, f.denominator)))

    if shot.exposure_s is not None:
        seconds = shot.exposure_s
        f = Fraction(1, max(1, round(1 / seconds)))
        if abs(float(f) / seconds - 1) > 1e-4:  # merging needs the true time, not the dial's
            f = Fraction(seconds).limit_denominator(1_000_000)
        entries.append((33434, 5, 1, struct.pack("<2I", f.numerator, f.denominator)))
    if shot.f_number is not None:
        rational(33437, shot.f_number, 100)
    if shot.iso is not None:
        entries.append((34855, 3, 1, struct.pack("<H", min(65535, round(shot.iso)))))
    entries.append((36864, 7, 4, b"0232"))
    if shot.taken:
        text = shot.taken.encode("ascii", "replace") + b"\0"
        for tag in (36867, 36868):
            entries.append((tag, 2, len(text), text))
    if shot.focal_mm is not None:
        rational(37386, shot.focal_mm, 1000)
    if shot.focal_35mm is not None:
        entries.append((41989, 3, 1, struct.pack("<H", round(shot.focal_35mm))))
    return sorted(entries)


def append_exif(path: Path, shot: ShootingData) -> None:
    """Append an Exif IFD and point tag 34665 of IFD 0 at it (the placeholder was written by the TIFF writer)."""
    entries = _entries(shot)
    with tifffile.TiffFile(path) as tif:
        at = tif.pages[0].tags[EXIF_PLACEHOLDER].offset
    with path.open("r+b") as stream:
        stream.seek(0, 2)
        start = stream.tell() + stream.tell() % 2
        stream.seek(start)
        data_at = start + 2 + 12 * len(entries) + 4
        head, data = struct.pack("<H", len(entries)), b""
        for tag, kind, count, value in entries:
            if len(value) <= 4:
                head += struct.pack("<HHI", tag, kind, count) + value.ljust(4, b"\0")
            else:
                head += struct.pack("<HHII", tag, kind, count, data_at + len(data))
                data += value + b"\0" * (len(value) % 2)
        if entries and len(entries[-1][3]) > 4 and len(entries[-1][3]) % 2:
            data = data[:-1]  # a file ends with its last value, so that a missing end is always noticed
        stream.write(head + struct.pack("<I", 0) + data)
        stream.seek(at)
        stream.write(struct.pack("<HHII", _EXIF_IFD, 4, 1, start))
