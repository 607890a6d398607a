"""Writers for tests that write the same temporary name many times; those of the program never replace a file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from bruto.container import dng_writer, profile


def write_dng(path: str | Path, *rest: Any, **more: Any) -> None:
    """`dng_writer.write_dng` over whatever the test wrote before."""
    Path(path).unlink(missing_ok=True)
    dng_writer.write_dng(path, *rest, **more)


def write_profile(path: str | Path, *rest: Any, **more: Any) -> None:
    """`profile.write_profile` over whatever the test wrote before."""
    Path(path).unlink(missing_ok=True)
    profile.write_profile(path, *rest, **more)
