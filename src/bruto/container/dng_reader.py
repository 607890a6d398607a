"""Reading DNG files into a `RawFrame`.

The TIFF structure is read by tifffile, pixels are decoded tile by tile by imagecodecs on all cores. Every size is
checked against the file before memory is taken, and every damage ends in a `FileProblem` that says where.
"""

from __future__ import annotations

import contextlib
import logging
import struct
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.capture_facts import NEUTRAL
from bruto.container.dng_extras import camera_signature, masks_of, pictures_of, place_of, profiles_of
from bruto.container.dng_opcodes import _opcodes, _preview
from bruto.container.dng_pixels import decode_pixels
from bruto.container.dng_values import COPY_AGAIN, floats_of, rational_of, tag_value, within
from bruto.container.exif_tags import (
    EXIF_IFD,
    EXPOSURE_TIME,
    F_STOP,
    FOCAL_35MM_FILM,
    FOCAL_LENGTH,
    ISO_SPEED,
    ORIENTATION,
    TAKEN,
    captured,
)
from bruto.container.profile import CALIBRATION, COLOR, FORWARD, ILLUMINANT, parse_calibrations, signature_agrees
from bruto.container.raw_frame import CFA_LETTERS, RawFrame, RawMeta
from bruto.container.segments import COMPRESSIONS
from bruto.errors import BrutoError, FileProblem
from bruto.storage.safe_read import FileAction, check_readable, explain, open_regular

CFA, LINEAR = 32803, 34892
MAX_PIXELS = 400_000_000
_SUFFIXES = {".dng"}
EXIF_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8}
"""Bytes of one value of each TIFF type (TIFF 6.0, section 2)."""

logging.getLogger("tifffile").setLevel(logging.CRITICAL)


def is_raw(path: str | Path) -> bool:
    """Whether a file's name says it is a raw file Bruto reads."""
    return Path(path).suffix.lower() in _SUFFIXES


