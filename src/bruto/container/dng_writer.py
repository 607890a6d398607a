"""Writing DNG files: mosaics and linear frames, with preview, colour, noise profile, gain maps and Exif.

Structure: IFD 0 holds the JPEG preview and the tags of the whole file; one sub-IFD holds the raw image in tiles
(lossless JPEG for integers, deflate with the floating-point predictor for half floats); the Exif IFD is appended and
linked.
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from bruto.container.opcodes import write_gain_maps
from bruto.container.rawframe import CFA_LETTERS, Calibration, GainMap
from bruto.files import atomic_path
from bruto.parallel import map_threads

TILE = 256
_EXIF_IFD = 34665
_PLACEHOLDER = 34664
"""The TIFF writer refuses tag 34665; this unused neighbour keeps its place in the sorted directory until it is
renamed.
"""


@dataclass(frozen=True)
class DngTags:
    """What goes into a file besides pixels; see `rawframe.RawMeta` for units."""

    black: NDArray[np.float64]
    white: NDArray[np.float64]
    bits: int
    calibrations: tuple[Calibration, ...]
    as_shot_neutral: NDArray[np.float64]
    cfa: str = ""
    noise_profile: NDArray[np.float64] | None = None
    baseline_exposure: float = 0.0
    gain_maps: tuple[GainMap, ...] = ()
    default_crop: tuple[int, int, int, int] | None = None
    orientation: int = 1
    make: str = ""
    model: str = ""
    software: str = "Bruto"
    description: str = ""
    taken: str = ""  # Exif form, "2026:06:21 12:00:00"
    iso: float | None = None
    exposure_s: float | None = None
    f_number: float | None = None
    focal_mm: float | None = None
    focal_35mm: float | None = None
    source_files: tuple[str, ...] = field(default=())


def _rationals(values, limit: int = 100_000) -> tuple[int, ...]:
    flat: list[int] = []
    for v in np.ravel(values):
        f = Fraction(float(v)).limit_denominator(limit)
        flat += [f.numerator, f.denominator]
    return tuple(flat)


def _jpeg(preview: NDArray[np.uint8]) -> bytes:
    stream = io.BytesIO()
    Image.fromarray(preview).save(stream, "JPEG", quality=88, subsampling=0)
    return stream.getvalue()


def _exif_entries(tags: DngTags) -> list[tuple[int, int, int, bytes]]:
    """(tag, type, count, little-endian value) of the Exif IFD, sorted."""
    entries = []

    def rational(tag, value, limit=1_000_000):
        f = Fraction(float(value)).limit_denominator(limit)
        entries.append((tag, 5, 1, struct.pack("<2I", f.numerator, f.denominator)))

    if tags.exposure_s is not None:
        seconds = tags.exposure_s
        f = Fraction(1, max(1, round(1 / seconds)))
        if abs(float(f) / seconds - 1) > 1e-4:  # merging needs the true time, not the dial's
            f = Fraction(seconds).limit_denominator(1_000_000)
        entries.append((33434, 5, 1, struct.pack("<2I", f.numerator, f.denominator)))
    if tags.f_number is not None:
        rational(33437, tags.f_number, 100)
    if tags.iso is not None:
        entries.append((34855, 3, 1, struct.pack("<H", min(65535, round(tags.iso)))))
    entries.append((36864, 7, 4, b"0232"))
    if tags.taken:
        text = tags.taken.encode("ascii", "replace") + b"\0"
        for tag in (36867, 36868):
            entries.append((tag, 2, len(text), text))
    if tags.focal_mm is not None:
        rational(37386, tags.focal_mm, 1000)
    if tags.focal_35mm is not None:
        entries.append((41989, 3, 1, struct.pack("<H", round(tags.focal_35mm))))
    return sorted(entries)


def _append_exif(path: Path, tags: DngTags) -> None:
    """Append an Exif IFD and point tag 34665 of IFD 0 at it (the placeholder was written by the TIFF writer)."""
    entries = _exif_entries(tags)
    with tifffile.TiffFile(path) as tif:
        at = tif.pages[0].tags[_PLACEHOLDER].offset
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


def _tiles(codes: NDArray, bits: int) -> list[bytes]:
    """Coded tiles in row order; ragged edges are padded by repetition."""
    h, w = codes.shape[:2]
    places = [(y, x) for y in range(0, h, TILE) for x in range(0, w, TILE)]

    def code(place: tuple[int, int]) -> bytes:
        y, x = place
        tile = codes[y : y + TILE, x : x + TILE]
        missing = [(0, TILE - tile.shape[0]), (0, TILE - tile.shape[1])] + [(0, 0)] * (codes.ndim - 2)
        if missing[0][1] or missing[1][1]:
            tile = np.pad(tile, missing, mode="edge")
        tile = np.ascontiguousarray(tile)
        if codes.ndim == 2:
            return bytes(imagecodecs.ljpeg_encode(tile, bitspersample=bits))
        coded = imagecodecs.jpeg8_encode(
            tile, lossless=True, predictor=1, bitspersample=bits, colorspace="rgb", outcolorspace="rgb"
        )
        return bytes(coded)

    return map_threads(code, places)


def write_dng(path: str | Path, codes: NDArray, tags: DngTags, preview: NDArray[np.uint8]) -> None:
    """Write one DNG.

    `codes`: (H, W) uint16 mosaic, (H, W, 3) uint16 linear, or (H, W, 3) float16 linear where 1.0 is saturation.
    `preview`: (h, w, 3) uint8 sRGB. Raises `FileProblem` where the file cannot be written; nothing is left behind then.
    """
    mosaic = codes.ndim == 2
    height, width = codes.shape[:2]
    crop = tags.default_crop or (0, 0, width, height)
    common: list[tuple] = [
        (50706, "B", 4, bytes([1, 4, 0, 0]), True),
        (50707, "B", 4, bytes([1, 4 if codes.dtype == np.float16 else 3, 0, 0]), True),
        (50708, "s", 0, f"{tags.make} {tags.model}".strip() or "Bruto merged frame", True),
        (50728, "2I", 3, _rationals(tags.as_shot_neutral, 1_000_000), True),
        (50730, "2i", 1, _rationals([tags.baseline_exposure]), True),
        (274, "H", 1, tags.orientation, True),
        (_PLACEHOLDER, "I", 1, 0, True),
    ]
    if tags.make:
        common.append((271, "s", 0, tags.make, True))
    if tags.model:
        common.append((272, "s", 0, tags.model, True))
    if tags.taken:
        common.append((306, "s", 0, tags.taken, True))
    if tags.source_files:
        common.append((50827, "s", 0, "; ".join(tags.source_files)[:60000], True))
    for k, calibration in enumerate(tags.calibrations[:2]):
        common.append((50721 + k, "2i", 9, _rationals(calibration.color), True))
        common.append((50778 + k, "H", 1, calibration.illuminant, True))
        if calibration.forward is not None:
            common.append((50964 + k, "2i", 9, _rationals(calibration.forward), True))
    raw: list[tuple] = [
        (50829, "I", 4, (0, 0, height, width), True),
        (50719, "I", 2, (crop[0], crop[1]), True),
        (50720, "I", 2, (crop[2], crop[3]), True),
        (50717, "I", len(np.ravel(tags.white)), tuple(int(v) for v in np.ravel(tags.white)), True),
    ]
    if mosaic:
        raw += [
            (33421, "H", 2, (2, 2), True),
            (33422, "B", 4, bytes(CFA_LETTERS.index(c) for c in tags.cfa), True),
            (50711, "H", 1, 1, True),
            (50713, "H", 2, (2, 2), True),
            (50714, "2I", 4, _rationals(tags.black), True),
        ]
    else:
        raw += [(50713, "H", 2, (1, 1), True), (50714, "2I", 3, _rationals(np.broadcast_to(tags.black, 3)), True)]
    if tags.noise_profile is not None:
        profile = np.asarray(tags.noise_profile, float)
        raw.append((51041, "d", profile.size, tuple(profile.ravel()), True))
    if tags.gain_maps:
        data = write_gain_maps(tags.gain_maps)
        raw.append((51009, 7, len(data), data, True))
    photometric = 32803 if mosaic else 34892
    jpeg = _jpeg(preview)
    with atomic_path(path) as temporary:
        with tifffile.TiffWriter(temporary, byteorder="<", bigtiff=False) as tif:
            tif.write(
                iter([jpeg]),
                shape=preview.shape,
                dtype=np.uint8,
                photometric="ycbcr",
                compression=7,
                subifds=1,
                subfiletype=1,
                rowsperstrip=preview.shape[0],
                extratags=common,
                software=tags.software,
                description=tags.description or None,
                metadata=None,
            )
            if codes.dtype == np.float16:
                tif.write(
                    codes,
                    photometric=photometric,
                    planarconfig="contig",
                    compression=8,
                    predictor=3,
                    tile=(TILE, TILE),
                    subfiletype=0,
                    extratags=raw,
                    metadata=None,
                    maxworkers=2,
                )
            else:
                coded = _tiles(codes, tags.bits)
                tif.write(
                    iter(coded),
                    shape=codes.shape,
                    dtype=np.uint16,
                    photometric=photometric,
                    compression=7,
                    tile=(TILE, TILE),
                    subfiletype=0,
                    planarconfig=None if mosaic else "contig",
                    extratags=raw,
                    metadata=None,
                )
        _append_exif(temporary, tags)
