"""Aligned frames of a set kept in a temporary file, to be read back some rows of all of them at a time."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bruto.merge.planes import quads_of, warped_band
from bruto.merge.reader import Reader
from bruto.storage.safe_read import FileAction, explain

BAND, ROWS = 384, 64
"""Rows that are written, and that are read back, at a time."""


def combined_by_rows(
    reader: Reader, combine: Callable[[NDArray[np.float32]], NDArray[np.float32]], doing: str
) -> tuple[NDArray[np.float32], int]:
    """Compute the light (H, W, 3) of all frames of a reader, and how many there were.

    Parameters
    ----------
    reader
        Reader of the frames.
    combine
        A stack (N, rows, W, 3), NaN where a frame holds no picture, to rows of the result.
    doing
        What that is called meanwhile.

    Returns
    -------
    tuple[NDArray[np.float32], int]
        Light (H, W, 3) of all frames of a reader, and how many there were.

    Raises
    ------
    BrutoError
        Also where the temporary file beside the output cannot be kept.
    """
    h, w = reader.size
    try:
        with tempfile.TemporaryFile(dir=reader.scratch) as spool:
            count = 0
            for frame, alignment in reader:
                count += 1
                reader.live.show(partial(quads_of, frame), frame, count, False)
                for top in range(0, h, BAND):
                    reader.check()
                    band, inside = warped_band(frame, alignment, top, min(h, top + BAND))
                    if inside is not None:
                        band[~inside] = np.nan
                    spool.write(band.astype(np.float16).tobytes())
            merged = np.empty((h, w, 3), np.float32)
            size = h * w * 6
            for top in range(0, h, ROWS):
                reader.check()
                rows = min(ROWS, h - top)
                stack = np.empty((count, rows, w, 3), np.float32)
                for k in range(count):
                    spool.seek(k * size + top * w * 6)
                    stack[k] = np.frombuffer(spool.read(rows * w * 6), np.float16).reshape(rows, w, 3)
                merged[top : top + rows] = combine(stack)
                reader.progress(0.9, doing)
    except OSError as error:
        raise explain(error, reader.scratch / "temporary frames", FileAction.WRITE) from error
    return merged, count


class FrameSpool:
    """Light of frames kept in a temporary file, half floats, to be read again; close it when done."""

    def __init__(self, folder: Path) -> None:
        """Raise `BrutoError` where nothing can be kept in the folder."""
        self._folder = folder
        self._shape: tuple[int, ...] = ()
        self._count = 0
        try:
            self._file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115  it is closed with the frames
        except OSError as error:
            raise explain(error, folder / "temporary frames", FileAction.WRITE) from error

    def add(self, data: NDArray[np.float32]) -> int:
        """Keep a frame; its number.

        Parameters
        ----------
        data
            Samples, changed in place.

        Returns
        -------
        int
            The number.

        Raises
        ------
        BrutoError
            Where there is no room.
        """
        self._shape = data.shape
        try:
            self._file.seek(self._count * data.size * 2)
            self._file.write(data.astype(np.float16).tobytes())
        except OSError as error:
            raise explain(error, self._folder / "temporary frames", FileAction.WRITE) from error
        self._count += 1
        return self._count - 1

    def get(self, number: int) -> NDArray[np.float32]:
        """Compute a frame that was kept.

        Parameters
        ----------
        number
            Index.

        Returns
        -------
        NDArray[np.float32]
            A frame that was kept.
        """
        size = math.prod(self._shape) * 2
        self._file.seek(number * size)
        return np.frombuffer(self._file.read(size), np.float16).reshape(self._shape).astype(np.float32)

    def close(self) -> None:
        """Close the file behind it."""
        self._file.close()