def read_dng(path: str | Path) -> RawFrame:
    """Read a DNG: pixels as stored, metadata and embedded preview.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    RawFrame
        See `RawFrame`.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    return _guarded(path, lambda tif, size: _read(tif, size, Path(path), pixels=True))


def read_dng_meta(path: str | Path) -> RawFrame:
    """Read the same without decoding the raw pixels: `codes` is empty.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    RawFrame
        The same without decoding the raw pixels.
    """
    return _guarded(path, lambda tif, size: _read(tif, size, Path(path), pixels=False))


def _guarded(path: str | Path, work: Callable[[Any, int], RawFrame]) -> RawFrame:
    path = check_readable(path)
    try:
        with open_regular(path) as stream:
            size = stream.seek(0, 2)
            stream.seek(0)
            with tifffile.TiffFile(stream, name=path.name) as tif:
                return work(tif, size)
    except BrutoError as error:
        text = str(error)
        raise FileProblem(text if str(path) in text else f"{path}: {text}") from error
    except OSError as error:
        raise explain(error, path, FileAction.READ) from error
    except MemoryError as error:
        raise FileProblem(
            tr("{path} does not fit into memory. Close other programs and try again.", path=path)
        ) from error
    except tifffile.TiffFileError as error:
        raise FileProblem(
            tr(
                "{path} is not a DNG, or its header is damaged. Choose a file that the camera app saved as raw.",
                path=path,
            )
        ) from error
    except Exception as error:  # a damaged structure can fail anywhere in the libraries; the user gets one message
        raise FileProblem(
            tr("{path} is damaged: its structure cannot be read. Copy it again from the phone.", path=path)
        ) from error


def _pages(tif: Any) -> list[Any]:
    found = []
    for page in list(tif.pages)[:8]:
        found.append(page)
        if page.subifds:
            with contextlib.suppress(TypeError):
                found += list(page.pages)[:12]
    return found


def _check_whole(tif: Any, pages: list[Any], size: int) -> None:
    """Every value that the directories point at must lie in the file; raises `FileProblem` where its end is missing."""
    for page in pages:
        for tag in page.tags:
            end = tag.valueoffset + tag.valuebytecount
            if tag.code == 34665 and not tif.is_bigtiff:
                tif.filehandle.seek(tag.offset + 8)
                at = struct.unpack(tif.byteorder + "I", tif.filehandle.read(4))[0]
                tif.filehandle.seek(at)
                (count,) = struct.unpack(tif.byteorder + "H", tif.filehandle.read(2))
                for entry in struct.iter_unpack(tif.byteorder + "HHII", tif.filehandle.read(12 * count)):
                    length = entry[2] * EXIF_SIZES.get(entry[1], 1)
                    end = max(end, at + 2 + 12 * count, entry[3] + length if length > 4 else 0)
            if end > size:
                raise FileProblem(
                    tr(
                        "the file ends early: the value of tag {code} is missing. {COPY_AGAIN}",
                        code=tag.code,
                        COPY_AGAIN=COPY_AGAIN,
                    )
                )


def _read(tif: Any, size: int, path: Path, pixels: bool) -> RawFrame:
    pages = _pages(tif)
    if not pages:
        raise FileProblem(tr("there is no image in it; the file is damaged or not a DNG."))
    _check_whole(tif, pages, size)
    first = pages[0]
    raws = [p for p in pages if int(tag_value(p, 254, 0)) == 0 and int(p.photometric) in (CFA, LINEAR)]
    if not raws:
        if tag_value(first, 50706) is None:
            raise FileProblem(tr("it is a TIFF, not a DNG. Open it as a picture, or choose the raw file."))
        raise FileProblem(tr("it is a DNG without a raw image that Bruto can develop."))
    page = max(raws, key=lambda p: p.imagewidth * p.imagelength)
    meta = _meta(first, page)
    preview, preview_size = _preview(tif, pages, page, size)
    warnings = list(meta.warnings)
    meta = replace(
        meta,
        preview_size=preview_size,
        profiles=profiles_of(tif, first, page, rational_of, warnings),
        semantic_masks=masks_of(tif, pages, size, pixels, warnings),
        gps=place_of(first),
        previews=pictures_of(pages, page),
        warnings=tuple(warnings),
    )
    if pixels:
        codes = decode_pixels(tif, page, meta, size)
        if tag_value(page, 50714) is None and meta.masked_areas and meta.kind == "mosaic":
            meta = replace(meta, black=_masked_black(codes, meta))
        codes.flags.writeable = False
    else:
        codes = np.empty((0, 0), np.uint16)
    return RawFrame(codes, meta, preview)


def _meta(first: Any, page: Any) -> RawMeta:
    width, height = int(page.imagewidth), int(page.imagelength)
    if not (0 < width <= 65500 and 0 < height <= 65500) or width * height > MAX_PIXELS:
        raise FileProblem(
            tr(
                "its raw image claims {width} x {height} pixels, more than can be real; the file is damaged.",
                width=width,
                height=height,
            )
        )
    mosaic = int(page.photometric) == CFA
    samples = int(page.samplesperpixel)
    if samples != (1 if mosaic else 3):
        raise FileProblem(
            tr(
                "its raw image has {samples} samples per pixel instead of {value}.",
                samples=samples,
                value=tr("1") if mosaic else tr("3"),
            )
        )
    warnings: list[str] = []
    cfa = ""
    if mosaic:
        pattern = bytes(
            np.asarray(
                bytearray(tag_value(page, 33422, b"\0\1\1\2"))
                if isinstance(tag_value(page, 33422), bytes)
                else tag_value(page, 33422, (0, 1, 1, 2)),
                np.uint8,
            )
        )
        if tuple(np.ravel(tag_value(page, 33421, (2, 2)))) != (2, 2) or sorted(pattern) != [0, 1, 1, 2]:
            raise FileProblem(tr("its colour filter pattern is not a 2 x 2 Bayer pattern."))
        cfa = "".join(CFA_LETTERS[c] for c in pattern)
    bits = int(np.max(page.bitspersample))
    floating = int(np.max(tag_value(page, 339, 1))) == 3
    white_default = 1.0 if floating else float((1 << min(bits, 16)) - 1)
    white = rational_of(page, 50717, np.array([white_default]))
    if len(white) not in (1, 3):
        warnings.append(
            tr(
                "The white level has {white_count} values instead of 1 or 3; the full scale of the samples is used.",
                white_count=len(white),
            )
        )
        white = np.array([white_default])
    black = _black(page, mosaic)
    if np.any(white[:, None] <= black.ravel()[None]):
        raise FileProblem(tr("its white level is below its black level; the file is damaged."))
    if not (within(white, (1e-6, 1e6)) and within(black, (-1e6, 1e6))):
        raise FileProblem(tr("its black or white level is impossible; the file is damaged."))
    if (white.min() - black.max()) < 1e-4 * white_default:
        raise FileProblem(tr("there is nothing between its black and its white level; the file is damaged."))
    active = tag_value(page, 50829)
    top, left, bottom, right = (int(v) for v in np.ravel(active)) if active is not None else (0, 0, height, width)
    if not (0 <= left < right <= width and 0 <= top < bottom <= height):
        raise FileProblem(tr("its active area is outside the image; the file is damaged."))
    origin = rational_of(page, 50719, np.zeros(2))
    extent = rational_of(page, 50720, np.array([right - left, bottom - top], float))
    x0, y0 = left + round(float(origin[0])), top + round(float(origin[1]))
    w, h = round(float(extent[0])), round(float(extent[1]))
    if not (w > 1 and h > 1 and x0 >= 0 and y0 >= 0 and x0 + w <= width and y0 + h <= height):
        warnings.append(tr("The default crop is outside the image; the active area is shown instead."))
        x0, y0, w, h = left, top, right - left, bottom - top
    operations = _opcodes(page, warnings)
    if operations.trimmed is not None:
        y1, x1, y2, x2 = operations.trimmed
        x1, y1, x2, y2 = max(x0, left + x1), max(y0, top + y1), min(x0 + w, left + x2), min(y0 + h, top + y2)
        if x2 - x1 > 1 and y2 - y1 > 1:
            x0, y0, w, h = x1, y1, x2 - x1, y2 - y1
        else:
            warnings.append(tr("The trim bounds are outside the picture and are not used."))
    scale = rational_of(page, 50718, np.ones(2))
    if len(scale) != 2 or scale.min() <= 0 or not 0.25 < scale[0] / scale[1] < 4:
        scale = np.ones(2)
    if abs(scale[0] / scale[1] - 1) > 1e-3:
        warnings.append(
            tr(
                "Its pixels are {scale:.3g} times as wide as high; the picture is shown with square pixels.",
                scale=scale[0] / scale[1],
            )
        )
    exif = first.tags.get(EXIF_IFD)
    exif = exif.value if exif is not None and isinstance(exif.value, dict) else {}
    both = _Either(page, first)
    neutral = rational_of(both, 50728)
    calibrations = parse_calibrations(_calibration_tags(both), signature_agrees(both.tags, camera_signature(both)))
    if neutral is None or len(neutral) != 3 or not within(neutral, NEUTRAL):
        if neutral is not None:
            warnings.append(tr("The as-shot neutral is impossible; the sensor's own balance is used."))
        neutral = np.ones(3)
    if not calibrations:
        warnings.append(tr("The file has no colour matrix; its colours are the sensor's own."))
    profile = rational_of(both, 51041)
    noise = None
    if profile is not None and 2 <= len(profile) <= 8 and len(profile) % 2 == 0 and within(profile, (0, 1)):
        noise = profile.reshape(-1, 2)
    elif profile is not None:
        warnings.append(tr("The noise profile is impossible; the noise is measured in the picture."))
    balance = rational_of(both, 50727, np.ones(3))
    if len(balance) != 3 or not within(balance, NEUTRAL):
        warnings.append(tr("The analog balance is impossible and is not used."))
        balance = np.ones(3)
    table = tag_value(page, 50712)
    if int(page.compression) not in COMPRESSIONS:
        raise FileProblem(
            tr(
                "its raw image uses compression method {compression}, which Bruto does not read.",
                compression=int(page.compression),
            )
        )
    compression = COMPRESSIONS[int(page.compression)]
    orientation = int(tag_value(first, ORIENTATION, 1))
    return RawMeta(
        kind="mosaic" if mosaic else "linear",
        width=width,
        height=height,
        bits_container=bits,
        compression=compression,
        cfa=cfa,
        black=black,
        white=white,
        active_area=(left, top, right - left, bottom - top),
        default_crop=(x0, y0, w, h),
        orientation=orientation if 1 <= orientation <= 8 else 1,
        calibrations=calibrations,
        as_shot_neutral=neutral,
        analog_balance=balance,
        baseline_exposure=float(  # with the offset of the file's own profile
            np.clip(rational_of(both, 50730, np.zeros(1))[0] + rational_of(both, 51109, np.zeros(1))[0], -20, 20)
        ),
        noise_profile=noise,
        gain_maps=tuple(operations.maps),
        code_corrections=tuple(operations.codes),
        light_corrections=tuple(operations.light),
        black_rows=_deltas(page, 50716, warnings),
        black_columns=_deltas(page, 50715, warnings),
        opcodes=tuple(operations.names),
        masked_areas=_masked_areas(page, width, height),
        trimmed=operations.trimmed,
        warps=tuple(operations.warps),
        vignettes=tuple(operations.vignettes),
        default_scale=(float(scale[0]), float(scale[1])),
        baseline_noise=_single(both, 50731),
        baseline_sharpness=_single(both, 50732),
        noise_reduction_applied=_single(both, 50935),
        linearisation=None if table is None else np.asarray(table, np.uint16).ravel(),
        **captured(lambda tag: tag_value(first, tag), lambda tag: _exif_value(exif, first, tag)),
        warnings=tuple(warnings),
    )


class _Either:
    """Tags that the standard lets stand with the raw image or in IFD 0: the raw's own go first."""

    def __init__(self, page: Any, first: Any) -> None:
        self._pages = (page, first)

    @property
    def tags(self) -> _Either:
        return self

    def get(self, tag: int) -> Any:
        return next((p.tags.get(tag) for p in self._pages if p.tags.get(tag) is not None), None)

    def __contains__(self, tag: int) -> bool:
        return self.get(tag) is not None


