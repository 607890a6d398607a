"""The logbook's records: one row for each measured shot, and what is noted of shoots and exercises."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from operator import attrgetter
from pathlib import Path
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.logbook.database import LogbookFile
from bruto.logbook.records import NAMES, LogRecord, record_of

PAGE = 200
"""Records of a page, usually."""
MOST_SHOOTS = 200
"""Shoots that are listed, the newest."""
ORDERS = {"taken": "taken, id", "newest": "taken DESC, id DESC"}
FOLDERS = "CREATE TABLE IF NOT EXISTS folder (path TEXT PRIMARY KEY, shoot TEXT NOT NULL) STRICT"
"""Which shoot a folder of the disk is: two folders may be called alike."""
_FILTERS = ("shoot", "model", "kind", "place", "verdict", "support", "iso", "focal_mm")


@dataclass(frozen=True)
class ShootRow:
    """A shoot: how many shots, when the first and the last were taken, how many of them are picked, their bytes.

    And what was noted.
    """

    name: str
    shots: int
    begin: str
    end: str
    picked: int
    bytes: int
    note: str = ""
    dated: int = 0
    """Shots that state when they were taken."""

    @property
    def day(self) -> str:
        """Date of the last shot, YYYY-MM-DD; "" where most shots state none: that of a few others would be wrong."""
        return self.end[:10] if 2 * self.dated >= self.shots else ""


def _assignments(values: dict[str, Any]) -> str:
    """Return the part of a statement that sets values of a shot.

    Raises `BrutoError` where it has none such.
    """
    if not values or set(values) - set(NAMES[1:]):
        raise BrutoError(tr("A logbook does not store that about a shot."))
    record_of({"key": "k", **values})
    return ", ".join(f"{n} = ?" for n in values)


def put_records(base: sqlite3.Connection, records: Iterable[LogRecord], by_hand: bool = False) -> None:
    """Insert records in a transaction, each in place of an earlier one of its shot.

    Parameters
    ----------
    base
        The database, in a transaction.
    records
        The records.
    by_hand
        Whether a user wrote them: how a shot was held is then the user's word, which goes before what was there.
    """
    own_words = {"place", "gear", "note", "support"}
    sets = ", ".join(
        f"{n} = CASE WHEN {n} = '' THEN excluded.{n} ELSE {n} END" if n == "support" and not by_hand
        else f"{n} = CASE WHEN excluded.{n} = '' THEN {n} ELSE excluded.{n} END" if n in own_words
        else f"{n} = coalesce(excluded.{n}, {n})" if n == "darkness" else f"{n} = excluded.{n}"
        for n in NAMES if n != "key"
    )  # fmt: skip
    base.executemany(
        f"INSERT INTO shot ({', '.join(NAMES)}) VALUES ({', '.join('?' * len(NAMES))}) "
        f"ON CONFLICT (key) DO UPDATE SET {sets}",
        map(attrgetter(*NAMES), records),
    )


def write_note(base: sqlite3.Connection, name: str, note: str | None, battery: Any) -> None:
    """Note something of a shoot in a transaction.

    Parameters
    ----------
    base
        The database, in a transaction.
    name
        Title of the shoot.
    note
        Text, or None to leave it as it is.
    battery
        Charge before and after, percent, and hours; or None.
    """
    base.execute("INSERT INTO shoot (name) VALUES (?) ON CONFLICT DO NOTHING", (name,))
    if note is not None:
        base.execute("UPDATE shoot SET note = ? WHERE name = ?", (note, name))
    if battery is not None:
        base.execute(
            "UPDATE shoot SET battery_from = ?, battery_to = ?, battery_hours = ? WHERE name = ?", (*battery, name)
        )


class Logbook(LogbookFile):
    """A logbook that is open; close it when done. `problem`: why it can only be read, "" where it can be written."""

    def put(self, records: Iterable[LogRecord]) -> int:
        """Keep records, each in place of an earlier one of its shot.

        what was noted of that by hand (place, gear, note) stays where the new one tells nothing.

        How many.

        Parameters
        ----------
        records
            Records of the logbook.

        Returns
        -------
        int
            The number.

        Raises
        ------
        BrutoError
            Where that cannot be done; the message says why.
        """
        rows = list(records)
        with self.writing() as base:
            put_records(base, rows)
        return len(rows)

    def name_for(self, folder: Path, title: str, keys: Sequence[str]) -> str:
        """Return the name of a folder's shoot: its title, or a longer one where another folder has that already.

        A folder that was moved or copied under its title keeps its name: its shots are known by their content.

        Parameters
        ----------
        folder
            Where the shots lie.
        title
            What the folder is called.
        keys
            Content keys of some of its shots.

        Returns
        -------
        str
            Name that no shoot of another folder has.
        """
        place = os.fsencode(folder.resolve()).decode("utf-8", "backslashreplace")  # names may be no text
        with self.writing() as base:
            base.execute(FOLDERS)
            if found := base.execute("SELECT shoot FROM folder WHERE path = ?", (place,)).fetchone():
                return str(found[0])
            marks = ", ".join("?" * len(keys))
            known = base.execute(f"SELECT shoot FROM shot WHERE key IN ({marks}) LIMIT 1", tuple(keys)).fetchone()
            is_same = known is not None and f"{known[0]} ".startswith(f"{title} ")
            name = str(known[0]) if is_same else self._free_name(base, folder, title)
            base.execute("INSERT INTO folder (path, shoot) VALUES (?, ?)", (place, name))
        return name

    @staticmethod
    def _free_name(base: sqlite3.Connection, folder: Path, title: str) -> str:
        longer = tr("{title} in {parent}", title=title, parent=folder.resolve().parent.name or "/")
        for name in (title, longer, *(f"{longer} {k}" for k in range(2, 1000))):
            if not base.execute("SELECT 1 FROM shot WHERE shoot = ? LIMIT 1", (name,)).fetchone():
                return name
        return longer

    def set_values(self, keys: Sequence[str], **values: Any) -> None:
        """Write down what the user tells of some shots: place, darkness, gear, held, note, verdict, picked.

        Parameters
        ----------
        keys
            Content hashes of the shots; all where there are none.
        **values
            What is noted, by column.
        """
        sets = _assignments(values)
        with self.writing() as base:
            base.executemany(f"UPDATE shot SET {sets} WHERE key = ?", [(*values.values(), k) for k in keys])

    def set_shoot(self, shoot: str, **values: Any) -> int:
        """Write down what the user tells of all shots of a shoot, however many these are; how many.

        Parameters
        ----------
        shoot
            Name of the shoot.
        **values
            What is noted, by column.

        Returns
        -------
        int
            The number.
        """
        sets = _assignments(values)
        with self.writing() as base:
            return int(base.execute(f"UPDATE shot SET {sets} WHERE shoot = ?", (*values.values(), shoot)).rowcount)

    def set_place(self, place: str, **values: Any) -> int:
        """Write down what the user noted of all shots of a place; how many.

        Parameters
        ----------
        place
            Name of a place, as the user calls it.
        **values
            Values to write or check.

        Returns
        -------
        int
            The number.
        """
        sets = _assignments(values)
        with self.writing() as base:
            return int(base.execute(f"UPDATE shot SET {sets} WHERE place = ?", (*values.values(), place)).rowcount)

    def forget_shoot(self, name: str) -> int:
        """Delete all records of a shoot, and what was noted of it.

        How many there were.

        Parameters
        ----------
        name
            Name of the shoot.

        Returns
        -------
        int
            The number.
        """
        with self.writing() as base:
            count = base.execute("DELETE FROM shot WHERE shoot = ?", (name,)).rowcount
            base.execute("DELETE FROM shoot WHERE name = ?", (name,))
            base.execute(FOLDERS)
            base.execute("DELETE FROM folder WHERE shoot = ?", (name,))
        return int(count)

    def note_shoot(self, name: str, note: str | None = None, battery: tuple[float, float, float] | None = None) -> None:
        """Note something of a shoot.

        Parameters
        ----------
        name
            Name of the shoot.
        note
            Note for people.
        battery
            Charge at its beginning and end, percent, and the hours between.
        """
        with self.writing() as base:
            write_note(base, name, note, battery)

    def tried(self, exercise: str, at: str, right: bool) -> None:
        """Write down a try of an exercise: when (ISO 8601), and whether it was right.

        Parameters
        ----------
        exercise
            Identifier of the exercise.
        at
            Time, ISO 8601.
        right
            Whether the answer was right.
        """
        with self.writing() as base:
            base.execute(
                "INSERT INTO practice (exercise, tried, was_right) VALUES (?, ?, ?)", (exercise[:40], at[:40], right)
            )

    # -- reading

    def scores(self) -> dict[str, tuple[int, int]]:
        """Right tries and all tries of each exercise; none of a logbook from before there were exercises."""
        if not self.asked("SELECT 1 FROM sqlite_master WHERE name = 'practice'"):
            return {}
        rows = self.asked("SELECT exercise, sum(was_right), count(*) FROM practice GROUP BY exercise")
        return {str(r[0]): (int(r[1]), int(r[2])) for r in rows}

    def page(self, offset: int = 0, limit: int = PAGE, order: str = "newest", **only: Any) -> list[LogRecord]:
        """Return the records in an order (see `ORDERS`).

        Parameters
        ----------
        offset
            Records that come before.
        limit
            Largest number.
        order
            Order in which they are returned.
        **only
            Values that they have, of shoot, model, kind, place, ….

        Returns
        -------
        list[LogRecord]
            Records in an order (see `ORDERS`).
        """
        where, values = self._where(only)
        # by number first: the index alone is gone through up to the page
        text = (
            f"SELECT {', '.join(NAMES)} FROM shot WHERE id IN (SELECT id FROM shot{where} ORDER BY {ORDERS[order]} "
            f"LIMIT ? OFFSET ?) ORDER BY {ORDERS[order]}"
        )
        return [LogRecord(**dict(row)) for row in self.asked(text, (*values, limit, offset))]

    def _where(self, only: dict[str, Any]) -> tuple[str, list[Any]]:
        if set(only) - set(_FILTERS):
            raise BrutoError(tr("The logbook cannot be searched by that."))
        return (" WHERE " + " AND ".join(f"{n} = ?" for n in only) if only else ""), list(only.values())

    def count(self, **only: Any) -> int:
        """Find how many records there are with some values.

        Parameters
        ----------
        **only
            Values that the records must have, by column.

        Returns
        -------
        int
            How many records there are with some values.
        """
        where, values = self._where(only)
        return int(self.asked(f"SELECT count(*) FROM shot{where}", values)[0][0])

    def shoots(self, limit: int = MOST_SHOOTS) -> list[ShootRow]:
        """Return the shoots, the newest first.

        Parameters
        ----------
        limit
            Largest number.

        Returns
        -------
        list[ShootRow]
            Shoots, the newest first.
        """
        # from name to name in the index, and only those that are shown are summed up: a million shots are many
        rows = self.asked(
            "WITH RECURSIVE n(name) AS (SELECT min(shoot) FROM shot UNION ALL "
            "SELECT (SELECT min(shoot) FROM shot WHERE shoot > n.name) FROM n WHERE n.name IS NOT NULL), "
            "newest AS MATERIALIZED (SELECT name, (SELECT max(taken) FROM shot WHERE shoot = n.name) AS last FROM n "
            "WHERE name IS NOT NULL ORDER BY last DESC LIMIT ?) "
            "SELECT m.name AS name, count(*) AS shots, min(nullif(s.taken, '')) AS begin, m.last AS end, "
            "sum(s.taken != '') AS dated, "
            "sum(s.verdict IN ('keep', 'best')) AS picked, coalesce(sum(s.bytes), 0) AS bytes, "
            "coalesce(t.note, '') AS note FROM newest m JOIN shot s ON s.shoot = m.name "
            "LEFT JOIN shoot t ON t.name = m.name GROUP BY m.name ORDER BY m.last DESC",
            (limit,),
        )
        return [ShootRow(**(dict(row) | {"begin": row["begin"] or ""})) for row in rows]

    def visits(self, place: str) -> int:
        """Find how many shoots were at a place.

        Parameters
        ----------
        place
            Name of a place, as the user calls it.

        Returns
        -------
        int
            How many shoots were at a place.
        """
        return int(self.asked("SELECT count(DISTINCT shoot) FROM shot WHERE place = ?", (place,))[0][0])

    def darkness(self, place: str) -> float | None:
        """Compute the darkness that was noted last of a place, magnitudes per square arc second.

        None where none was.

        Parameters
        ----------
        place
            Name of a place, as the user calls it.

        Returns
        -------
        float | None
            The darkness that was noted last of a place, magnitudes per square arc second.
        """
        rows = self.asked(
            "SELECT darkness FROM shot WHERE place = ? AND darkness IS NOT NULL ORDER BY taken DESC, id DESC LIMIT 1",
            (place,),
        )
        return float(rows[0][0]) if rows else None

    def places(self) -> list[str]:
        """Names of the places that shots were noted at, those visited last first."""
        rows = self.asked("SELECT place FROM shot WHERE place <> '' GROUP BY place ORDER BY max(taken) DESC", ())
        return [str(name) for (name,) in rows]

    def phones(self) -> list[str]:
        """Models of the phones that shots were taken with."""
        # from one to the next in the index: a distinct count would go through all rows
        rows = self.asked(
            "WITH RECURSIVE m(model) AS (SELECT min(model) FROM shot UNION ALL "
            "SELECT (SELECT min(model) FROM shot WHERE model > m.model) FROM m WHERE m.model IS NOT NULL) "
            "SELECT model FROM m WHERE model IS NOT NULL"
        )
        return [str(row[0]) for row in rows]

    def batteries(self) -> list[tuple[str, float, float, float]]:
        """Shoots whose battery was noted: name, charge before and after, percent, and hours."""
        rows = self.asked(
            "SELECT name, battery_from, battery_to, battery_hours FROM shoot WHERE battery_hours > 0 ORDER BY name"
        )
        return [tuple(row) for row in rows]

    def every(self, **only: Any) -> Iterator[LogRecord]:
        """Return all records with some values, in the order in which they were taken, some at a time.

        Parameters
        ----------
        **only
            Values that the records must have, by column.

        Yields
        ------
        LogRecord
            All records with some values, in the order in which they were taken, some at a time.
        """
        offset = 0
        while some := self.page(offset, 5000, "taken", **only):
            yield from some
            offset += len(some)
