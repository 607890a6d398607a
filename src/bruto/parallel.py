"""How many cores there are, and calls on all of them.

For what releases the interpreter lock (codecs, compiled kernels, ray casting). OpenCV keeps to as many threads as
there are cores; for compiled kernels see `compiled`.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

A = TypeVar("A")
B = TypeVar("B")

CORES = max(1, len(os.sched_getaffinity(0)))


def map_threads(work: Callable[[A], B], items: Iterable[A], threads: int = CORES) -> list[B]:
    """Return the results of `work` in order; the first error is raised after the running calls have ended.

    Parameters
    ----------
    work
        What to call.
    items
        Items to work on.
    threads
        Number of threads.

    Returns
    -------
    list[B]
        Results of `work` in order.
    """
    items = list(items)
    if len(items) < 2 or threads < 2:
        return [work(item) for item in items]
    with ThreadPoolExecutor(threads) as pool:
        return list(pool.map(work, items))


def beside(work: Callable[[], None], threads: int = CORES) -> None:
    """Run the same call on several threads, this one among them; the first error is raised when all have ended.

    Parameters
    ----------
    work
        What to call.
    threads
        Number of threads.
    """
    errors: list[BaseException] = []

    def guarded() -> None:
        try:
            work()
        except BaseException as error:
            errors.append(error)

    others = [threading.Thread(target=guarded, name="beside", daemon=True) for _ in range(threads - 1)]
    for thread in others:
        thread.start()
    guarded()
    for thread in others:
        thread.join()
    if errors:
        raise errors[0]
