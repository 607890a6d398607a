"""Writing DNG files: mosaics and linear frames, with preview, colour, noise profile, gain maps and Exif.

Structure: IFD 0 holds the JPEG preview and the tags of the whole file; one sub-IFD holds the raw image in tiles
(lossless JPEG for integers, deflate with the floating-point predictor for half floats); the Exif IFD is appended and
linked.
"""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from bruto.container.corrections import Correction, write_correction
from bruto.container.exif_ifd import EXIF_PLACEHOLDER, append_exif
from bruto.container.opcodes import GAIN_MAP, gain_map_body, write_opcodes
from bruto.container.rawframe import CFA_LETTERS, Calibration, GainMap
from bruto.files import atomic_path
from bruto.parallel import map_threads

TILE = 256


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
    code_corrections: tuple[Correction, ...] = ()
    light_corrections: tuple[Correction, ...] = ()
    black_rows: NDArray[np.float64] | None = None
    black_columns: NDArray[np.float64] | None = None
    active_area: tuple[int, int, int, int] | None = None
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
    active = tags.active_area or (0, 0, width, height)
    crop = tags.default_crop or (0, 0, active[2], active[3])
    common: list[tuple] = [
        (50706, "B", 4, bytes([1, 4, 0, 0]), True),
        (50707, "B", 4, bytes([1, 4 if codes.dtype == np.float16 else 3, 0, 0]), True),
        (50708, "s", 0, f"{tags.make} {tags.model}".strip() or "Bruto merged frame", True),
        (50728, "2I", 3, _rationals(tags.as_shot_neutral, 1_000_000), True),
        (50730, "2i", 1, _rationals([tags.baseline_exposure]), True),
        (274, "H", 1, tags.orientation, True),
        (EXIF_PLACEHOLDER, "I", 1, 0, True),
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
        (50829, "I", 4, (active[1], active[0], active[1] + active[3], active[0] + active[2]), True),
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
    if tags.code_corrections:
        data = write_opcodes([(c.opcode, write_correction(c)) for c in tags.code_corrections])
        raw.append((51008, 7, len(data), data, True))
    if tags.gain_maps or tags.light_corrections:
        operations = [(c.opcode, write_correction(c)) for c in tags.light_corrections]
        data = write_opcodes(operations + [(GAIN_MAP, gain_map_body(m)) for m in tags.gain_maps])
        raw.append((51009, 7, len(data), data, True))
    for tag, deltas in ((50715, tags.black_columns), (50716, tags.black_rows)):
        if deltas is not None:
            raw.append((tag, "2i", len(deltas), _rationals(deltas), True))
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
        append_exif(temporary, tags)