_EXIF_NAMES = {
    ISO_SPEED: "ISOSpeedRatings", EXPOSURE_TIME: "ExposureTime", F_STOP: "FNumber", FOCAL_LENGTH: "FocalLength",
    FOCAL_35MM_FILM: "FocalLengthIn35mmFilm",
}  # fmt: skip
"""What the TIFF reader calls numbers of the Exif directory, which some files hold in IFD 0 instead."""


def _exif_value(exif: dict[str, Any], first: Any, tag: int) -> Any:
    if tag == TAKEN:
        return exif.get("DateTimeOriginal")
    value = exif.get(_EXIF_NAMES[tag])
    if value is None:
        found = rational_of(first, tag)
        return None if found is None or not len(found) else float(found[0])
    values = np.ravel(np.asarray(value, float))
    if len(values) == 2 and tag != ISO_SPEED:
        return float(values[0] / values[1]) if values[1] else None
    return float(values[0]) if len(values) else None


def _single(page: Any, tag: int) -> float | None:
    """One number of a tag that may be undefined (0 / 0), such as NoiseReductionApplied."""
    entry = page.tags.get(tag)
    if entry is None:
        return None
    values = floats_of(entry.value)
    if entry.dtype in (5, 10):
        return float(values[0] / values[1]) if len(values) > 1 and values[1] else None
    return float(values[0])


