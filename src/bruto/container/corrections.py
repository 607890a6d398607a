"""Point corrections of opcode lists 1 and 2: bad pixels, tables, polynomials, rows and columns (DNG 1.7, chapter 7).

List 1 works on stored codes of the whole image (a unit is 65535), list 2 on linear light of the active area (a unit
is 1). Gain maps stand apart (`opcodes.parse_gain_map`): they change the noise, which others here do not.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import FileProblem

BAD_CONSTANT, BAD_LIST, MAP_TABLE, MAP_POLYNOMIAL = 4, 5, 7, 8
DELTA_ROW, DELTA_COLUMN, SCALE_ROW, SCALE_COLUMN = 10, 11, 12, 13
KNOWN = (BAD_CONSTANT, BAD_LIST, MAP_TABLE, MAP_POLYNOMIAL, DELTA_ROW, DELTA_COLUMN, SCALE_ROW, SCALE_COLUMN)
MAX_BAD = 2_000_000
MAX_DEGREE = 8
LARGEST_VALUE = 1e6
"""Magnitude of a table entry, coefficient, offset or factor that is believed."""


@dataclass(frozen=True)
class Correction:
    """One operation.

    `points` (N, 2) rows and columns of bad pixels.
    """

    opcode: int
    area: tuple[int, ...] = ()
    """Top, left, bottom, right, plane, planes, row and column pitch."""
    values: NDArray[Any] = field(default_factory=lambda: np.zeros(0))
    """Table, coefficients or one number a row or column."""
    points: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 2), np.int64))


def parse_correction(opcode: int, data: bytes, where: str) -> Correction:
    """Parse the operation of one of the `KNOWN` opcodes.

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
    Correction
        The operation of one of the `KNOWN` opcodes.

    Raises
    ------
    FileProblem
        Where its parameters are damaged.
    """
    try:
        if opcode == BAD_CONSTANT:
            return Correction(opcode, values=np.array(struct.unpack_from(">2I", data)[:1], np.float64))
        if opcode == BAD_LIST:
            return Correction(opcode, points=_bad_points(data, where))
        area = struct.unpack_from(">8I", data)
        if area[6] < 1 or area[7] < 1 or area[0] > area[2] or area[1] > area[3]:
            raise FileProblem(tr("{where}: an operation has an impossible area; the file is damaged.", where=where))
        (count,) = struct.unpack_from(">I", data, 32)
        if opcode == MAP_POLYNOMIAL:
            if count > MAX_DEGREE:
                raise FileProblem(
                    tr("{where}: a polynomial claims degree {count}; the file is damaged.", where=where, count=count)
                )
            kind, count = ">f8", count + 1
        else:
            kind = ">u2" if opcode == MAP_TABLE else ">f4"
        values = np.frombuffer(data, kind, count, 36).astype(np.float64)
    except (struct.error, ValueError) as error:
        raise FileProblem(tr("{where}: an operation is cut short; the file is damaged.", where=where)) from error
    if not len(values) or not np.isfinite(values).all() or np.abs(values).max() > LARGEST_VALUE:
        raise FileProblem(tr("{where}: an operation holds impossible numbers; the file is damaged.", where=where))
    return Correction(opcode, area, values)


def _bad_points(data: bytes, where: str) -> NDArray[np.int64]:
    _, points, rects = struct.unpack_from(">3I", data)
    if points + rects > MAX_BAD or 12 + 8 * points + 16 * rects > len(data):
        raise FileProblem(
            tr(
                "{where}: a list of bad pixels claims {points} points and {rects} areas; the file is damaged.",
                where=where,
                points=points,
                rects=rects,
            )
        )
    found = [np.frombuffer(data, ">u4", 2 * points, 12).astype(np.int64).reshape(-1, 2)]
    total = points
    for top, left, bottom, right in (
        np.frombuffer(data, ">u4", 4 * rects, 12 + 8 * points).astype(np.int64).reshape(-1, 4)
    ):
        total += max(0, bottom - top) * max(0, right - left)
        if total > MAX_BAD:
            raise FileProblem(
                tr("{where}: the areas of bad pixels are larger than can be real; the file is damaged.", where=where)
            )
        rows, columns = np.mgrid[top:bottom, left:right]
        found.append(np.stack([rows.ravel(), columns.ravel()], axis=1))
    return np.concatenate(found)


def write_correction(c: Correction) -> bytes:
    """Make the parameters of an operation, as `parse_correction` reads them.

    Parameters
    ----------
    c
        The operation.

    Returns
    -------
    bytes
        Parameters of an operation, as `parse_correction` reads them.
    """
    if c.opcode == BAD_CONSTANT:
        return struct.pack(">2I", int(c.values[0]), 0)
    if c.opcode == BAD_LIST:
        return struct.pack(">3I", 0, len(c.points), 0) + c.points.astype(">u4").tobytes()
    count = len(c.values) - 1 if c.opcode == MAP_POLYNOMIAL else len(c.values)
    kind = ">f8" if c.opcode == MAP_POLYNOMIAL else (">u2" if c.opcode == MAP_TABLE else ">f4")
    return struct.pack(">9I", *c.area, count) + c.values.astype(kind).tobytes()


def _places(start: int, stop: int, pitch: int, origin: int, size: int) -> tuple[slice, int]:
    """Every `pitch`-th line from `start` to `stop` as a slice of an array that begins at `origin`.

    The number of the first comes with it.
    """
    first = max(0, -(-(origin - start) // pitch))
    local = start + first * pitch - origin
    return slice(min(local, size), max(0, min(stop - origin, size)), pitch), first


def apply_corrections(
    data: NDArray[Any], corrections: tuple[Correction, ...], origin: tuple[int, int] = (0, 0)
) -> None:
    """Apply operations in their order to (H, W) or (H, W, 3), in place.

    Integers are taken as codes (a unit is 65535), floats as light (a unit is 1).

    Parameters
    ----------
    data
        Samples, changed in place.
    corrections
        Corrections in order.
    origin
        Row and column of its first pixel.
    """
    unit = 65535.0 if data.dtype.kind == "u" else 1.0
    for c in corrections:
        if c.opcode == BAD_CONSTANT:
            _mend(data, np.argwhere((data if data.ndim == 2 else data[..., 0]) == c.values[0]))
            continue
        if c.opcode == BAD_LIST:
            _mend(data, c.points - np.array(origin))
            continue
        top, left, bottom, right, plane, planes, row_pitch, column_pitch = c.area
        rows, first_row = _places(top, bottom, row_pitch, origin[0], data.shape[0])
        columns, first_column = _places(left, right, column_pitch, origin[1], data.shape[1])
        if data.ndim == 3:
            part = data[rows, columns, plane : min(plane + planes, 3)]
        elif plane > 0:
            continue
        else:
            part = data[rows, columns]
        if part.size == 0:
            continue
        value = _mapped(part.astype(np.float64) / unit, c, first_row, first_column) * unit
        if data.dtype.kind == "u":
            value = np.clip(np.rint(value), 0, np.iinfo(data.dtype).max)
        part[...] = value


def _mapped(x: NDArray[np.float64], c: Correction, first_row: int, first_column: int) -> NDArray[np.float64]:
    """Find what an operation makes of values in units."""
    if c.opcode == MAP_TABLE:
        place = np.clip(x * 65535.0, 0, len(c.values) - 1)
        low = np.floor(place).astype(np.int64)
        high = np.minimum(low + 1, len(c.values) - 1)
        return (c.values[low] + (c.values[high] - c.values[low]) * (place - low)) / 65535.0
    if c.opcode == MAP_POLYNOMIAL:
        return np.clip(np.polynomial.polynomial.polyval(np.clip(x, 0, 1), c.values), 0, 1)
    along_rows = c.opcode in (DELTA_ROW, SCALE_ROW)
    first, count = (first_row, x.shape[0]) if along_rows else (first_column, x.shape[1])
    lines = np.full(count, 0.0 if c.opcode in (DELTA_ROW, DELTA_COLUMN) else 1.0)
    there = c.values[first : first + count]
    lines[: len(there)] = there
    shape = [1] * x.ndim
    shape[0 if along_rows else 1] = count
    lines = lines.reshape(shape)
    return x + lines if c.opcode in (DELTA_ROW, DELTA_COLUMN) else x * lines


def _mend(data: NDArray[Any], points: NDArray[np.int64]) -> None:
    """Bad pixels become the mean of their good neighbours of the same colour, nearest first."""
    h, w = data.shape[:2]
    points = points[((points >= 0) & (points < [h, w])).all(axis=1)]
    if not len(points):
        return
    bad = np.zeros((h, w), bool)
    bad[points[:, 0], points[:, 1]] = True
    step = 2 if data.ndim == 2 else 1
    total = np.zeros((len(points), *data.shape[2:]))
    count = np.zeros(len(points))
    for reach in (1, 2, 3):
        open_still = count == 0
        if not open_still.any():
            break
        for dy, dx in ((-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (-1, 1), (1, -1), (1, 1)):
            if reach == 1 and dy and dx:
                continue
            q = points + np.array([dy, dx]) * step * reach
            good = open_still & ((q >= 0) & (q < [h, w])).all(axis=1)
            qy, qx = np.clip(q[:, 0], 0, h - 1), np.clip(q[:, 1], 0, w - 1)
            good &= ~bad[qy, qx]
            total[good] += data[qy[good], qx[good]]
            count[good] += 1
    done = count > 0
    mean = total[done] / count[done].reshape(-1, *[1] * (total.ndim - 1))
    data[points[done, 0], points[done, 1]] = np.rint(mean) if data.dtype.kind == "u" else mean
