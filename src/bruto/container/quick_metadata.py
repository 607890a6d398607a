"""What a file says of itself at a glance: a few tags and where its preview lies, in a fraction of a millisecond.

A day's folder of thousands of files is listed by this; `read_dng_meta` and `read_picture_facts` tell the rest of one.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any

from bruto.catalog import tr
from bruto.container.capture_facts import ZOOM, CaptureFacts, believed, text_of
from bruto.container.dng_reader import is_raw, read_dng_meta
from bruto.container.exif_tags import FRACTION, MODIFIED, ORIENTATION, ZOOM_RATIO, captured
from bruto.container.ifd import byte_order, read_ifd
from bruto.container.merge_record import TAG as MERGED_TAG
from bruto.container.picture import read_picture_facts
from bruto.errors import BrutoError, FileProblem
from bruto.storage.safe_read import MappedFile, check_readable, open_regular

_IFD0 = {
    254,
    256,
    257,
    259,
    262,
    270,
    271,
    272,
    273,
    274,
    277,
    279,
    305,
    MERGED_TAG,
    306,
    330,
    34665,
    36867,
    33434,
    33437,
    34855,
    37386,
}
_EXIF = {33434, 33437, 34855, 36867, 36881, 37386, 37521, 41988, 41989}
_SUB = {254, 256, 257, 259, 262, 273, 277, 279}
LARGEST_PREVIEW = 64 << 20
"""Bytes of an embedded JPEG at most."""
CFA, LINEAR_RAW = 32803, 34892
"""Photometric interpretations of raw data (DNG 1.7)."""
_EDITED_MARKS = (b"xmpMM:History", b"stEvt:action", b"adjustment", b"filter", b"Filter")
"""What XMP holds after an edit: the standard's own history (ISO 16684-1, xmpMM), and words that phones' editors use."""


@dataclass(frozen=True)
class QuickMetadata(CaptureFacts):
    """`taken`: as Exif writes it, with fractions of a second in `fraction` (0..1); `xmp`.

    Whether Exif or XMP tells of editing after the capture.
    """

    kind: str
    """"mosaic", "linear" or "picture"."""
    size: tuple[int, int]
    """Stored width and height."""
    orientation: int = 1
    zoom: float | None = None
    fraction: float = 0.0
    modified: str = ""
    """When a program last changed it."""
    preview: tuple[int, int] | None = None
    """Place and length of the largest JPEG preview of a raw."""
    xmp_edited: bool = False
    length: int = 0
    """Bytes."""

    @property
    def taken_iso(self) -> str:
        """When it was taken, ISO 8601 to the second by the phone's clock; "" where it is unknown."""
        taken = (self.taken or "")[:19]
        return taken[:10].replace(":", "-") + "T" + taken[11:] if len(taken) == 19 else taken

    @property
    def oriented_size(self) -> tuple[int, int]:
        """Width and height as looked at."""
        return (self.size[1], self.size[0]) if self.orientation >= 5 else self.size


