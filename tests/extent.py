"""How much of a campaign runs: a share of it always, all of it where `run_all.py --all` asks for it."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

ALL = os.environ.get("BRUTO_TESTS") == "all"
T = TypeVar("T")


def share(everything: Sequence[T], every: int) -> list[T]:
    """One of `every` cases, spread over all of them; all under `--all`."""
    return list(everything) if ALL else list(everything)[::every]


def count(all_of_them: int, usual: int) -> int:
    """How many times something is tried."""
    return all_of_them if ALL else usual


def long(test: Callable[..., Any]) -> Callable[..., Any] | None:
    """A test that runs under `--all` alone: elsewhere it is none, rather than one that is skipped."""
    return test if ALL else None
