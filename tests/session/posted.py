"""What is posted to the interface thread, done by a test as that thread does it."""

from __future__ import annotations

import queue
import time
from collections.abc import Callable

Posted = queue.Queue[Callable[[], None]]


def go_on(calls: Posted, until: Callable[[], object], most_s: float = 20.0) -> None:
    """Do what is posted until something is so."""
    end = time.monotonic() + most_s
    while not until():
        if time.monotonic() > end:
            raise AssertionError("waited too long")
        try:
            calls.get(timeout=0.02)()
        except queue.Empty:
            continue
