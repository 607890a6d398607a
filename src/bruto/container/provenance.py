"""Who made a file: whether it says of itself that Bruto wrote it (Exif and TIFF, tag Software)."""

from __future__ import annotations

import struct
from pathlib import Path

from PIL import Image

from bruto.container.dng_reader import is_raw
from bruto.container.picture import is_picture
from bruto.container.quick_metadata import read_quick_metadata
from bruto.errors import BrutoError
from bruto.storage.safe_read import open_regular

SOFTWARE = "Bruto 0.1"
"""What stands in the Software tag of every picture and raw that Bruto writes, Exif kept or not."""
CLIP_SUFFIXES = (".mp4", ".mov", ".m4v")
_OTHER_PICTURES = {".jxl", ".webp", ".gif", ".bmp", ".jp2", ".psd", ".dcp", ".jpe", ".jfif"}
_HEAD = 1 << 16


def holds_a_picture(path: Path) -> bool:
    """Whether a name says that a file is a raw, a picture or a clip, read here or not."""
    suffix = path.suffix.lower()
    return is_raw(path) or is_picture(path) or suffix in CLIP_SUFFIXES or suffix in _OTHER_PICTURES


def made_here(path: Path) -> bool:
    """Whether a picture or raw says that Bruto wrote it; False where it cannot be read or says nothing."""
    try:
        if path.suffix.lower() == ".jxl":
            return _jxl_software(path).startswith(b"Bruto ")
        if path.suffix.lower() in _OTHER_PICTURES:
            return _exif_software(path).startswith("Bruto ")
        return read_quick_metadata(path).software.startswith("Bruto ")
    except BrutoError:
        return False


def is_original(path: Path) -> bool:
    """Whether a file may never be replaced: any raw, picture or clip that Bruto did not make."""
    return holds_a_picture(path) and not made_here(path)


def _jxl_software(path: Path) -> bytes:
    """Return the Software of the Exif box at the head of a JPEG XL file (ISO/IEC 18181-2)."""
    with open_regular(path) as stream:
        data = stream.read(_HEAD)
    at = 0
    while at + 8 <= len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        if kind == b"Exif":
            body = data[at + 12 : at + length]
            place = body.find(b"Bruto ")
            return body[place : place + 16] if place >= 0 else b""
        if length < 8:
            break
        at += length
    return b""


def _exif_software(path: Path) -> str:
    """Return the Software of a picture that Bruto can write but not develop."""
    try:
        with open_regular(path) as stream, Image.open(stream) as image:
            return str(image.getexif().get(305, ""))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return ""
