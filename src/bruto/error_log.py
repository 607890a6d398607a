"""Where defects of ours go: the whole trace into a log file, one line to the user that says where it is."""

from __future__ import annotations

import contextlib
import os
import tempfile
import time
import traceback
from pathlib import Path

import platformdirs

from bruto.catalog import tr

LARGEST_LOG = 4 << 20
"""A log that has grown to this many bytes is begun anew; the one before is kept."""


def log_file() -> Path:
    """Where unexpected errors are written."""
    return Path(platformdirs.user_state_dir("bruto")) / "errors.log"


def unexpected(error: BaseException, doing: str) -> str:
    """Note an error that is a defect of the program; return the one line that the user reads.

    Parameters
    ----------
    error
        The error.
    doing
        What was being done, for the log only.

    Returns
    -------
    str
        Note an error that is a defect of the program.
    """
    trace = "".join(traceback.format_exception(error))
    where = tr("the log could not be written")
    for place in (log_file(), Path(tempfile.gettempdir()) / f"bruto-errors-{os.getuid()}.log"):
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            with contextlib.suppress(OSError):
                if place.stat().st_size > LARGEST_LOG:
                    os.replace(place, place.with_suffix(".before.log"))
            with place.open("a", encoding="utf-8", errors="backslashreplace") as stream:
                stream.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')} {doing}\n{trace}\n")
            where = tr("details are in {place}", place=place)
            break
        except OSError:
            continue
    return tr(
        "An error in Bruto itself while {doing}: this could not be finished. Your files are unchanged; {where}.",
        doing=doing,
        where=where,
    )
