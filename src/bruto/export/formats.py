"""The formats of finished pictures: one list, read by the ticket, the command line and the encoder."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from bruto.catalog import tr
from bruto.container.exif_ifd import EXIF_PLACEHOLDER, append_exif
from bruto.container.provenance import SOFTWARE
from bruto.container.raw_frame import RawMeta
from bruto.export.preset import ExportPreset, passed_on


@dataclass(frozen=True)
class Content:
    """What is written: `picture` (H, W, 3) uint8, uint16 or linear float32, with its `preset`.

    The `meta` of its source, and profile and Exif as bytes.
    """

    picture: NDArray[Any]
    preset: ExportPreset
    meta: RawMeta
    icc: bytes
    exif: bytes


@dataclass(frozen=True)
class Format:
    """`bits` a channel that it holds."""

    title: str
    suffixes: tuple[str, ...]
    """Names that end so, the usual one first."""
    bits: tuple[int, ...]
    write: Callable[[Path, Content], None]
    """A file from its content."""
    spaces: tuple[str, ...] = ()
    """Those it is written in, all where there are none."""
    linear: bool = False
    """Whether it holds linear light."""


def _jpeg(path: Path, c: Content) -> None:
    stream = io.BytesIO()
    quality = c.preset.quality
    how = {"quality": quality, "subsampling": 0 if quality >= 90 else 2, "icc_profile": c.icc, "exif": c.exif}
    Image.fromarray(c.picture).save(stream, "JPEG", **how)
    path.write_bytes(stream.getvalue())


def _png(path: Path, c: Content) -> None:
    """PNG with profile and Exif chunks put behind the header (PNG, third edition: iCCP, eXIf)."""
    import imagecodecs  # each encoder is loaded where it is wanted

    data = imagecodecs.png_encode(c.picture)

    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    extra = chunk(b"iCCP", b"ICC profile\0\0" + zlib.compress(c.icc))
    extra += chunk(b"eXIf", c.exif.removeprefix(b"Exif\0\0"))
    head = 8 + 25  # signature and IHDR
    path.write_bytes(bytes(data[:head] + extra + data[head:]))


def _jxl(coded: bytes, exif: bytes) -> bytes:
    """Return a JPEG XL codestream with Exif, in the container of ISO/IEC 18181-2."""
    if not coded.startswith(b"\xff\x0a"):
        return coded

    def box(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body) + 8) + kind + body

    head = box(b"JXL ", b"\r\n\x87\n") + box(b"ftyp", b"jxl \0\0\0\0jxl ")
    return head + box(b"Exif", bytes(4) + exif.removeprefix(b"Exif\0\0")) + box(b"jxlc", coded)


def _tiff(path: Path, c: Content) -> None:
    import tifffile

    tags: list[tuple[Any, ...]] = [(34675, 7, len(c.icc), c.icc, True)]
    if c.preset.keep_exif:
        tags += [
            (tag, "s", 0, passed_on(value).encode("utf-8", "replace"), True)
            for tag, value in ((271, c.meta.make), (272, c.meta.model), (306, c.meta.taken))
            if value
        ]
        tags.append((EXIF_PLACEHOLDER, "I", 1, 0, True))
    tifffile.imwrite(
        path,
        c.picture,
        photometric="rgb",
        compression="deflate",
        predictor=3 if c.picture.dtype == np.float32 else 2,
        rowsperstrip=64,
        extratags=tags,
        metadata=None,
        software=SOFTWARE,
        maxworkers=2,
    )
    if c.preset.keep_exif:
        append_exif(path, c.meta)


def _avif(path: Path, c: Content) -> None:
    Image.fromarray(c.picture).save(path, "AVIF", quality=c.preset.quality, icc_profile=c.icc, exif=c.exif)


def _webp(path: Path, c: Content) -> None:
    Image.fromarray(c.picture).save(path, "WEBP", quality=c.preset.quality, icc_profile=c.icc, exif=c.exif)


def _jpeg_xl(path: Path, c: Content) -> None:
    import imagecodecs

    coded = imagecodecs.jpegxl_encode(c.picture, distance=0.8 if c.preset.bits == 8 else 0.3, effort=4)
    path.write_bytes(_jxl(bytes(coded), c.exif))


FORMATS: tuple[Format, ...] = (
    Format("JPEG", (".jpg", ".jpeg"), (8,), _jpeg),
    Format("PNG", (".png",), (8, 16), _png),
    Format("TIFF", (".tif", ".tiff"), (16, 8), _tiff, linear=True),
    Format("AVIF", (".avif",), (8,), _avif),
    Format("WebP", (".webp",), (8,), _webp),
    Format("JPEG XL", (".jxl",), (8, 16), _jpeg_xl, spaces=("srgb",)),
)


def format_of(path: Path) -> Format | None:
    """Return the format that a name asks for.

    Parameters
    ----------
    path
        File to write.

    Returns
    -------
    Format | None
        The format that a name asks for.
    """
    return next((f for f in FORMATS if path.suffix.lower() in f.suffixes), None)


def choices() -> list[tuple[str, str, str, int]]:
    """List what an export preset offers: identifier, title, suffix and bits a channel.

    >>> choices()[:2]
    [('jpg-8', 'JPEG', '.jpg', 8), ('png-8', 'PNG, 8 bit', '.png', 8)]
    """
    found = []
    for format in FORMATS:
        for bits in format.bits:
            title = format.title if len(format.bits) == 1 else tr("{title}, {bits} bit", title=format.title, bits=bits)
            found.append((f"{format.suffixes[0][1:]}-{bits}", title, format.suffixes[0], bits))
    return found
