"""Lens corrections of opcode list 3: rectilinear and fisheye warps, and radial vignette (DNG 1.7, chapter 7).

A warp says where in the recorded image the light of a place in the corrected image lies; a vignette is a gain that
grows towards the corners. Places are relative to the image (0..1), distances to the farthest corner from the centre.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import FileProblem

WARP_RECTILINEAR, WARP_FISHEYE, VIGNETTE, TRIM_BOUNDS, WARP_RECTILINEAR_2 = 1, 2, 3, 6, 14
_RADIAL = {WARP_RECTILINEAR: 4, WARP_FISHEYE: 4, WARP_RECTILINEAR_2: 15}
_NUMBERS = {WARP_RECTILINEAR: 6, WARP_FISHEYE: 4, WARP_RECTILINEAR_2: 19}
"""Radial coefficients, and all numbers, of one plane."""


@dataclass(frozen=True)
class Warp:
    """`radial` (planes, 4 or 15), `tangential` (planes, 2), `centre` (x, y) relative; `valid` (planes, 2).

    Range of radii where the second rectilinear form holds.
    """

    opcode: int
    radial: NDArray[np.float64]
    tangential: NDArray[np.float64]
    centre: tuple[float, float]
    valid: NDArray[np.float64] | None = None
    reciprocal: bool = False
    """Its radial factor divides."""


@dataclass(frozen=True)
class Vignette:
    """Gain 1 + k0 r^2 + k1 r^4 + ... + k4 r^10 about a relative centre (x, y)."""

    coefficients: tuple[float, ...]
    centre: tuple[float, float]


def parse_warp(opcode: int, data: bytes, where: str) -> Warp:
    """Parse the parameters of opcode 1, 2 or 14.

    Parameters
    ----------
    opcode
        Opcode by its number.
    data
        Bytes as stored in the file.
    where
        Name of the structure for messages.

    Returns
    -------
    Warp
        Parameters of opcode 1, 2 or 14.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    try:
        (planes,) = struct.unpack_from(">I", data)
        if planes not in (1, 3):
            raise FileProblem(
                tr("{where}: a warp claims {planes} planes; the file is damaged.", where=where, planes=planes)
            )
        each = _NUMBERS[opcode]
        numbers = np.array(struct.unpack_from(f">{planes * each}d", data, 4)).reshape(planes, each)
        centre = struct.unpack_from(">2d", data, 4 + 8 * planes * each)
        reciprocal = opcode == WARP_RECTILINEAR_2 and bool(struct.unpack_from(">I", data, 20 + 8 * planes * each)[0])
    except struct.error as error:
        raise FileProblem(tr("{where}: a warp is cut short; the file is damaged.", where=where)) from error
    if not np.isfinite(numbers).all() or not all(-1 <= c <= 2 for c in centre) or np.abs(numbers).max() > 1e4:
        raise FileProblem(tr("{where}: a warp holds impossible numbers; the file is damaged.", where=where))
    n = _RADIAL[opcode]
    tangential = np.zeros((planes, 2)) if opcode == WARP_FISHEYE else numbers[:, n : n + 2]
    valid = numbers[:, n + 2 : n + 4] if opcode == WARP_RECTILINEAR_2 else None
    return Warp(opcode, numbers[:, :n], tangential, (centre[0], centre[1]), valid, reciprocal)


def parse_vignette(data: bytes, where: str) -> Vignette:
    """Parse the parameters of opcode 3.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    where
        Name of the structure for messages.

    Returns
    -------
    Vignette
        Parameters of opcode 3.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    if len(data) < 56:
        raise FileProblem(tr("{where}: a vignette correction is cut short; the file is damaged.", where=where))
    k = struct.unpack_from(">7d", data)
    if not np.isfinite(k).all() or max(abs(v) for v in k[:5]) > 100 or not all(-1 <= c <= 2 for c in k[5:]):
        raise FileProblem(
            tr("{where}: a vignette correction holds impossible numbers; the file is damaged.", where=where)
        )
    return Vignette(tuple(k[:5]), (k[5], k[6]))


def parse_trim(data: bytes, where: str) -> tuple[int, int, int, int]:
    """Parse the top, left, bottom and right of opcode 6.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    where
        Name of the structure for messages.

    Returns
    -------
    tuple[int, int, int, int]
        Top, left, bottom and right of opcode 6.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    if len(data) < 16:
        raise FileProblem(tr("{where}: the trim bounds are cut short; the file is damaged.", where=where))
    top, left, bottom, right = struct.unpack_from(">4I", data)
    if top >= bottom or left >= right:
        raise FileProblem(tr("{where}: the trim bounds are empty; the file is damaged.", where=where))
    return top, left, bottom, right


