"""What two renderings of one scene have lost and kept, in numbers with a sentence each."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment, register
from bruto.catalog import tr
from bruto.compare.maps import difference_map, lab_of_codes
from bruto.compare.measures import MEASURES, MeasuredSide
from bruto.errors import BrutoError
from bruto.parallel import map_threads

COMPARE_EDGE = 2016
FEW_BITS = 1.0
"""Bits a pixel below which a JPEG shows its blocks (Wallace 1992, "The JPEG still picture compression standard")."""
NEARLY_GREY = 8.0
"""Chroma (CIELAB) in one of both below which a place counts as grey."""


@dataclass(frozen=True)
class StoredSide:
    """What a file takes: its `size`, bytes, for so many `pixels`."""

    size: int
    pixels: int

    @property
    def bits_per_pixel(self) -> float:
        """Bits of the file a pixel."""
        return 8 * self.size / max(self.pixels, 1)


def _plain(side: dict[str, float], stored: StoredSide | None) -> dict[str, float | None]:
    found: dict[str, float | None] = {k: None if math.isnan(v) else v for k, v in side.items()}
    found["file_bytes"] = None if stored is None else stored.size
    found["bits_per_pixel"] = None if stored is None else round(stored.bits_per_pixel, 3)
    return found


@dataclass(frozen=True)
class Comparison:
    """Measures of both by their keys, their alignment and difference.

    `first`, `second` (H, W, 3) uint8 lie on one grid, `valid` (H, W) where both exist; `labs` both in CIELAB.
    """

    alignment: Alignment
    a: dict[str, float]
    b: dict[str, float]
    delta_e00_median: float
    delta_e00_p95: float
    delta_l_mean: float
    first: NDArray[np.uint8]
    second: NDArray[np.uint8]
    valid: NDArray[np.bool_]
    labs: tuple[NDArray[np.float32], NDArray[np.float32]]
    stored: tuple[StoredSide | None, StoredSide | None] = (None, None)
    """What the files take, where that is known."""

    def as_json(self) -> dict[str, Any]:
        """Find what the command line prints; numbers that could not be measured are null."""
        a, b = (_plain(side, stored) for side, stored in zip((self.a, self.b), self.stored, strict=True))
        names = ("residual_px", "model_px", "tracks")
        return {
            "registration": {name: getattr(self.alignment, name) for name in names}, "a": a, "b": b,
            "difference": {n: getattr(self, n) for n in ("delta_e00_median", "delta_e00_p95", "delta_l_mean")},
        }  # fmt: skip

    @cached_property
    def map(self) -> NDArray[np.float32]:
        """CIEDE2000 (H, W), made when it is first wanted."""
        return difference_map(*self.labs)


def _flat_mask(lab: NDArray[np.float32], valid: NDArray[Any]) -> NDArray[np.bool_]:
    """Compute the flattest tenth of the mid-toned 8 x 8 neighbourhoods common to both pictures."""
    l = lab[..., 0]
    smooth = cv2.GaussianBlur(l, (0, 0), 4)
    change = np.hypot(cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1))
    usable = valid & (l > 12) & (l < 92)
    if usable.sum() < 500:
        usable = valid
    return usable & (change <= np.quantile(change[usable][::7], 0.10))


@dataclass(frozen=True)
class Aligned:
    """Two pictures on one grid: `first`, `second` (H, W, 3) uint8, `valid` (H, W) where both exist."""

    alignment: Alignment
    first: NDArray[np.uint8]
    second: NDArray[np.uint8]
    valid: NDArray[np.bool_]


def aligned(first: NDArray[np.uint8], second: NDArray[np.uint8], model: str = "lens") -> Aligned:
    """Bring the second of two oriented sRGB pictures (H, W, 3) of one scene, of any sizes, onto the first.

    Both are reduced to `COMPARE_EDGE`.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.
    model
        Motion model of the alignment.

    Returns
    -------
    Aligned
        See `Aligned`.

    Raises
    ------
    BrutoError
        Where they cannot be aligned.
    """
    a, b = reduced(first), reduced(second)
    greys = [cv2.cvtColor(x, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255 for x in (a, b)]
    alignment = register(greys[0] ** 2, greys[1] ** 2, model)
    moved, valid = brought(b, alignment)
    if valid.mean() < 0.1:
        raise BrutoError(tr("The two pictures share too little of the scene to be compared."))
    # the residual is stated in pixels of the first picture as given
    scale = max(first.shape) / max(a.shape)
    alignment = replace(alignment, residual_px=alignment.residual_px * scale, model_px=alignment.model_px * scale)
    return Aligned(alignment, a, moved, valid)


def brought(second: NDArray[np.uint8], alignment: Alignment) -> tuple[NDArray[np.uint8], NDArray[np.bool_]]:
    """Compute a picture (H, W, 3), reduced as it was aligned, on the first one's grid.

    It comes with a map of where it has something there.

    Parameters
    ----------
    second
        Second picture.
    alignment
        Mapping from the first picture to the second.

    Returns
    -------
    tuple[NDArray[np.uint8], NDArray[np.bool_]]
        A picture (H, W, 3), reduced as it was aligned, on the first one's grid, and where it has something
        there.
    """
    b = reduced(second)
    mx, my = alignment.maps()
    moved = cv2.remap(b, mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    valid = (mx >= 0) & (my >= 0) & (mx <= b.shape[1] - 1) & (my <= b.shape[0] - 1)
    return moved, valid


def compare(first: NDArray[np.uint8], second: NDArray[np.uint8], model: str = "lens") -> Comparison:
    """Compare two oriented sRGB pictures (H, W, 3) of one scene, of any sizes, at equal output size.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.
    model
        Motion model of the alignment.

    Returns
    -------
    Comparison
        See `Comparison`.

    Raises
    ------
    BrutoError
        Where they cannot be aligned.
    """
    return measured(aligned(first, second, model))


def measured(pair: Aligned, stored: tuple[StoredSide | None, StoredSide | None] = (None, None)) -> Comparison:
    """Find what two pictures on one grid have lost and kept.

    Parameters
    ----------
    pair
        Both pictures on one grid.
    stored
        What their files take.

    Returns
    -------
    Comparison
        What two pictures on one grid have lost and kept.
    """
    valid = pair.valid
    lab_a, lab_b = (lab_of_codes(x) for x in (pair.first, pair.second))
    flat = _flat_mask(lab_a, valid) & _flat_mask(lab_b, valid)
    if flat.sum() < 200:
        flat = _flat_mask(lab_a, valid)
    busy = valid & ~cv2.dilate(flat.astype(np.uint8), np.ones((9, 9))).astype(bool)
    # colour, not grain: blurred, and every second place of it
    blurred = difference_map(*(cv2.GaussianBlur(x, (0, 0), 2.0)[::2, ::2] for x in (lab_a, lab_b)))
    grey = valid & (np.minimum(*(np.hypot(lab[..., 1], lab[..., 2]) for lab in (lab_a, lab_b))) < NEARLY_GREY)
    one = MeasuredSide(lab_a, valid, flat, busy, grey)
    other = MeasuredSide(lab_b, valid, flat, busy, grey, one)
    of_one, of_other = map_threads(_measured, (one, other))
    return Comparison(
        pair.alignment,
        of_one,
        of_other,
        float(np.median(blurred[valid[::2, ::2]])),
        float(np.percentile(blurred[valid[::2, ::2]], 95)),
        float((lab_b[..., 0] - lab_a[..., 0])[valid].mean()),
        pair.first,
        pair.second,
        valid,
        (lab_a, lab_b),
        stored,
    )


def reduced(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Compute a picture with a long edge of `COMPARE_EDGE` at most.

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.

    Returns
    -------
    NDArray[np.uint8]
        A picture with a long edge of `COMPARE_EDGE` at most.
    """
    scale = COMPARE_EDGE / max(picture.shape)
    return (
        cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        if scale < 1
        else np.ascontiguousarray(picture)
    )


