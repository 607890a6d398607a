"""Finished pictures out: JPEG, PNG and TIFF with profile and Exif, written atomically."""

from __future__ import annotations

import io
import struct
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.container.exif_ifd import EXIF_PLACEHOLDER, append_exif
from bruto.container.provenance import SOFTWARE
from bruto.container.rawframe import RawMeta
from bruto.deliver.icc import profile
from bruto.errors import BrutoError
from bruto.publish import Target, published

FORMATS = {
    ".jpg": "JPEG",
    ".jpeg": "JPEG",
    ".png": "PNG",
    ".tif": "TIFF",
    ".tiff": "TIFF",
    ".avif": "AVIF",
    ".jxl": "JPEG XL",
}
JPEG_QUALITY = 92


@dataclass(frozen=True)
class Ticket:
    """How a picture is delivered: output `space`, `bits` a channel (8 or 16), `long_edge` in pixels or None, JPEG
    `quality`, Exif or not.
    """

    space: str = "srgb"
    bits: int = 8
    long_edge: int | None = None
    quality: int = JPEG_QUALITY
    keep_exif: bool = True


def check_ticket(path: Path, ticket: Ticket) -> None:
    """Refuse what cannot be written, before work is done; raises `BrutoError`."""
    kind = FORMATS.get(path.suffix.lower())
    if kind is None:
        raise BrutoError(
            f"Cannot write '{path.suffix or path.name}': the name must end in {', '.join(sorted(FORMATS))}."
        )
    if ticket.bits not in (8, 16):
        raise BrutoError(f"Pictures have 8 or 16 bits a channel, not {ticket.bits}.")
    if ticket.space == "linear" and kind != "TIFF":
        raise BrutoError("Linear light is written as TIFF only: let the name end in .tif.")
    if kind == "JPEG XL" and ticket.space != "srgb":
        raise BrutoError("JPEG XL is written in sRGB here: choose that space, or JPEG, PNG or TIFF.")
    if ticket.bits == 16 and kind in ("JPEG", "AVIF"):
        raise BrutoError(f"{kind} holds 8 bits here: choose PNG, TIFF or JPEG XL for 16.")
    if ticket.long_edge is not None and not 16 <= ticket.long_edge <= 65000:
        raise BrutoError(f"The long edge must lie between 16 and 65000 px, not {ticket.long_edge}.")


def resize_linear(picture: NDArray, long_edge: int | None) -> NDArray:
    """Reduce an encoded picture (H, W, 3) to a long edge, averaging light instead of codes; never enlarges."""
    h, w = picture.shape[:2]
    if long_edge is None or max(h, w) <= long_edge:
        return picture
    scale = long_edge / max(h, w)
    size = (max(1, round(w * scale)), max(1, round(h * scale)))
    if picture.dtype == np.float32:
        return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    top = float(np.iinfo(picture.dtype).max)
    table = decode_srgb(np.arange(int(top) + 1) / top).astype(np.float32)
    small = cv2.resize(table[picture], size, interpolation=cv2.INTER_AREA)
    return np.rint(encode_srgb(small) * top).astype(picture.dtype)


LONGEST_TEXT = 2000
"""Letters of a text of Exif that are passed on; a JPEG file holds 64 KiB of Exif in all (Exif 3.0, section 4.7.2)."""


def passed_on(text: str) -> str:
    """A text of the source as it is written into a picture: without control signs, shortened where it is too long for
    one, with a word that says so.
    """
    plain = "".join(c if c.isprintable() else " " for c in text).strip()
    return plain if len(plain) <= LONGEST_TEXT else plain[:LONGEST_TEXT].rstrip() + " (shortened)"