def write_warp(w: Warp) -> bytes:
    """Make the parameters as `parse_warp` reads them.

    Parameters
    ----------
    w
        The warp.

    Returns
    -------
    bytes
        Parameters as `parse_warp` reads them.
    """
    parts = [w.radial]
    if w.opcode != WARP_FISHEYE:
        parts.append(w.tangential)
    if w.opcode == WARP_RECTILINEAR_2:
        parts.append(np.tile([0.0, 1.0], (len(w.radial), 1)) if w.valid is None else w.valid)
    numbers = np.concatenate(parts, axis=1)
    body = struct.pack(">I", len(numbers)) + numbers.astype(">f8").tobytes() + struct.pack(">2d", *w.centre)
    return body + (struct.pack(">I", int(w.reciprocal)) if w.opcode == WARP_RECTILINEAR_2 else b"")


def write_vignette(v: Vignette) -> bytes:
    """Make the parameters as `parse_vignette` reads them.

    Parameters
    ----------
    v
        The vignette correction.

    Returns
    -------
    bytes
        Parameters as `parse_vignette` reads them.
    """
    return struct.pack(">7d", *v.coefficients, *v.centre)


def _scale(centre: tuple[float, float], width: int, height: int) -> tuple[float, float, float]:
    """Centre in pixels and the distance of the farthest corner's pixel, for an image of pixels 0..width-1."""
    cx, cy = centre[0] * (width - 1), centre[1] * (height - 1)
    return cx, cy, float(np.hypot(max(cx, width - 1 - cx), max(cy, height - 1 - cy)))


def radial_factor(warp: Warp, r: NDArray[Any], plane: int) -> NDArray[Any]:
    """Compute the source radius / corrected radius at relative radii `r`.

    Parameters
    ----------
    warp
        The warp.
    r
        Red values, or radius.
    plane
        Index of the colour plane, 0 to 2.

    Returns
    -------
    NDArray
        Source radius / corrected radius at relative radii `r`.
    """
    k = warp.radial[min(plane, len(warp.radial) - 1)]
    if warp.opcode == WARP_FISHEYE:
        theta = np.arctan(r)
        t2 = theta * theta
        return np.where(r > 1e-9, theta / np.maximum(r, 1e-9), 1.0) * (k[0] + t2 * (k[1] + t2 * (k[2] + t2 * k[3])))
    if warp.opcode == WARP_RECTILINEAR:
        r2 = r * r
        return k[0] + r2 * (k[1] + r2 * (k[2] + r2 * k[3]))
    valid = warp.valid[min(plane, len(warp.radial) - 1)] if warp.valid is not None else (0.0, 1.0)
    factor = np.polynomial.polynomial.polyval(np.clip(r, *valid), k)
    return 1 / np.where(np.abs(factor) < 1e-6, 1e-6, factor) if warp.reciprocal else factor


def source_places(
    warp: Warp, x: NDArray[Any], y: NDArray[Any], width: int, height: int, plane: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Find where the light of corrected pixels (x, y) was recorded, in pixels of an image of that size.

    Parameters
    ----------
    warp
        The warp.
    x
        Horizontal positions, pixels.
    y
        Vertical positions, pixels.
    width
        Width, pixels.
    height
        Height, pixels.
    plane
        Index of the colour plane, 0 to 2.

    Returns
    -------
    tuple[NDArray[np.float64], NDArray[np.float64]]
        Where the light of corrected pixels (x, y) was recorded, in pixels of an image of that size.
    """
    cx, cy, m = _scale(warp.centre, width, height)
    dx, dy = (x - cx) / m, (y - cy) / m
    r2 = dx * dx + dy * dy
    f = radial_factor(warp, np.sqrt(r2), plane)
    t0, t1 = warp.tangential[min(plane, len(warp.tangential) - 1)]
    sx = f * dx + t0 * 2 * dx * dy + t1 * (r2 + 2 * dx * dx)
    sy = f * dy + t1 * 2 * dx * dy + t0 * (r2 + 2 * dy * dy)
    return cx + m * sx, cy + m * sy


def vignette_gain(
    vignettes: tuple[Vignette, ...], u: NDArray[Any], v: NDArray[Any], aspect: float
) -> NDArray[np.float64]:
    """Compute the product of the gains at relative places u, v (0..1).

    Parameters
    ----------
    vignettes
        Vignette corrections.
    u
        Horizontal positions, shares.
    v
        Values.
    aspect
        Width / height of the image.

    Returns
    -------
    NDArray[np.float64]
        Product of the gains at relative places u, v (0..1).
    """
    total = np.ones(np.broadcast(u, v).shape)
    for item in vignettes:
        cx, cy = item.centre
        far = np.hypot(max(cx, 1 - cx) * aspect, max(cy, 1 - cy))
        r2 = (((u - cx) * aspect) ** 2 + (v - cy) ** 2) / far**2
        total *= 1 + r2 * np.polynomial.polynomial.polyval(r2, np.array(item.coefficients))
    return np.clip(total, 0.05, 50)
