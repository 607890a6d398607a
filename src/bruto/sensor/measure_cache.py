"""Measures kept between runs: by the content of the file and the version of the method, in the user's cache."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from pathlib import Path

import platformdirs

from bruto.container.dng_reader import read_dng, read_dng_meta
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError
from bruto.sensor.advice import Offer, advise
from bruto.sensor.measurement import measure
from bruto.sensor.report import MEASURE_VERSION, SensorReport
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.documents import read_as
from bruto.storage.json_files import read_json
from bruto.storage.safe_read import content_key


def _place(key: str) -> Path:
    return Path(platformdirs.user_cache_dir("bruto")) / "measures" / f"v{MEASURE_VERSION}" / key[:2] / f"{key}.json"


def cached_report(path: str | Path, meta: RawMeta | None = None, offer: Offer | None = None) -> SensorReport | None:
    """Return the report that is kept of a raw, with its advice for `offer` made anew where `meta` is given.

    None where there is none.

    A damaged entry counts as none.

    Parameters
    ----------
    path
        File to read.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    offer
        What the phone offers.

    Returns
    -------
    SensorReport | None
        The report that is kept of a raw, with its advice for `offer` made anew where `meta` is given.
    """
    try:
        report = read_as(SensorReport, read_json(_place(content_key(path))))
    except (BrutoError, OSError, ValueError):
        return None
    return report if meta is None else replace(report, advice=advise(report, meta, offer))


def measured(path: str | Path, offer: Offer | None = None) -> SensorReport:
    """Return the report of a raw, measured unless it is kept.

    Parameters
    ----------
    path
        File to read.
    offer
        What the phone offers.

    Returns
    -------
    SensorReport
        The report of a raw, measured unless it is kept.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = Path(path)
    found = cached_report(path)
    if found is not None:
        return replace(found, advice=advise(found, read_dng_meta(path).meta, offer))
    report = measure(read_dng(path), offer)
    keep(path, report)
    return report


def keep(path: str | Path, report: SensorReport) -> None:
    """Keep a report; a full disk or a missing folder is no reason to fail.

    Parameters
    ----------
    path
        File to read.
    report
        What was measured.
    """
    try:
        place = _place(content_key(path))
        own_folder(place.parent)
        write_own(place, json.dumps(asdict(report)).encode(), durable=False)
    except (OSError, BrutoError):
        pass
