"""Whole pictures made in tiles, so that memory does not grow with the frame."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.buffer_pool import reused
from bruto.develop.frame_geometry import Geometry
from bruto.develop.rectangle import Rectangle

TILE = 1536
"""Rows developed at a time."""


def develop_tiles(
    shape: Geometry,
    out: NDArray[Any],
    detail: Callable[[Rectangle], NDArray[np.float32]],
    finished: Callable[[NDArray[np.float32], Rectangle], NDArray[Any]],
    check: Callable[[], None],
    progress: Callable[[float], None] | None = None,
) -> None:
    """Fill a picture tile by tile.

    Parameters
    ----------
    shape
        How the recorded frame becomes the picture.
    out
        The picture (H, W, 3), filled.
    detail
        Makes a rectangle of the recorded frame, float32 (h, w, 3).
    finished
        Makes a rectangle of the picture of it.
    check
        Called before each tile; what it raises ends the work.
    progress
        Called with the share that is done, 0 to 1.
    """
    h, w = out.shape[:2]
    with reused():  # each tile in the memory of the one before
        recorded: NDArray[np.float32] | None = None
        part = shape.source_area(Rectangle(0, 0, w, h))
        done, todo = 0, h
        if shape.offset is None:  # a turned picture reads across tiles: what it needs of the frame is kept whole
            recorded = np.empty((part.height, part.width, 3), np.float32)
            todo += part.height
            for top in range(0, part.height, TILE):
                check()
                n = min(TILE, part.height - top)
                recorded[top : top + n] = detail(Rectangle(part.x, part.y + top, part.width, n))
                done += n
                if progress is not None:
                    progress(done / todo)
        for top in range(0, h, TILE):
            check()
            rect = Rectangle(0, top, w, min(TILE, h - top))
            if recorded is not None:
                rgb = shape.resampled(recorded, rect, 1, (part.x, part.y))
            else:
                rgb = np.ascontiguousarray(detail(shape.source_area(rect)))
            out[top : top + rect.height] = finished(rgb, rect)
            del rgb  # the next tile's
            done += rect.height
            if progress is not None:
                progress(done / todo)
