"""Writers for tests that write the same temporary name many times; those of the program never replace a file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from bruto.container import dng_writer
from bruto.container.profile import CameraProfile
from bruto.container.profile_writer import profile_bytes


def write_dng(path: str | Path, *rest: Any, **more: Any) -> None:
    """`dng_writer.write_dng` over whatever the test wrote before."""
    Path(path).unlink(missing_ok=True)
    dng_writer.write_dng(path, *rest, **more)


def write_profile(path: str | Path, profile: CameraProfile, order: str = "<") -> None:
    """A profile as a file of its own, over whatever the test wrote before."""
    Path(path).write_bytes(profile_bytes(profile, order))
