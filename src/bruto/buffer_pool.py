"""Large arrays whose memory is used again: fresh memory takes as long to come by as a filter takes to fill it.

>>> with reused():
...     first = empty((1000, 1000, 3), np.float32)
...     at = first.ctypes.data
...     del first
...     empty((1000, 1000, 3), np.float32).ctypes.data == at
True
"""

from __future__ import annotations

import math
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
from numpy.typing import NDArray

LEAST = 1 << 22
"""Bytes from which memory is kept for another array; smaller ones come from the C library's own store."""
_REFERENCES = 3
"""References to a buffer that nobody else holds: the list's, the loop's and the count's own."""
_of_thread = threading.local()


@contextmanager
def reused() -> Iterator[None]:
    """Within it, on this thread, `empty` gives memory of arrays that are gone; all is given back at the end."""
    before = getattr(_of_thread, "buffers", None)
    _of_thread.buffers = []
    try:
        yield
    finally:
        _of_thread.buffers = before


def empty(shape: tuple[int, ...], dtype: Any = np.float32) -> NDArray[Any]:
    """Compute an array as `np.empty` gives it.

    Parameters
    ----------
    shape
        Shape of the array.
    dtype
        Data type.

    Returns
    -------
    NDArray
        An array as `np.empty` gives it.
    """
    buffers = getattr(_of_thread, "buffers", None)
    size = math.prod(shape) * np.dtype(dtype).itemsize
    if buffers is None or size < LEAST:
        return np.empty(shape, dtype)
    for k in range(len(buffers)):
        buffer = buffers[k]  # `enumerate` would hold one too
        if size // 2 <= buffer.nbytes <= 2 * size and sys.getrefcount(buffer) <= _REFERENCES:
            if buffer.nbytes < size:  # the inner tiles are a little larger than the first
                del buffer
                buffers[k] = np.empty(0, np.uint8)  # given back before more is taken
                buffers[k] = np.empty(size, np.uint8)
            return buffers[k][:size].view(dtype).reshape(shape)
    buffers.append(np.empty(size, np.uint8))
    return buffers[-1][:size].view(dtype).reshape(shape)