def _black(page: Any, mosaic: bool) -> NDArray[np.float64]:
    repeat = tuple(int(v) for v in np.ravel(tag_value(page, 50713, (1, 1))))
    level = rational_of(page, 50714, np.zeros(1))
    if not mosaic:
        return np.broadcast_to(level if len(level) in (1, 3) else level[:1], 3).astype(float).copy()
    if len(level) != repeat[0] * repeat[1] or repeat not in ((1, 1), (2, 2), (1, 2), (2, 1)):
        level, repeat = level[:1], (1, 1)
    return np.broadcast_to(level.reshape(repeat), (2, 2)).astype(float).copy()


def _deltas(page: Any, tag: int, warnings: list[str]) -> NDArray[np.float64] | None:
    """Deltas of the black level; impossible ones are left out."""
    found = rational_of(page, tag)
    if found is None or within(found, (-65535, 65535)):
        return found
    warnings.append(tr("The black levels by row or column are impossible and are not used."))
    return None


def _calibration_tags(first: Any) -> dict[int, Any]:
    return {tag: rational_of(first, tag) for tag in (*COLOR, *ILLUMINANT, *CALIBRATION, *FORWARD) if tag in first.tags}


def _masked_areas(page: Any, width: int, height: int) -> tuple[tuple[int, int, int, int], ...]:
    """Areas without light (tag 50830), as left, top, width, height; impossible ones are left out."""
    values = np.ravel(tag_value(page, 50830, ())).astype(np.int64)
    found = []
    for top, left, bottom, right in values[: len(values) // 4 * 4].reshape(-1, 4):
        if 0 <= top < bottom <= height and 0 <= left < right <= width:
            found.append((int(left), int(top), int(right - left), int(bottom - top)))
    return tuple(found[:16])


def _masked_black(codes: NDArray[Any], meta: RawMeta) -> NDArray[np.float64]:
    """Black level of the four mosaic sites, measured where no light fell."""
    ax, ay = meta.active_area[:2]
    result = np.zeros((2, 2))
    for row in (0, 1):
        for column in (0, 1):
            values = []
            for x, y, w, h in meta.masked_areas:
                part = codes[y : y + h, x : x + w]
                values.append(part[(row - y + ay) % 2 :: 2, (column - x + ax) % 2 :: 2].ravel())
            there = np.concatenate(values)
            result[row, column] = float(np.median(there)) if len(there) else 0.0
    return result
