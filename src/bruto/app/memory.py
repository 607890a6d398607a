"""Memory that is given back: how the C library keeps freed blocks."""

from __future__ import annotations

import ctypes
import sys

_M_MMAP_THRESHOLD, _M_ARENA_MAX = -3, -8
"""Parameters of glibc's `mallopt`."""
LARGE_BLOCK = 4 << 20
"""Blocks from this size on go back to the system when they are freed, bytes."""


def give_back_memory() -> None:
    """Have freed arrays given back to the system at once.

    Left alone, glibc raises its limit to 32 MB after the first large array and keeps what lies below, once for each
    thread: a window that opens raw after raw would hold 100 MB more. Without glibc nothing is done.
    """
    if not sys.platform.startswith("linux"):
        return
    try:
        library = ctypes.CDLL("libc.so.6")
        library.mallopt(_M_MMAP_THRESHOLD, LARGE_BLOCK)
        library.mallopt(_M_ARENA_MAX, 2)
    except (OSError, AttributeError):
        return
