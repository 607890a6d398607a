"""A raw that is decoded while the program still loads what will develop it: decoding needs no interpreter."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from bruto.container.dng_reader import is_raw, read_dng
from bruto.container.raw_frame import RawFrame
from bruto.errors import BrutoError


def read_ahead(path: Path) -> Callable[[], RawFrame | None]:
    """Begin to read a raw; what is returned gives it when it is there, once, and None of what is no raw.

    It raises what reading raised.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Callable[[], RawFrame | None]
        See `Callable[[], RawFrame`; None where there is none.
    """
    if not is_raw(path):
        return lambda: None
    found: list[RawFrame] = []
    problems: list[BaseException] = []

    def work() -> None:
        try:
            found.append(read_dng(path))
        except (BrutoError, MemoryError, OSError) as error:
            problems.append(error)

    thread = threading.Thread(target=work, name="reading ahead", daemon=True)
    thread.start()

    def result() -> RawFrame | None:
        thread.join()
        if problems:
            raise problems.pop()
        return found.pop() if found else None

    return result
