"""A logbook out as CSV or JSON, and in again."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.logbook.database import VERSION
from bruto.logbook.records import LONGEST, as_csv, from_csv, record_of
from bruto.logbook.store import Logbook, put_records, write_note

OLD_EXERCISES = {"held": "handheld"}
"""Exercises as version 0.1 exported them."""
LARGEST_IMPORT = 512 << 20
"""Bytes of the largest file that is imported."""


def export_text(book: Logbook, kind: str) -> str:
    """Export a logbook: "csv" (the shots), or "json" (and what is noted of shoots, and of exercises).

    Parameters
    ----------
    book
        The logbook.
    kind
        Format: csv or json.

    Returns
    -------
    str
        All of it as text.
    """
    if kind == "csv":
        return as_csv(book.every())
    if kind != "json":
        raise BrutoError(tr("A logbook is exported as csv or json, not '{kind}'.", kind=kind))
    shoots = [dict(r) for r in book.asked("SELECT * FROM shoot ORDER BY name")]
    some = book.asked("SELECT exercise, tried, was_right FROM practice ORDER BY id") if book.scores() else []
    data = {
        "logbook": VERSION, "shots": [asdict(r) for r in book.every()], "shoots": shoots,
        "practice": [{"exercise": r[0], "tried": r[1], "right": bool(r[2])} for r in some],
    }  # fmt: skip
    return json.dumps(data, ensure_ascii=False, indent=1) + "\n"


def import_text(book: Logbook, text: str, kind: str) -> int:
    """Import what was exported; all of it or nothing.

    Parameters
    ----------
    book
        The logbook.
    text
        Text to read.
    kind
        Format: csv or json.

    Returns
    -------
    int
        How many shots.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    if len(text) > LARGEST_IMPORT:
        raise BrutoError(tr("This file is too large for a logbook."))
    shoots: list[Any] = []
    tries: list[tuple[str, str, bool]] = []
    if kind == "csv":
        records = from_csv(text)
    else:
        try:
            data = json.loads(text)
        except (ValueError, RecursionError) as error:
            raise BrutoError(tr("This is not JSON: {error}.", error=str(error)[:100])) from error
        if not isinstance(data, dict) or not isinstance(data.get("shots"), list):
            raise BrutoError(tr("This file is not from a logbook: it has no 'shots'."))
        records = [
            record_of(r if isinstance(r, dict) else {}, tr("Shot {k}", k=k + 1)) for k, r in enumerate(data["shots"])
        ]
        tries = [
            (OLD_EXERCISES.get(p["exercise"], p["exercise"][:40]), p["tried"][:40],
            bool(p.get("right"))) for p in data.get("practice", [])
            if isinstance(p, dict) and isinstance(p.get("exercise"), str) and isinstance(p.get("tried"), str)
        ]  # fmt: skip
        shoots = [s for s in data.get("shoots", []) if isinstance(s, dict) and isinstance(s.get("name"), str)]
    with book.writing() as base:
        put_records(base, records, by_hand=True)
        for s in shoots:
            charge = s.get("battery_from"), s.get("battery_to"), s.get("battery_hours")
            whole = all(isinstance(v, int | float) for v in charge)
            write_note(base, s["name"], str(s.get("note", ""))[:LONGEST], charge if whole else None)
        for t in tries:  # one that is there already is the same one
            base.execute(
                "INSERT INTO practice (exercise, tried, was_right) SELECT ?, ?, ? WHERE NOT EXISTS "
                "(SELECT 1 FROM practice WHERE exercise = ? AND tried = ?)", (*t, *t[:2]),
            )  # fmt: skip
    return len(records)
