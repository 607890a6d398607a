"""What a raw file holds, as stored: the hand-over between the readers and everything after them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.capture_facts import CaptureFacts
from bruto.container.corrections import Correction
from bruto.container.profile import Calibration, CameraProfile
from bruto.container.warps import Vignette, Warp
from bruto.errors import FileProblem

CFA_LETTERS = "RGB"


@dataclass(frozen=True)
class GainMap:
    """Opcode 9 of the DNG specification: gains on a grid, for every `pitch`-th row and column from `top`, `left`.

    `gains` (V, H, planes) float32; spacing and origin are relative to the image (0..1).
    """

    top: int
    left: int
    bottom: int
    right: int
    plane: int
    planes: int
    row_pitch: int
    column_pitch: int
    spacing: tuple[float, float]
    origin: tuple[float, float]
    gains: NDArray[np.float32]


@dataclass(frozen=True)
class SemanticMask:
    """A mask that the phone put into the file, such as of the sky (DNG 1.6, SemanticName).

    `data` (h, w) uint8, 255 = belongs to it, over the default crop, unoriented.
    """

    name: str
    width: int
    height: int
    data: NDArray[np.uint8] | None = None


@dataclass(frozen=True)
class GpsPlace:
    """Where a shot was taken: degrees, north and east positive, and metres above sea level where stated."""

    latitude: float
    longitude: float
    altitude_m: float | None = None


@dataclass(frozen=True)
class RawMeta(CaptureFacts):
    """Everything but the pixels. Areas are (left, top, width, height) in pixels of the stored image."""

    kind: str  # "mosaic" or "linear"
    width: int
    height: int
    bits_container: int
    compression: str
    cfa: str  # such as "RGGB", "" for linear
    black: NDArray[np.float64]  # (2, 2) for mosaics, (3,) for linear, in codes
    white: NDArray[np.float64]  # one for each plane, in codes
    active_area: tuple[int, int, int, int]
    default_crop: tuple[int, int, int, int]
    orientation: int = 1
    calibrations: tuple[Calibration, ...] = ()
    as_shot_neutral: NDArray[np.float64] = field(default_factory=lambda: np.ones(3))
    analog_balance: NDArray[np.float64] = field(default_factory=lambda: np.ones(3))
    baseline_exposure: float = 0.0
    noise_profile: NDArray[np.float64] | None = None  # (planes, 2): a, b of variance a x + b, x in 0..1
    gain_maps: tuple[GainMap, ...] = ()
    code_corrections: tuple[Correction, ...] = ()  # opcode list 1
    light_corrections: tuple[Correction, ...] = ()  # opcode list 2 but for its gain maps, which follow
    black_rows: NDArray[np.float64] | None = None  # BlackLevelDeltaV, codes a row of the active area
    black_columns: NDArray[np.float64] | None = None  # BlackLevelDeltaH, codes a column of the active area
    opcodes: tuple[str, ...] = ()
    linearisation: NDArray[np.uint16] | None = None
    masked_areas: tuple[tuple[int, int, int, int], ...] = ()  # left, top, width, height: sites without light
    trimmed: tuple[int, int, int, int] | None = None  # what opcode TrimBounds leaves of the image
    warps: tuple[Warp, ...] = ()  # opcode list 3, in order
    vignettes: tuple[Vignette, ...] = ()  # opcode list 3; their gain is applied with the lens shading
    profiles: tuple[CameraProfile, ...] = ()  # the file's own first
    semantic_masks: tuple[SemanticMask, ...] = ()
    default_scale: tuple[float, float] = (1.0, 1.0)  # horizontal, vertical: shape of a pixel
    baseline_noise: float | None = None  # relative to what the program that wrote the profile calls normal
    baseline_sharpness: float | None = None
    noise_reduction_applied: float | None = None  # 0 none, 1 as much as is ideal
    gps: GpsPlace | None = None
    previews: tuple[tuple[int, int, str], ...] = ()  # width, height and compression of every picture in the file
    preview_size: tuple[int, int] | None = None
    warnings: tuple[str, ...] = ()

    @property
    def square_size(self) -> tuple[int, int]:
        """Width and height of the default crop, unoriented, in square pixels.

        Pixels that are not square are made so by enlarging their shorter side (DefaultScale).
        """
        w, h = self.default_crop[2:]
        sx, sy = self.default_scale
        least = min(sx, sy)
        return round(w * sx / least), round(h * sy / least)

    @property
    def oriented_size(self) -> tuple[int, int]:
        """Width and height of the default crop as it is to be looked at."""
        w, h = self.square_size
        return (h, w) if self.orientation >= 5 else (w, h)


@dataclass(frozen=True)
class RawFrame:
    """What a raw file holds: sensor codes as stored, what they mean, and the embedded preview."""

    codes: NDArray[Any]
    """(H, W) mosaic or (H, W, 3) linear, as stored, read-only; uint8, uint16, float16 or float32."""
    meta: RawMeta
    preview: bytes | None = None  # the embedded JPEG


@dataclass(frozen=True)
class Linear:
    """Linear light, 1.0 = saturation before the lens-shading gains."""

    data: NDArray[np.float32]
    """Float32, (H, W) mosaic or (H, W, 3), cropped to the default crop."""
    clipped: NDArray[np.uint8]
    """Uint8 (ceil(H/2), ceil(W/2)), bits 1, 2, 4 for red, green, blue sites of a quad at or over white."""
    cfa: str
    """The mosaic's pattern at the crop's corner."""
    gain: float
    """The largest shading gain."""


def shifted_cfa(cfa: str, x: int, y: int) -> str:
    """Return the pattern seen from (x, y).

    Parameters
    ----------
    cfa
        Bayer pattern, for example "RGGB".
    x
        Columns by which the pattern is shifted.
    y
        Rows by which the pattern is shifted.

    Returns
    -------
    str
        The pattern seen from (x, y).

    Examples
    --------
    >>> shifted_cfa("RGGB", 1, 0)
    'GRBG'
    """
    return "".join(cfa[((r + y) % 2) * 2 + (c + x) % 2] for r in (0, 1) for c in (0, 1))


LEAST_SIDE = 8
"""Pixels along a side of a picture that is developed or measured, at least: all steps look at neighbourhoods."""


def check_size(meta: RawMeta) -> None:
    """Refuse a picture that is too small to be developed.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Raises
    ------
    FileProblem
        Where the default crop is too small to be developed or measured.
    """
    w, h = meta.default_crop[2:]
    if min(w, h) < LEAST_SIDE:
        raise FileProblem(tr("the picture is only {w} × {h} pixels, too small to be developed or measured.", w=w, h=h))