def exif_bytes(meta: RawMeta, width: int, height: int, keep: bool = True) -> bytes:
    """Exif of a developed picture: what the source says, oriented; without `keep` only who wrote it."""
    exif = Image.Exif()
    exif[274] = 1
    exif[305] = SOFTWARE
    if not keep:
        return exif.tobytes()
    for tag, value in ((271, meta.make), (272, meta.model), (306, meta.taken), (270, meta.description)):
        if value:
            exif[tag] = passed_on(value)
    sub: dict[int, Any] = exif.get_ifd(34665)
    for tag, number in ((33434, meta.exposure_s), (33437, meta.f_number), (37386, meta.focal_mm)):
        if number:
            sub[tag] = float(number)
    if meta.iso:
        sub[34855] = min(65535, round(meta.iso))
    if meta.focal_35mm:
        sub[41989] = min(65535, round(meta.focal_35mm))
    if meta.taken:
        sub[36867] = passed_on(meta.taken)
    sub[40962], sub[40963] = width, height
    return exif.tobytes()


def _png(picture: NDArray, icc: bytes, exif: bytes) -> bytes:
    """PNG with profile and Exif chunks put behind the header (PNG, third edition: iCCP, eXIf)."""
    data = imagecodecs.png_encode(picture)

    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    extra = chunk(b"iCCP", b"ICC profile\0\0" + zlib.compress(icc))
    extra += chunk(b"eXIf", exif.removeprefix(b"Exif\0\0"))
    head = 8 + 25  # signature and IHDR
    return bytes(data[:head] + extra + data[head:])


def _jxl(coded: bytes, exif: bytes) -> bytes:
    """A JPEG XL codestream with Exif, in the container of ISO/IEC 18181-2."""
    if not coded.startswith(b"\xff\x0a"):
        return coded

    def box(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body) + 8) + kind + body

    head = box(b"JXL ", b"\r\n\x87\n") + box(b"ftyp", b"jxl \0\0\0\0jxl ")
    return head + box(b"Exif", bytes(4) + exif.removeprefix(b"Exif\0\0")) + box(b"jxlc", coded)


def write_picture(target: Target | str | Path, picture: NDArray, ticket: Ticket, meta: RawMeta) -> None:
    """Write an oriented picture (H, W, 3): uint8 or uint16 encoded, or float32 linear. Raises `BrutoError`; leaves
    nothing half-written.
    """
    path = target.path if isinstance(target, Target) else Path(target)
    check_ticket(path, ticket)
    picture = resize_linear(picture, ticket.long_edge)
    icc = profile(ticket.space)
    exif = exif_bytes(meta, picture.shape[1], picture.shape[0], ticket.keep_exif)
    kind = FORMATS[path.suffix.lower()]
    with published(target) as temporary:
        if kind == "JPEG":
            stream = io.BytesIO()
            Image.fromarray(picture).save(
                stream,
                "JPEG",
                quality=ticket.quality,
                subsampling=0 if ticket.quality >= 90 else 2,
                icc_profile=icc,
                exif=exif,
            )
            temporary.write_bytes(stream.getvalue())
        elif kind == "PNG":
            temporary.write_bytes(_png(picture, icc, exif))
        elif kind == "TIFF":
            tags: list[tuple] = [(34675, 7, len(icc), icc, True)]
            if ticket.keep_exif:
                tags += [
                    (tag, "s", 0, passed_on(value).encode("utf-8", "replace"), True)
                    for tag, value in ((271, meta.make), (272, meta.model), (306, meta.taken))
                    if value
                ]
                tags.append((EXIF_PLACEHOLDER, "I", 1, 0, True))
            tifffile.imwrite(
                temporary,
                picture,
                photometric="rgb",
                compression="deflate",
                predictor=3 if picture.dtype == np.float32 else 2,
                rowsperstrip=64,
                extratags=tags,
                metadata=None,
                software=SOFTWARE,
                maxworkers=2,
            )
            if ticket.keep_exif:
                append_exif(temporary, meta)
        elif kind == "AVIF":
            quality = min(ticket.quality, 90)
            Image.fromarray(picture).save(temporary, "AVIF", quality=quality, icc_profile=icc, exif=exif)
        else:
            coded = imagecodecs.jpegxl_encode(picture, distance=0.8 if ticket.bits == 8 else 0.3, effort=4)
            temporary.write_bytes(_jxl(bytes(coded), exif))
