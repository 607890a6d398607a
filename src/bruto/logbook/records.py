"""What is remembered of a shot: measures and settings, no picture."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError

LONGEST = 4000
"""Characters of a text at most."""
SUPPORTS = ("", "hand", "tripod")
OLD_IDS = {"reject": "discard", "pick": "keep"}
"""Verdicts as version 0.1 wrote them."""


@dataclass(frozen=True)
class LogRecord:
    """One measured shot."""

    key: str
    """Content hash of its file, by which it is known wherever it lies."""
    shoot: str = ""
    """Its folder as the user calls it."""
    name: str = ""
    taken: str = ""
    make: str = ""
    model: str = ""
    focal_mm: float | None = None
    focal_35mm: float | None = None
    f_number: float | None = None
    kind: str = ""
    width: int | None = None
    height: int | None = None
    iso: float | None = None
    exposure_s: float | None = None
    noise_a: float | None = None
    """Of variance a x + b of green, x in shares of saturation, `noise_error`: factor on its standard deviation between
    which the truth is likely.
    """
    noise_b: float | None = None
    """Of variance a x + b of green, x in shares of saturation, `noise_error`: factor on its standard deviation between
    which the truth is likely.
    """
    noise_error: float | None = None
    """Factor on its standard deviation between which the truth is likely."""
    headroom_ev: float | None = None
    viewfinder_ev: float | None = None
    """How early its preview warned."""
    program: str = ""
    blur_px: float | None = None
    """Length and direction of movement."""
    blur_deg: float | None = None
    """Length and direction of movement."""
    support: str = ""
    """"hand", "tripod" or ""."""
    sharpness: float | None = None
    place: str = ""
    darkness: float | None = None
    """Of the sky, magnitudes per square arc second."""
    gear: str = ""
    verdict: str = ""
    picked: str = ""
    recipe: str = ""
    """Digest of its corrections."""
    bytes: int | None = None
    """Of its files."""
    note: str = ""


NAMES = tuple(f.name for f in fields(LogRecord))
_KINDS: dict[str, str] = {f.name: str(f.type).split(" ")[0] for f in fields(LogRecord)}


def _renamed(data: Mapping[str, Any]) -> dict[str, Any]:
    """Values of a record exported by version 0.1 under the names of this version."""
    found: dict[str, Any] = {}
    if "held" in data and "support" not in data:
        found["support"] = data["held"]
    if data.get("verdict") in OLD_IDS:
        found["verdict"] = OLD_IDS[data["verdict"]]
    return found


def record_of(data: Mapping[str, Any], where: str = tr("A record")) -> LogRecord:
    """Return a record from plain values, as texts or as they are; what it does not know is passed over.

    Parameters
    ----------
    data
        Stored data.
    where
        Name of the structure for messages.

    Returns
    -------
    LogRecord
        A record from plain values, as texts or as they are.

    Raises
    ------
    BrutoError
        Where a value cannot be real.
    """
    data = {**data, **_renamed(data)}
    found: dict[str, Any] = {}
    for name in NAMES:
        value = data.get(name)
        kind = _KINDS[name]
        if kind == "str":
            text = "" if value is None else str(value)
            if len(text) > LONGEST or "\x00" in text:
                raise BrutoError(tr("{where}: '{name}' is too long or not text.", where=where, name=name))
            found[name] = text
        elif value is None or value == "":
            found[name] = None
        else:
            try:
                number = float(value)
            except (TypeError, ValueError) as error:
                raise BrutoError(
                    tr(
                        "{where}: '{name}' is not a number but '{value}'.",
                        where=where,
                        name=name,
                        value=str(value)[:40],
                    )
                ) from error
            if not math.isfinite(number) or isinstance(value, bool) or abs(number) > 1e15:
                raise BrutoError(
                    tr("{where}: '{name}' cannot be {value}.", where=where, name=name, value=str(value)[:40])
                )
            found[name] = round(number) if kind == "int" else number
    if not found["key"]:
        raise BrutoError(tr("{where} has no 'key' that identifies a shot.", where=where))
    if found["support"] not in SUPPORTS:
        raise BrutoError(
            tr(
                "{where}: 'support' is hand, tripod or empty, not '{support}'.",
                where=where,
                support=found["support"][:40],
            )
        )
    return LogRecord(**found)


def as_csv(records: Iterable[LogRecord]) -> str:
    """Return the records as a table with a line of names; numbers with all their digits.

    A text that a table would take for a formula is written as it is: it is data, and comes back unchanged.

    Parameters
    ----------
    records
        Records of the logbook.

    Returns
    -------
    str
        Records as a table with a line of names.
    """
    out = io.StringIO(newline="")
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow(NAMES)
    for record in records:
        row = asdict(record)
        table.writerow(["" if row[n] is None else repr(row[n]) if isinstance(row[n], float) else row[n] for n in NAMES])
    return out.getvalue()


def from_csv(text: str) -> list[LogRecord]:
    """Return the records of a table as `as_csv` writes it.

    Parameters
    ----------
    text
        Text to read.

    Returns
    -------
    list[LogRecord]
        Records of a table as `as_csv` writes it.

    Raises
    ------
    BrutoError
        Naming the line.
    """
    rows = csv.DictReader(io.StringIO(text, newline=""))
    if not rows.fieldnames or "key" not in rows.fieldnames:
        raise BrutoError(tr("This table is not from a logbook: its first line has no 'key'."))
    try:
        return [record_of(row, tr("Line {k}", k=k + 2)) for k, row in enumerate(rows)]
    except csv.Error as error:
        raise BrutoError(tr("This table cannot be read: {error}.", error=error)) from error
