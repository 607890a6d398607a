"""One place that decides how the cores are shared.

Numba's `omp` layer is the one that may be entered from several threads at once; OpenCV keeps to as many threads as
there are cores. `map_threads` is for calls that release the interpreter lock (codecs, compiled kernels, ray casting).
"""

from __future__ import annotations

import os
import threading

os.environ.setdefault("OMP_WAIT_POLICY", "passive")  # read when numba loads its layer

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import numba

A = TypeVar("A")
B = TypeVar("B")

CORES = max(1, len(os.sched_getaffinity(0)))

numba.config.THREADING_LAYER = "omp"


def map_threads(work: Callable[[A], B], items: Iterable[A], threads: int = CORES) -> list[B]:
    """Results of `work` in order; the first error is raised after the running calls have ended."""
    items = list(items)
    if len(items) < 2 or threads < 2:
        return [work(item) for item in items]
    with ThreadPoolExecutor(threads) as pool:
        return list(pool.map(work, items))


def beside(work: Callable[[], None], threads: int = CORES) -> None:
    """Run the same call on several threads, this one among them; the first error is raised when all have ended."""
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
