"""The tags of a DNG to be written, as entries of its directories: (tag, TIFF type, values)."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.container.corrections import Correction, write_correction
from bruto.container.merge_record import TAG as MERGED_TAG
from bruto.container.merge_record import private_of
from bruto.container.opcodes import GAIN_MAP, gain_map_body, write_opcodes
from bruto.container.profile import CALIBRATION, COLOR, FORWARD, ILLUMINANT, Calibration, CameraProfile
from bruto.container.profile_writer import profile_entries
from bruto.container.raw_frame import CFA_LETTERS, GainMap, GpsPlace, SemanticMask
from bruto.container.warps import VIGNETTE, Vignette, Warp, write_vignette, write_warp

Entry = tuple[int, int, Any]
GAIN_TABLES = (52525, 52544)
"""ProfileGainTableMap and its second version (DNG 1.7), which may stand in IFD 0 or with the raw image."""
BYTE, ASCII, SHORT, LONG, RATIONAL, UNDEFINED, SRATIONAL, FLOAT, DOUBLE = 1, 2, 3, 4, 5, 7, 10, 11, 12
"""TIFF 6.0 types."""


@dataclass(frozen=True)
class DngTags:
    """What goes into a file besides pixels; see `rawframe.RawMeta` for units."""

    black: NDArray[np.float64]
    white: NDArray[np.float64]
    bits: int
    calibrations: tuple[Calibration, ...]
    as_shot_neutral: NDArray[np.float64]
    cfa: str = ""
    analog_balance: NDArray[np.float64] | None = None
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
    merged: str = ""  # what was merged how, see `provenance.merged_of`
    taken: str = ""  # Exif form, "2026:06:21 12:00:00"
    iso: float | None = None
    exposure_s: float | None = None
    f_number: float | None = None
    focal_mm: float | None = None
    focal_35mm: float | None = None
    source_files: tuple[str, ...] = field(default=())
    linearisation: NDArray[np.uint16] | None = None
    masked_areas: tuple[tuple[int, int, int, int], ...] = ()
    warps: tuple[Warp, ...] = ()
    vignettes: tuple[Vignette, ...] = ()
    profile: CameraProfile | None = None  # the file's own look; its calibrations are those of the file
    extra_profiles: tuple[CameraProfile, ...] = ()
    gain_table_with_raw: bool = False  # the local gain table stands with the raw image instead of in IFD 0
    masks: tuple[SemanticMask, ...] = ()
    noise_reduction_applied: float | None = None
    baseline_noise: float | None = None
    baseline_sharpness: float | None = None
    default_scale: tuple[float, float] = (1.0, 1.0)
    gps: GpsPlace | None = None
    camera_signature: str = ""
    state_black: bool = True  # False leaves the black level to the masked areas


def rationals(values: Any, limit: int = 100_000) -> list[int]:
    """Return the numerators and denominators, flat.

    Parameters
    ----------
    values
        Numbers, of any shape.
    limit
        Largest number.

    Returns
    -------
    list[int]
        Numerators and denominators, flat.
    """
    flat: list[int] = []
    for v in np.ravel(values):
        f = Fraction(float(v)).limit_denominator(limit)
        flat += [f.numerator, f.denominator]
    return flat


def _text(tag: int, text: str) -> list[Entry]:
    return [(tag, ASCII, text.encode("utf-8", "replace") + b"\0")] if text else []


def file_entries(tags: DngTags, order: str, version: int) -> list[Entry]:
    """Return the tags of the whole file, which stand in IFD 0.

    Parameters
    ----------
    tags
        Tags to write.
    order
        Byte order, "<" or ">".
    version
        Least DNG 1.x that can read it.

    Returns
    -------
    list[Entry]
        Tags of the whole file, which stand in IFD 0.
    """
    unique = f"{tags.make} {tags.model}".strip() or "Bruto merged frame"
    found: list[Entry] = [
        (50706, BYTE, [1, max(4, version), 0, 0]),
        (50707, BYTE, [1, version, 0, 0]),
        *_text(50708, unique),
        (50728, RATIONAL, rationals(tags.as_shot_neutral, 1_000_000)),
        (50730, SRATIONAL, rationals(tags.baseline_exposure)),
        (274, SHORT, [tags.orientation]),
        *_text(270, tags.description),
        *_text(271, tags.make),
        *_text(272, tags.model),
        *_text(305, tags.software),
        *([(MERGED_TAG, BYTE, list(private_of(tags.merged)))] if tags.merged else []),
        *_text(306, tags.taken),
        *_text(50931, tags.camera_signature),
    ]
    if tags.source_files:
        found += _text(50827, "; ".join(tags.source_files)[:60000])
    if tags.analog_balance is not None:
        found.append((50727, RATIONAL, rationals(tags.analog_balance)))
    for k, c in enumerate(tags.calibrations[:3]):
        found += [(COLOR[k], SRATIONAL, rationals(c.color)), (ILLUMINANT[k], SHORT, [c.illuminant])]
        if c.forward is not None:
            found.append((FORWARD[k], SRATIONAL, rationals(c.forward)))
        if c.camera_calibration is not None:
            found.append((CALIBRATION[k], SRATIONAL, rationals(c.camera_calibration)))
    for tag, value in ((50731, tags.baseline_noise), (50732, tags.baseline_sharpness)):
        if value is not None:
            found.append((tag, RATIONAL, rationals(value)))
    if tags.profile is not None:
        elsewhere = (*COLOR, *ILLUMINANT, *FORWARD, *CALIBRATION, *(GAIN_TABLES if tags.gain_table_with_raw else ()))
        found += [e for e in profile_entries(tags.profile, order) if e[0] not in elsewhere]
    return found


def raw_entries(tags: DngTags, shape: tuple[int, ...], order: str) -> list[Entry]:
    """Return the tags of the raw image: areas, levels, noise and corrections.

    Parameters
    ----------
    tags
        Tags to write.
    shape
        Shape of the array.
    order
        Byte order, "<" or ">".

    Returns
    -------
    list[Entry]
        Tags of the raw image.
    """
    mosaic = len(shape) == 2
    height, width = shape[:2]
    active = tags.active_area or (0, 0, width, height)
    crop = tags.default_crop or (0, 0, active[2], active[3])
    white = np.ravel(tags.white)
    found: list[Entry] = [
        (50829, LONG, [active[1], active[0], active[1] + active[3], active[0] + active[2]]),
        (50719, LONG, [crop[0], crop[1]]),
        (50720, LONG, [crop[2], crop[3]]),
        (50717, LONG, [int(v) for v in (white if mosaic else np.broadcast_to(white, 3))]),
        (50713, SHORT, [2, 2] if mosaic else [1, 1]),
    ]
    if tags.state_black:
        found.append((50714, RATIONAL, rationals(tags.black if mosaic else np.broadcast_to(tags.black, 3))))
    if mosaic:
        found += [
            (33421, SHORT, [2, 2]),
            (33422, BYTE, [CFA_LETTERS.index(c) for c in tags.cfa]),
            (50711, SHORT, [1]),
        ]
    if tags.default_scale != (1.0, 1.0):
        found.append((50718, RATIONAL, rationals(tags.default_scale)))
    if tags.noise_profile is not None:
        found.append((51041, DOUBLE, np.asarray(tags.noise_profile, float).ravel()))
    if tags.noise_reduction_applied is not None:
        found.append((50935, RATIONAL, rationals(tags.noise_reduction_applied)))
    if tags.linearisation is not None:
        found.append((50712, SHORT, tags.linearisation))
    if tags.masked_areas:
        areas = [v for x, y, w, h in tags.masked_areas for v in (y, x, y + h, x + w)]
        found.append((50830, LONG, areas))
    if tags.code_corrections:
        body = write_opcodes([(c.opcode, write_correction(c)) for c in tags.code_corrections])
        found.append((51008, UNDEFINED, body))
    if tags.gain_maps or tags.light_corrections:
        operations = [(c.opcode, write_correction(c)) for c in tags.light_corrections]
        operations += [(GAIN_MAP, gain_map_body(m)) for m in tags.gain_maps]
        found.append((51009, UNDEFINED, write_opcodes(operations)))
    if tags.warps or tags.vignettes:
        operations = [(VIGNETTE, write_vignette(v)) for v in tags.vignettes]
        operations += [(w.opcode, write_warp(w)) for w in tags.warps]
        found.append((51022, UNDEFINED, write_opcodes(operations)))
    if tags.profile is not None and tags.gain_table_with_raw:
        found += [e for e in profile_entries(tags.profile, order) if e[0] in GAIN_TABLES]
    for tag, deltas in ((50715, tags.black_columns), (50716, tags.black_rows)):
        if deltas is not None:
            found.append((tag, SRATIONAL, rationals(deltas)))
    return found