def read_quick_metadata(path: str | Path) -> QuickMetadata:
    """Read the facts of a raw or picture file.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    QuickMetadata
        Facts of a raw or picture file.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = check_readable(path)
    length = path.stat().st_size
    try:
        if is_raw(path):
            return _mapped(path, length, _raw)
        if path.suffix.lower() in (".jpg", ".jpeg"):
            return _mapped(path, length, _jpeg)
    except (FileProblem, struct.error, ValueError, IndexError, KeyError, TypeError, OverflowError, OSError):
        pass  # the thorough readers say what is wrong, or read what this one cannot
    return _thorough(path, length)


def _mapped(path: Path, length: int, read: Callable[[MappedFile, int], QuickMetadata]) -> QuickMetadata:
    with open_regular(path) as stream:
        return read(MappedFile(stream), length)


def _facts(tags: dict[int, Any], exif: dict[int, Any]) -> dict[str, Any]:
    both = {**tags, **exif}
    fraction, zoom, turned = text_of(exif.get(FRACTION)), exif.get(ZOOM_RATIO), tags.get(ORIENTATION)
    return {
        **captured(tags.get, both.get),
        "orientation": int(turned[0]) if turned is not None and 1 <= int(turned[0]) <= 8 else 1,
        "zoom": believed(zoom[0], ZOOM) if zoom is not None and not isinstance(zoom, bytes) and len(zoom) else None,
        "fraction": float("0." + fraction[:9]) if fraction.isascii() and fraction.isdigit() else 0.0,
        "modified": text_of(tags.get(MODIFIED)),
    }


def _raw(data: MappedFile, length: int) -> QuickMetadata:
    order = byte_order(data[:4])
    version, first = struct.unpack(order + "HI", data[2:8])
    if version != 42:
        raise FileProblem(tr("not a plain TIFF structure."))
    tags = read_ifd(data, first, order, only=_IFD0)
    exif = read_ifd(data, int(tags[34665][0]), order, only=_EXIF) if 34665 in tags else {}
    parts = [tags] + [read_ifd(data, int(at), order, only=_SUB) for at in tags.get(330, [])]
    raws = [p for p in parts if 262 in p and int(p[262][0]) in (CFA, LINEAR_RAW) and int(p.get(254, [0])[0]) == 0]
    if not raws:
        raise FileProblem(tr("no raw image."))
    raw = max(raws, key=lambda p: int(p[256][0]) * int(p[257][0]))
    previews = [
        (int(p[256][0]) * int(p[257][0]), int(p[273][0]), int(p[279][0]))
        for p in parts
        if p is not raw
        and 273 in p
        and len(p[273]) == 1
        and int(p.get(259, [0])[0]) == 7
        and 279 in p
        and int(p[262][0]) == 6
    ]
    preview = max(previews)[1:] if previews else None
    if preview is not None and preview[0] + preview[1] > length:
        raise FileProblem(tr("the preview is outside the file."))
    kind = "mosaic" if int(raw[262][0]) == CFA else "linear"
    return QuickMetadata(
        kind, (int(raw[256][0]), int(raw[257][0])), preview=preview, length=length, **_facts(tags, exif)
    )  # fmt: skip


def _jpeg(data: MappedFile, length: int) -> QuickMetadata:
    if data[:2] != b"\xff\xd8":
        raise FileProblem(tr("not a JPEG file."))
    at, tags, exif, edited = 2, {}, {}, False
    while True:
        marker, size = struct.unpack(">HH", data[at : at + 4])
        if marker == 0xFFE1 and data[at + 4 : at + 10] == b"Exif\0\0":
            head = bytes(data[at + 10 : at + 2 + size])
            order = byte_order(head)
            tags = read_ifd(head, struct.unpack_from(order + "I", head, 4)[0], order, only=_IFD0)
            if 34665 in tags:
                exif = read_ifd(head, int(tags[34665][0]), order, only=_EXIF)
        elif marker == 0xFFE1 and data[at + 4 : at + 8] == b"http":
            body = bytes(data[at + 4 : at + 2 + size])
            edited = any(mark in body for mark in _EDITED_MARKS)
        elif 0xFFC0 <= marker <= 0xFFCF and marker not in (0xFFC4, 0xFFC8, 0xFFCC):
            h, w = struct.unpack(">HH", data[at + 5 : at + 9])
            return QuickMetadata("picture", (w, h), xmp_edited=edited, length=length, **_facts(tags, exif))
        elif not 0xFFC0 <= marker <= 0xFFFE or marker == 0xFFDA:
            raise FileProblem(tr("no picture header."))
        at += 2 + size


def _thorough(path: Path, length: int) -> QuickMetadata:
    names = [f.name for f in fields(CaptureFacts) if f.name != "merged"]
    if is_raw(path):
        m = read_dng_meta(path).meta
        return QuickMetadata(
            m.kind, (m.width, m.height), m.orientation, length=length, **{n: getattr(m, n) for n in (*names, "merged")}
        )  # fmt: skip
    p = read_picture_facts(path)
    edited = any(mark in p.xmp for mark in _EDITED_MARKS)
    facts = {n: getattr(p, n) for n in (*names, "zoom", "modified")}
    return QuickMetadata("picture", p.size, xmp_edited=edited, length=length, **facts)


def preview_bytes(path: str | Path, seen: QuickMetadata) -> bytes | None:
    """Return the JPEG preview inside a raw, by its place where a glance found it, else by the thorough reader.

    Parameters
    ----------
    path
        File to read.
    seen
        Quick metadata of the file.

    Returns
    -------
    bytes | None
        The JPEG preview inside a raw, by its place where a glance found it, else by the thorough reader.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    if seen.preview is None:
        return read_dng_meta(path).preview if seen.kind != "picture" else None
    try:
        with open_regular(path) as stream:
            stream.seek(seen.preview[0])
            return stream.read(min(seen.preview[1], LARGEST_PREVIEW))
    except OSError as error:
        raise BrutoError(
            tr("{path}: the preview cannot be read ({strerror}).", path=path, strerror=error.strerror)
        ) from error
