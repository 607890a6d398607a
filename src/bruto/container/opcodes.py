"""Opcode lists of DNG files (DNG 1.7, chapter 7): parsing and writing, always big-endian."""

from __future__ import annotations

import struct
from collections.abc import Sequence

import numpy as np

from bruto.catalog import tr
from bruto.container.raw_frame import GainMap
from bruto.errors import FileProblem

NAMES = {
    1: "WarpRectilinear",
    2: "WarpFisheye",
    3: "FixVignetteRadial",
    4: "FixBadPixelsConstant",
    5: "FixBadPixelsList",
    6: "TrimBounds",
    7: "MapTable",
    8: "MapPolynomial",
    9: "GainMap",
    10: "DeltaPerRow",
    11: "DeltaPerColumn",
    12: "ScalePerRow",
    13: "ScalePerColumn",
    14: "WarpRectilinear2",
}
GAIN_MAP = 9
OPTIONAL = 1
MAX_OPCODES = 1000
MAX_GRID = 1 << 22
MAX_GAIN = 1000.0
"""Largest gain of a lens-shading map that is believed; real ones stay below 20."""
_HEAD = ">10I"


def parse_opcodes(data: bytes, where: str) -> list[tuple[int, int, bytes]]:
    """Parse (number, flags, parameters) of an opcode list.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    where
        Name of the structure for messages.

    Returns
    -------
    list[tuple[int, int, bytes]]
        (number, flags, parameters) of an opcode list.

    Raises
    ------
    FileProblem
        Where it is damaged.
    """
    if len(data) < 4:
        raise FileProblem(
            tr("{where} is too short ({data_count} bytes); the file is damaged.", where=where, data_count=len(data))
        )
    (count,) = struct.unpack_from(">I", data)
    if count > MAX_OPCODES:
        raise FileProblem(tr("{where} claims {count} operations; the file is damaged.", where=where, count=count))
    found, at = [], 4
    for k in range(count):
        if at + 16 > len(data):
            raise FileProblem(
                tr(
                    "{where} ends inside operation {k} of {count}; the file is damaged.",
                    where=where,
                    k=k + 1,
                    count=count,
                )
            )
        number, _, flags, size = struct.unpack_from(">4I", data, at)
        if at + 16 + size > len(data):
            raise FileProblem(
                tr(
                    "{where}: operation {k} of {count} is cut short; the file is damaged.",
                    where=where,
                    k=k + 1,
                    count=count,
                )
            )
        found.append((number, flags, data[at + 16 : at + 16 + size]))
        at += 16 + size
    return found


def parse_gain_map(data: bytes, where: str) -> GainMap:
    """Parse the parameters of opcode 9.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    where
        Name of the structure for messages.

    Returns
    -------
    GainMap
        Parameters of opcode 9.
    """
    head = struct.calcsize(_HEAD)
    if len(data) < head + 36:
        raise FileProblem(tr("{where}: a gain map is cut short; the file is damaged.", where=where))
    top, left, bottom, right, plane, planes, row_pitch, column_pitch, v, h = struct.unpack_from(_HEAD, data)
    sv, sh, ov, oh = struct.unpack_from(">4d", data, head)
    (map_planes,) = struct.unpack_from(">I", data, head + 32)
    count = v * h * map_planes
    if not 0 < count <= MAX_GRID or head + 36 + 4 * count > len(data):
        raise FileProblem(
            tr(
                "{where}: a gain map claims {v} x {h} x {map_planes} points; the file is damaged.",
                where=where,
                v=v,
                h=h,
                map_planes=map_planes,
            )
        )
    if not max(abs(q) for q in (sv, sh, ov, oh)) <= 1e3 or min(sv, sh) < 0 or min(row_pitch, column_pitch) < 1:
        raise FileProblem(tr("{where}: a gain map has an impossible grid; the file is damaged.", where=where))
    gains = np.frombuffer(data, ">f4", count, head + 36).astype(np.float32).reshape(v, h, map_planes)
    if not np.isfinite(gains).all() or gains.min() < 0 or gains.max() > MAX_GAIN:
        raise FileProblem(tr("{where}: a gain map holds impossible gains; the file is damaged.", where=where))
    return GainMap(
        top,
        left,
        bottom,
        right,
        plane,
        planes,
        row_pitch,
        column_pitch,
        (max(sv, 1e-6), max(sh, 1e-6)),
        (ov, oh),
        gains,
    )


def gain_map_body(m: GainMap) -> bytes:
    """Return the parameters of opcode 9, as `parse_gain_map` reads them.

    Parameters
    ----------
    m
        The gain map.

    Returns
    -------
    bytes
        Parameters of opcode 9, as `parse_gain_map` reads them.
    """
    v, h, planes = m.gains.shape
    head = (m.top, m.left, m.bottom, m.right, m.plane, m.planes, m.row_pitch, m.column_pitch, v, h)
    body = struct.pack(_HEAD, *head) + struct.pack(">4dI", *m.spacing, *m.origin, planes)
    return body + m.gains.astype(">f4").tobytes()


def write_opcodes(operations: Sequence[tuple[int, bytes]], flags: int = 0) -> bytes:
    """Make an opcode list of (number, parameters).

    Parameters
    ----------
    operations
        Opcodes with their bodies.
    flags
        Flags of the opcodes.

    Returns
    -------
    bytes
        An opcode list of (number, parameters).
    """
    parts = [struct.pack(">I", len(operations))]
    parts += [struct.pack(">4I", number, 0x01030000, flags, len(body)) + body for number, body in operations]
    return b"".join(parts)


def write_gain_maps(maps: tuple[GainMap, ...]) -> bytes:
    """Make an opcode list of gain maps.

    Parameters
    ----------
    maps
        Gain maps.

    Returns
    -------
    bytes
        An opcode list of gain maps.
    """
    return write_opcodes([(GAIN_MAP, gain_map_body(m)) for m in maps])
