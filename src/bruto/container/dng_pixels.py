"""The raw pixels of a DNG: their layout in the file, and their decoding."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.dng_values import COPY_AGAIN, tag_value
from bruto.container.raw_frame import RawMeta
from bruto.container.segments import SegmentLayout, decode_segment
from bruto.errors import FileProblem
from bruto.parallel import map_threads
from bruto.storage.safe_read import available_memory


def layout_of(tif: Any, page: Any, meta: RawMeta) -> SegmentLayout:
    """Find how the raw image's samples are stored.

    Parameters
    ----------
    tif
        Open TIFF structure.
    page
        Directory of the TIFF structure.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    SegmentLayout
        How the raw image's samples are stored.
    """
    weave = tuple(int(tag_value(page, tag, 1)) for tag in (50975, 52547))
    if min(weave) < 1 or max(weave) > 64:
        raise FileProblem(tr("its interleave factors are impossible; the file is damaged."))
    floating = int(np.max(tag_value(page, 339, 1))) == 3
    bits = meta.bits_container
    if bits not in ((16, 24, 32) if floating else range(1, 17)):
        raise FileProblem(
            tr(
                "its samples have {bits} bits{value}, a form Bruto does not read.",
                bits=bits,
                value=tr(" of floating point") if floating else "",
            )
        )
    return SegmentLayout(
        int(page.compression),
        bits,
        1 if meta.kind == "mosaic" else 3,
        floating,
        tif.byteorder,
        int(tag_value(page, 317, 1)),
        (weave[0], weave[1]),
    )


def _check_memory(meta: RawMeta, layout: SegmentLayout, tile_h: int, tile_w: int, parts: int) -> None:
    """Refuse before anything is decoded what does not fit into the memory that is free.

    What has parts far larger than the image is refused, too; raises `FileProblem`.
    """
    samples = 1 if meta.kind == "mosaic" else 3
    if tile_h * tile_w > 4 * meta.width * meta.height + (1 << 22):
        raise FileProblem(tr("its tiles are larger than the image; the file is damaged."))
    need = (meta.width * meta.height + tile_h * tile_w * min(parts, 2)) * samples * layout.dtype.itemsize
    need += meta.width * meta.height * samples * 4
    free = available_memory()
    if need > 0.8 * free:
        raise FileProblem(
            tr(
                "reading it needs about {need:.1f} GB of memory and {free:.1f} GB are free. Close other programs.",
                need=need / 1000000000.0,
                free=free / 1000000000.0,
            )
        )


def decode_pixels(tif: Any, page: Any, meta: RawMeta, size: int) -> NDArray[Any]:
    """Compute all tiles or strips into one array; each is checked against the file's length and its own place.

    Parameters
    ----------
    tif
        Open TIFF structure.
    page
        Directory of the TIFF structure.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    size
        Bytes, or pixels along a side.

    Returns
    -------
    NDArray
        All tiles or strips into one array.
    """
    offsets, counts = page.dataoffsets, page.databytecounts
    if len(offsets) != len(counts) or not offsets:
        raise FileProblem(tr("the list of its raw image's parts is incomplete; the file is damaged."))
    for k, (offset, count) in enumerate(zip(offsets, counts, strict=True)):
        if count <= 0 or offset + count > size:
            raise FileProblem(
                tr(
                    "the file ends early: part {k} of {offsets_count} of the raw image is missing. {COPY_AGAIN}",
                    k=k + 1,
                    offsets_count=len(offsets),
                    COPY_AGAIN=COPY_AGAIN,
                )
            )
    layout = layout_of(tif, page, meta)
    tiled = tag_value(page, 322) is not None
    tile_h = int(tag_value(page, 323, 0) if tiled else min(int(tag_value(page, 278, meta.height)), meta.height))
    tile_w = int(tag_value(page, 322, 0) if tiled else meta.width)
    if not (0 < tile_w <= 65500 and 0 < tile_h <= 65500):
        raise FileProblem(tr("its tiles have an impossible size; the file is damaged."))
    if int(tag_value(page, 284, 1)) != 1:
        raise FileProblem(tr("its colours are stored plane by plane, a form Bruto does not read."))
    across, down = -(-meta.width // tile_w), -(-meta.height // tile_h)
    if across * down != len(offsets):
        raise FileProblem(
            tr(
                "{across} parts of the raw image are expected, {offsets_count} are listed; the file is damaged.",
                across=across * down,
                offsets_count=len(offsets),
            )
        )
    _check_memory(meta, layout, tile_h, tile_w, len(offsets))
    blobs = []
    for offset, count in zip(offsets, counts, strict=True):
        tif.filehandle.seek(offset)
        blobs.append(tif.filehandle.read(count))
        if len(blobs[-1]) < count:
            raise FileProblem(
                tr("the file became shorter while it was being read. {COPY_AGAIN}", COPY_AGAIN=COPY_AGAIN)
            )
    shape = (meta.height, meta.width) if meta.kind == "mosaic" else (meta.height, meta.width, 3)
    codes = np.empty(shape, layout.dtype)

    def place(k: int) -> None:
        row, column = divmod(k, across)
        y, x = row * tile_h, column * tile_w
        h, w = min(tile_h, meta.height - y), min(tile_w, meta.width - x)
        try:
            found = decode_segment(blobs[k], layout, tile_h if tiled else h, tile_w)
        except Exception as error:
            raise FileProblem(
                tr(
                    "part {k} of {blobs_count} of the raw image cannot be decoded; the file is damaged.",
                    k=k + 1,
                    blobs_count=len(blobs),
                )
            ) from error
        codes[y : y + h, x : x + w] = found[:h, :w]

    map_threads(place, range(len(blobs)))
    return codes
