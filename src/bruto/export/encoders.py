"""Finished pictures out, with profile and Exif, written atomically; see `formats` for what they can be."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError
from bruto.export.formats import FORMATS, Content, Format, format_of
from bruto.export.icc import profile
from bruto.export.preset import ExportPreset, exif_bytes
from bruto.storage.atomic_write import Target, published


def check_preset(path: Path, preset: ExportPreset) -> Format:
    """Return the format of a name that can be written so.

    Parameters
    ----------
    path
        File to write.
    preset
        How the picture is exported.

    Returns
    -------
    Format
        The format of a name that can be written so.

    Raises
    ------
    BrutoError
        Before any work is done.
    """
    found = format_of(path)
    if found is None:
        known = ", ".join(sorted(s for f in FORMATS for s in f.suffixes))
        raise BrutoError(
            tr("Cannot write '{suffix}': the name must end in {known}.", suffix=path.suffix or path.name, known=known)
        )
    if preset.bits not in (8, 16):
        raise BrutoError(tr("Pictures have 8 or 16 bits per channel, not {bits}.", bits=preset.bits))
    if preset.space == "linear":
        if not found.linear:
            only = " or ".join(f.title for f in FORMATS if f.linear)
            raise BrutoError(
                tr("Linear light can only be written as {only}; choose a name that ends in .tif.", only=only)
            )
    elif found.spaces and preset.space not in found.spaces:
        raise BrutoError(
            tr("{title} is written in sRGB only. Choose that space, or JPEG, PNG or TIFF.", title=found.title)
        )
    if preset.bits not in found.bits:
        others = ", ".join(f.title for f in FORMATS if preset.bits in f.bits)
        raise BrutoError(
            tr(
                "{title} holds {bits} bits. Choose one of {others} for {bits2}.",
                title=found.title,
                bits=found.bits[0],
                others=others,
                bits2=preset.bits,
            )
        )
    if preset.long_edge is not None and not 16 <= preset.long_edge <= 65000:
        raise BrutoError(
            tr("The long edge must be between 16 and 65000 px, not {long_edge}.", long_edge=preset.long_edge)
        )
    return found


def reduced_size(width: int, height: int, long_edge: int | None) -> tuple[int, int]:
    """Return the size of a picture reduced to a long edge; never larger than it is.

    Parameters
    ----------
    width
        Width, pixels.
    height
        Height, pixels.
    long_edge
        Long edge of the output, pixels; None keeps the size.

    Returns
    -------
    tuple[int, int]
        Size of a picture reduced to a long edge.

    Examples
    --------
    >>> reduced_size(4000, 3000, 2048), reduced_size(800, 600, 2048), reduced_size(800, 600, None)
    ((2048, 1536), (800, 600), (800, 600))
    """
    if long_edge is None or max(width, height) <= long_edge:
        return width, height
    scale = long_edge / max(width, height)
    return max(1, round(width * scale)), max(1, round(height * scale))


def resize_linear(picture: NDArray[Any], long_edge: int | None) -> NDArray[Any]:
    """Reduce an encoded picture (H, W, 3) to a long edge, averaging light instead of codes; never enlarges.

    Parameters
    ----------
    picture
        Picture (H, W, 3).
    long_edge
        Long edge of the output, pixels; None keeps the size.

    Returns
    -------
    NDArray
        The new array.
    """
    h, w = picture.shape[:2]
    size = reduced_size(w, h, long_edge)
    if size == (w, h):
        return picture
    if picture.dtype == np.float32:
        return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    top = float(np.iinfo(picture.dtype).max)
    table = decode_srgb(np.arange(int(top) + 1) / top).astype(np.float32)
    small = cv2.resize(table[picture], size, interpolation=cv2.INTER_AREA)
    return np.rint(encode_srgb(small) * top).astype(picture.dtype)


def write_picture(target: Target | str | Path, picture: NDArray[Any], preset: ExportPreset, meta: RawMeta) -> None:
    """Write an oriented picture (H, W, 3): uint8 or uint16 encoded, or float32 linear.

    Parameters
    ----------
    target
        File to write, from the output planner.
    picture
        Picture (H, W, 3).
    preset
        How the picture is exported.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Raises
    ------
    BrutoError
        Leaves nothing half-written.
    """
    path = target.path if isinstance(target, Target) else Path(target)
    found = check_preset(path, preset)
    picture = resize_linear(picture, preset.long_edge)
    exif = exif_bytes(meta, picture.shape[1], picture.shape[0], preset.keep_exif, preset.keep_place)
    with published(target) as temporary:
        found.write(temporary, Content(picture, preset, meta, profile(preset.space), exif))
