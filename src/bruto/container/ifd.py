"""One TIFF directory as plain values, for structures that are not whole TIFF files.

Separate and embedded camera profiles (DNG 1.7, "ExtraCameraProfiles"; TIFF 6.0, section 2).
"""

from __future__ import annotations

import struct
from collections.abc import Container, Sequence
from typing import Any

import numpy as np

from bruto.catalog import tr
from bruto.errors import FileProblem
from bruto.storage.safe_read import MappedFile

FORMATS = {
    1: "u1", 2: "u1", 3: "u2", 4: "u4", 5: "u4", 6: "i1", 7: "u1", 8: "i2", 9: "i4", 10: "i4", 11: "f4", 12: "f8",
    13: "u4", 16: "u8",
}  # fmt: skip
"""NumPy type of each TIFF type's numbers; types 5 and 10 are pairs of them."""
MAX_ENTRIES = 2000


def byte_order(data: bytes, at: int = 0) -> str:
    """Return "<" or ">" of a TIFF-like head.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    at
        Offset in bytes.

    Returns
    -------
    str
        "<" or ">" of a TIFF-like head.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    order = {b"II": "<", b"MM": ">"}.get(data[at : at + 2])
    if order is None:
        raise FileProblem(tr("it does not begin like a TIFF structure."))
    return order


def read_ifd(
    data: bytes | MappedFile, offset: int, order: str, base: int = 0, only: Container[int] | None = None
) -> dict[int, Any]:
    """Read the tag → bytes (types 2, 7), or float64 / integer array of a directory at `offset`.

    Offsets count from `base`.

    Rationals become their quotients.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    offset
        Where the directory lies, bytes.
    order
        Byte order, "<" or ">".
    base
        Offset of the structure in the file, bytes.
    only
        Tags that are wanted, all without it.

    Returns
    -------
    dict[int, Any]
        Tag → bytes (types 2, 7), or float64 / integer array of a directory at `offset`; offsets count from
        `base`.

    Raises
    ------
    FileProblem
        Where a value lies outside the data.
    """
    at = base + offset
    if at + 2 > len(data):
        raise FileProblem(tr("a directory is outside the file; the file is damaged."))
    (count,) = struct.unpack(order + "H", data[at : at + 2])
    if count > MAX_ENTRIES or at + 2 + 12 * count > len(data):
        raise FileProblem(tr("a directory claims {count} entries; the file is damaged.", count=count))
    found: dict[int, Any] = {}
    directory = data[at : at + 2 + 12 * count]
    if len(directory) < 2 + 12 * count:
        raise FileProblem(tr("the file became shorter while it was being read."))
    for k in range(count):
        tag, kind, number = struct.unpack_from(order + "HHI", directory, 2 + 12 * k)
        if kind not in FORMATS or (only is not None and tag not in only):
            continue
        numbers = number * (2 if kind in (5, 10) else 1)
        dtype = np.dtype(order + FORMATS[kind])
        size = numbers * dtype.itemsize
        start = at + 2 + 12 * k + 8
        if size > 4:
            start = base + struct.unpack_from(order + "I", directory, 2 + 12 * k + 8)[0]
        if start + size > len(data):
            raise FileProblem(tr("the value of tag {tag} is outside the file; the file is damaged.", tag=tag))
        if kind in (2, 7):
            body = bytes(data[start : start + size])
            found[tag] = body.split(b"\0")[0] if kind == 2 else body
            continue
        body = data[start : start + size]
        if len(body) < size:
            raise FileProblem(tr("the file became shorter while it was being read."))
        values = np.frombuffer(body, dtype)
        if kind in (5, 10):
            with np.errstate(divide="ignore", invalid="ignore"):
                values = values[0::2].astype(float) / values[1::2]
            if not np.isfinite(values).all():
                raise FileProblem(tr("tag {tag} divides by zero; the file is damaged.", tag=tag))
        found[tag] = values.astype(FORMATS[kind]) if kind not in (5, 10) else values
    return found


def write_ifd(entries: Sequence[tuple[int, int, Any]], order: str, offset: int, big: bool = False) -> bytes:
    """Make a directory of (tag, type, values) that will lie at `offset`, with its values behind it and no next one.

    Values of rationals are flat pairs of integers; of types 2 and 7 bytes.

    Parameters
    ----------
    entries
        Entries: tag, type and values.
    order
        Byte order, "<" or ">".
    offset
        Where the directory will lie, bytes.
    big
        In the form of BigTIFF.

    Returns
    -------
    bytes
        A directory of (tag, type, values) that will lie at `offset`, with its values behind it and no next one.
    """
    entries = sorted(entries, key=lambda e: e[0])
    head_format, word, inline = ("HHQ", "Q", 8) if big else ("HHI", "I", 4)
    head = struct.pack(order + ("Q" if big else "H"), len(entries))
    at = offset + len(head) + (4 + 2 * inline) * len(entries) + inline
    tail = b""
    for tag, kind, values in entries:
        body = bytes(values) if kind in (2, 7) else np.asarray(values, order + FORMATS[kind]).tobytes()
        count = len(body) // np.dtype(FORMATS[kind]).itemsize // (2 if kind in (5, 10) else 1)
        head += struct.pack(order + head_format, tag, kind, count)
        if len(body) <= inline:
            head += body.ljust(inline, b"\0")
        else:
            head += struct.pack(order + word, at + len(tail))
            tail += body + b"\0" * (len(body) % 2)
    return head + struct.pack(order + word, 0) + tail