def _measured(seen: MeasuredSide) -> dict[str, float]:
    return {measure.key: measure.of(seen) for measure in MEASURES}


def _stored_rows(c: Comparison, first: str, second: str) -> list[tuple[str, str, str, str]]:
    one, other = (s for s in c.stored if s is not None)
    ratio = one.size / max(other.size, 1)
    alike = 0.8 < ratio < 1.25
    larger, smaller, times = (first, second, ratio) if ratio > 1 else (second, first, 1 / max(ratio, 1e-9))
    text = (
        tr("Both take about the same storage.")
        if alike
        else tr(
            "The {larger} takes {times:.1f} times the storage of the {smaller}.",
            larger=larger,
            times=times,
            smaller=smaller,
        )
    )
    rows = [(tr("File, MB"), *(f"{s.size / 1e6:.1f}" for s in (one, other)), text)]
    few = min(one.bits_per_pixel, other.bits_per_pixel)
    text = (
        tr("Below {FEW_BITS:.0f}, compression becomes visible in a finished picture.", FEW_BITS=FEW_BITS)
        if few < FEW_BITS
        else ""
    )
    rows.append((tr("Bits per pixel"), *(f"{s.bits_per_pixel:.1f}" for s in (one, other)), text))
    return rows  # type: ignore[return-value]


def sentences(c: Comparison, first: str = "raw", second: str = "phone's picture") -> list[tuple[str, str, str, str]]:
    """Return the rows for a table: name with unit, value of each side, a plain sentence.

    Parameters
    ----------
    c
        The comparison.
    first
        The first of them.
    second
        The second of them.

    Returns
    -------
    list[tuple[str, str, str, str]]
        Rows for a table.
    """
    rows = []
    for measure in MEASURES:
        a, b = c.a[measure.key], c.b[measure.key]
        one, other = ("–" if math.isnan(v) else f"{v:.{measure.digits}f}" for v in (a, b))
        rows.append((measure.title, one, other, measure.sentence(a, b, first, second)))
    if all(c.stored):
        rows += _stored_rows(c, first, second)
    text = tr("Half of the picture differs by less than the first number, 95 % by less than the second.")
    rows.append((tr("Colour difference, ΔE00"), f"{c.delta_e00_median:.1f}", f"{c.delta_e00_p95:.1f}", text))
    return rows
