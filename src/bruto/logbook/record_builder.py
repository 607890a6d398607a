"""A record of a shot, from what its file says and what was measured of it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from bruto.catalog import tr
from bruto.container.quick_metadata import QuickMetadata
from bruto.errors import BrutoError
from bruto.logbook.records import LogRecord
from bruto.sensor.report import SensorReport
from bruto.storage.safe_read import content_key


def _size(files: Sequence[Path]) -> int | None:
    try:
        return sum(f.stat().st_size for f in files)
    except OSError:
        return None


def record_from(
    path: Path, seen: QuickMetadata, report: SensorReport | None, *, shoot: str, files: Sequence[Path] = (), verdict:
    str = "",
    support: str = "", key: str = "",
) -> LogRecord:  # fmt: skip
    """Return the record of a shot.

    Parameters
    ----------
    path
        Its main file, and what that says.
    seen
        Its main file, and what that says.
    report
        What was measured, None where nothing was.
    shoot
        What its folder is called.
    files
        All its files, which are counted as storage.
    verdict
        Verdict: discard, spare, keep, best, or "" for none.
    support
        "tripod" or "hand" where that is known.
    key
        Content key, where it is known.

    Returns
    -------
    LogRecord
        The record of the shot.

    Raises
    ------
    BrutoError
        Where the file cannot be read.
    """
    if not seen.model and report is None:
        raise BrutoError(tr("{name} contains nothing to learn from.", name=path.name))
    measured: dict[str, Any] = {}
    if report is not None:
        a, b = report.noise_measured
        blur = report.motion_px
        if blur is None and report.edge_blur_px is not None:
            blur = 0.0  # there are edges, and none of them tells of a movement
        measured = {
            "noise_a": a if a > 0 else None, "noise_b": b if a > 0 else None,
            "noise_error": report.noise_interval[1], "headroom_ev": report.headroom_ev,
            "viewfinder_ev": report.preview_offset_ev, "blur_px": blur, "blur_deg": report.motion_degrees,
            "sharpness": report.sharpest,
        }  # fmt: skip
    width, height = seen.size
    return LogRecord(
        key=key or content_key(path), shoot=shoot, name=path.stem, taken=seen.taken_iso, make=seen.make,
        model=seen.model, focal_mm=seen.focal_mm, focal_35mm=seen.focal_35mm, f_number=seen.f_number, kind=seen.kind,
        width=width, height=height, iso=seen.iso, exposure_s=seen.exposure_s, program=seen.software, support=support,
        verdict=verdict, bytes=_size(files or [path]), **measured,
    )  # fmt: skip
