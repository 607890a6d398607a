"""The logbook's store: SQLite in the user's data folder, one row for each measured shot.

Every change is one transaction in a write-ahead log: what is killed meanwhile leaves either all of it or nothing. What
cannot be written to (damaged, of a newer version, without permission) is opened for reading, and says why.
"""

from __future__ import annotations

import filecmp
import json
import shutil
import sqlite3
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import asdict, dataclass
from importlib.resources import files
from operator import attrgetter
from pathlib import Path
from typing import Any

import platformdirs

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.logbook.records import LONGEST, NAMES, LogRecord, as_csv, from_csv, record_of
from bruto.storage.atomic_write import free_names, own_folder
from bruto.storage.safe_read import FileAction, explain

VERSION = 3
APPLICATION = 0x4252554C
"""Mark of a logbook in a database's head (PRAGMA application_id)."""
MAGIC = b"SQLite format 3\x00"
"""What each database of SQLite begins with (its file format, 1.3.1)."""
READABLE = tr("What can still be read is shown: export it, move the file away, and import it again.")
UNREADABLE = tr("Nothing in it can be read: move the file away, and Bruto starts a new one.")
PRACTICE = (
    "CREATE TABLE IF NOT EXISTS practice (id INTEGER PRIMARY KEY, exercise TEXT NOT NULL, tried TEXT NOT NULL, "
    "was_right INTEGER NOT NULL) STRICT"
)
"""What version 2 adds: tries of exercises, when (ISO 8601), and whether they were right."""
RENAMED_IN_3 = (
    "ALTER TABLE shot RENAME COLUMN held TO support",
    "UPDATE shot SET verdict = CASE verdict WHEN 'reject' THEN 'discard' WHEN 'pick' THEN 'keep' END "
    "WHERE verdict IN ('reject', 'pick')",
    "UPDATE practice SET exercise = 'handheld' WHERE exercise = 'held'",
)
"""What version 3 renames: how a shot was held, two verdicts, and an exercise."""
OLD_EXERCISES = {"held": "handheld"}
"""Exercises as version 0.1 exported them."""
BUSY_S = 5.0
"""Seconds for which another window's writing is waited for."""
PAGE = 200
"""Records of a page, usually."""
MOST_SHOOTS = 200
"""Shoots that are listed, the newest."""
LARGEST_IMPORT = 512 << 20
"""Bytes of a file that is taken in at most."""
ORDERS = {"taken": "taken, id", "newest": "taken DESC, id DESC"}
_FILTERS = ("shoot", "model", "kind", "place", "verdict", "support", "iso", "focal_mm")


def usual_logbook() -> Path:
    """Where the user's logbook lies."""
    return Path(platformdirs.user_data_dir("bruto")) / "logbook.sqlite"


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


def _explained(error: sqlite3.Error, place: Path) -> BrutoError:
    """Return a database's error in plain words, with what to do."""
    text = str(error)
    if "locked" in text or "busy" in text:
        return BrutoError(
            tr("Another window is writing to the logbook {name}. Try again in a moment.", name=place.name)
        )
    if "full" in text:
        return BrutoError(
            tr(
                "There is no storage left for the logbook {place}. Free some and try again. Nothing was lost.",
                place=place,
            )
        )
    if "readonly" in text or "unable to open" in text:
        return BrutoError(
            tr("The logbook {place} cannot be written to. Check the permissions of its folder.", place=place)
        )
    return BrutoError(tr("The logbook {place} cannot be used: {text}.", place=place, text=text))


def _assignments(values: dict[str, Any]) -> str:
    """Return the part of a statement that sets values of a shot.

    Raises `BrutoError` where it has none such.
    """
    if not values or set(values) - set(NAMES[1:]):
        raise BrutoError(tr("A logbook does not store that about a shot."))
    record_of({"key": "k", **values})
    return ", ".join(f"{n} = ?" for n in values)


def _put(base: sqlite3.Connection, records: Iterable[LogRecord], by_hand: bool = False) -> None:
    """Insert records in a transaction, each in place of an earlier one of its shot; `by_hand`.

    How a shot was held is the user's word too, which goes before what was there.
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


def _note(base: sqlite3.Connection, name: str, note: str | None, battery: Any) -> None:
    """Note something of a shoot in a transaction."""
    base.execute("INSERT INTO shoot (name) VALUES (?) ON CONFLICT DO NOTHING", (name,))
    if note is not None:
        base.execute("UPDATE shoot SET note = ? WHERE name = ?", (note, name))
    if battery is not None:
        base.execute(
            "UPDATE shoot SET battery_from = ?, battery_to = ?, battery_hours = ? WHERE name = ?", (*battery, name)
        )


class Logbook:
    """A logbook that is open; close it when done. `problem`: why it can only be read, "" where it can be written."""

    def __init__(self, place: str | Path | None = None, *, begin: bool = True) -> None:
        """Open a logbook, or `begin` one.

        Raises `BrutoError` where not even an empty one can be had there, and where the file is something else.
        """
        self.place = usual_logbook() if place is None else Path(place)
        self.problem = ""
        if not begin and not self.place.is_file():
            raise BrutoError(tr("There is no logbook {place}.", place=self.place))
        self._check_kind()
        own_folder(self.place.parent)
        try:
            self._base = self._opened_in_time()
        except sqlite3.DatabaseError as error:
            text = str(error)
            if not ("malformed" in text or "not a database" in text or "corrupt" in text):
                self._base = self._reading(str(_explained(error, self.place)))
            else:
                aside = self._set_aside()
                self._base = self._reading("")
                left = bool(self._base.execute("SELECT EXISTS (SELECT 1 FROM shot)").fetchone()[0])
                self.problem = tr(
                    "The logbook {place} is damaged. It is unchanged, and a copy is saved as {aside}. ",
                    place=self.place,
                    aside=aside,
                ) + (READABLE if left else UNREADABLE)

    def _connected(self, uri: str) -> sqlite3.Connection:
        base = sqlite3.connect(uri, uri=True, timeout=BUSY_S, isolation_level=None, check_same_thread=False)
        base.row_factory = sqlite3.Row
        return base

    def _opened_in_time(self) -> sqlite3.Connection:
        """Open it; two that begin a logbook at once are in each other's way for a moment, whatever SQLite waits for."""
        end = time.monotonic() + BUSY_S
        while True:
            try:
                return self._opened()
            except sqlite3.OperationalError as error:
                if "locked" not in str(error) or time.monotonic() > end:
                    raise
                time.sleep(0.02)

    def _opened(self) -> sqlite3.Connection:
        base = self._connected(f"{self.place.absolute().as_uri()}?mode=rwc")
        try:
            self._check_own(base)
            version = int(base.execute("PRAGMA user_version").fetchone()[0])
            if version > VERSION:
                self.problem = tr(
                    "The logbook {name} was written by a newer version of Bruto. It is shown, but nothing is "
                    "written to "
                    "it.",
                    name=self.place.name,
                )
                return base
            if base.execute("PRAGMA journal_mode").fetchone()[0] != "wal":
                base.execute("PRAGMA journal_mode = WAL")
            base.execute("PRAGMA synchronous = NORMAL")
            base.execute("PRAGMA cache_size = -32000")
            if version < VERSION:
                self._migrate(base, version)
            if base.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok" and self._is_small():
                raise sqlite3.DatabaseError("malformed")
            return base
        except BaseException:
            base.close()
            raise

    def _check_kind(self) -> None:
        """Return raises `BrutoError` where a file that was named is no database at all.

        What lies where logbooks are kept is one, however damaged.
        """
        if self.place.parent.absolute() == usual_logbook().parent.absolute() or not self.place.exists():
            return
        if not self.place.is_file():
            raise BrutoError(tr("{place} is not a file and not a logbook.", place=self.place))
        try:
            with self.place.open("rb") as stream:
                head = stream.read(len(MAGIC))
        except OSError as error:
            raise explain(error, self.place, FileAction.READ) from error
        if head and head != MAGIC:
            raise BrutoError(tr("{name} is not a logbook and is left unchanged.", name=self.place.name))

    def _check_own(self, base: sqlite3.Connection) -> None:
        """Return raises `BrutoError` where a database is none of ours, before anything is changed in it.

        One without any table is one that was just begun.
        """
        base.execute("BEGIN")  # both are read of one state: another window may be beginning it
        mark = int(base.execute("PRAGMA application_id").fetchone()[0])
        tables = int(base.execute("SELECT count(*) FROM sqlite_master").fetchone()[0])
        base.execute("COMMIT")
        if mark != APPLICATION and (mark or tables):
            raise BrutoError(
                tr(
                    "{name} is the database of another program, not a logbook, and is left unchanged.",
                    name=self.place.name,
                )
            )

    def _is_small(self) -> bool:
        """Whether a look through all of it takes no time that is felt."""
        return self.place.stat().st_size < 64 << 20

    def _migrate(self, base: sqlite3.Connection, version: int) -> None:
        """From a version to this one, each step in one transaction."""
        base.execute("BEGIN IMMEDIATE")
        try:
            version = int(base.execute("PRAGMA user_version").fetchone()[0])  # another window may have been first
            if version < 1:
                lines = (files("bruto.logbook") / "schema.sql").read_text(encoding="utf-8").splitlines()
                text = "\n".join(line for line in lines if not line.startswith("--"))
                for statement in filter(str.strip, text.split(";")):
                    base.execute(statement)
            if version < 2:
                base.execute(PRACTICE)
            if version < 3:
                for statement in RENAMED_IN_3:
                    base.execute(statement)
            base.execute(f"PRAGMA application_id = {APPLICATION}")
            base.execute(f"PRAGMA user_version = {VERSION}")
            base.execute("COMMIT")
        except BaseException:
            base.execute("ROLLBACK")
            raise

    def _set_aside(self) -> str:
        try:
            for known in self.place.parent.glob(f"{self.place.name}.damaged-*"):
                if filecmp.cmp(known, self.place, shallow=False):
                    return known.name  # it was opened before
            aside = free_names(self.place.parent, lambda n: [f"{self.place.name}.damaged-{n}"])[0]
            shutil.copyfile(self.place, aside)
            return aside.name
        except OSError:
            return tr("nothing, since the disk is full")

    def _reading(self, problem: str) -> sqlite3.Connection:
        """Find what can be read of it; an empty one in memory where nothing can."""
        self.problem = problem
        try:
            base = self._connected(f"{self.place.absolute().as_uri()}?mode=ro")
            base.execute("SELECT count(*) FROM shot").fetchone()
            version = int(base.execute("PRAGMA user_version").fetchone()[0])
            if 0 < version < VERSION:  # it cannot be migrated where it lies: a copy in memory is
                copy = self._connected("file::memory:")
                base.backup(copy)
                base.close()
                self._migrate(copy, version)
                return copy
            return base
        except sqlite3.Error:
            base = self._connected("file::memory:")
            self._migrate(base, 0)
            return base

    def close(self) -> None:
        """Close the file behind it."""
        self._base.close()

    def __enter__(self) -> Logbook:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -- writing

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        """One transaction. Raises `BrutoError`; then nothing of it was written."""
        if self.problem:
            raise BrutoError(self.problem)
        try:
            self._base.execute("BEGIN IMMEDIATE")
            try:
                yield self._base
                self._base.execute("COMMIT")
            except BaseException:
                if self._base.in_transaction:
                    self._base.execute("ROLLBACK")
                raise
        except sqlite3.Error as error:
            raise _explained(error, self.place) from error

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
        with self._writing() as base:
            _put(base, rows)
        return len(rows)

    def set_values(self, keys: Sequence[str], **values: Any) -> None:
        """Write down what the user tells of some shots: place, darkness, gear, held, note, verdict, picked.

        Parameters
        ----------
        keys
            Content hashes of the shots; all where there are none.
        **values
            Values to write or check.
        """
        sets = _assignments(values)
        with self._writing() as base:
            base.executemany(f"UPDATE shot SET {sets} WHERE key = ?", [(*values.values(), k) for k in keys])

    def set_shoot(self, shoot: str, **values: Any) -> int:
        """Write down what the user tells of all shots of a shoot, however many these are; how many.

        Parameters
        ----------
        shoot
            Name of the shoot.
        **values
            Values to write or check.

        Returns
        -------
        int
            The number.
        """
        sets = _assignments(values)
        with self._writing() as base:
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
        with self._writing() as base:
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
        with self._writing() as base:
            count = base.execute("DELETE FROM shot WHERE shoot = ?", (name,)).rowcount
            base.execute("DELETE FROM shoot WHERE name = ?", (name,))
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
        with self._writing() as base:
            _note(base, name, note, battery)

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
        with self._writing() as base:
            base.execute(
                "INSERT INTO practice (exercise, tried, was_right) VALUES (?, ?, ?)", (exercise[:40], at[:40], right)
            )

    # -- reading

    def scores(self) -> dict[str, tuple[int, int]]:
        """Right tries and all tries of each exercise; none of a logbook from before there were exercises."""
        if not self._asked("SELECT 1 FROM sqlite_master WHERE name = 'practice'"):
            return {}
        rows = self._asked("SELECT exercise, sum(was_right), count(*) FROM practice GROUP BY exercise")
        return {str(r[0]): (int(r[1]), int(r[2])) for r in rows}

    def _asked(self, text: str, values: Sequence[Any] = ()) -> list[sqlite3.Row]:
        try:
            with closing(self._base.execute(text, values)) as found:
                return found.fetchall()
        except sqlite3.Error as error:
            raise _explained(error, self.place) from error

    def page(self, offset: int = 0, limit: int = PAGE, order: str = "newest", **only: Any) -> list[LogRecord]:
        """Return the records in an order (see `ORDERS`).

        Parameters
        ----------
        offset
            Offset in bytes, or in records.
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
        return [LogRecord(**dict(row)) for row in self._asked(text, (*values, limit, offset))]

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
        return int(self._asked(f"SELECT count(*) FROM shot{where}", values)[0][0])

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
        rows = self._asked(
            "WITH RECURSIVE n(name) AS (SELECT min(shoot) FROM shot UNION ALL "
            "SELECT (SELECT min(shoot) FROM shot WHERE shoot > n.name) FROM n WHERE n.name IS NOT NULL), "
            "newest AS MATERIALIZED (SELECT name, (SELECT max(taken) FROM shot WHERE shoot = n.name) AS last FROM n "
            "WHERE name IS NOT NULL ORDER BY last DESC LIMIT ?) "
            "SELECT m.name AS name, count(*) AS shots, min(s.taken) AS begin, m.last AS end, "
            "sum(s.verdict IN ('keep', 'best')) AS picked, coalesce(sum(s.bytes), 0) AS bytes, "
            "coalesce(t.note, '') AS note FROM newest m JOIN shot s ON s.shoot = m.name "
            "LEFT JOIN shoot t ON t.name = m.name GROUP BY m.name ORDER BY m.last DESC",
            (limit,),
        )
        return [ShootRow(**dict(row)) for row in rows]

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
        return int(self._asked("SELECT count(DISTINCT shoot) FROM shot WHERE place = ?", (place,))[0][0])

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
        rows = self._asked(
            "SELECT darkness FROM shot WHERE place = ? AND darkness IS NOT NULL ORDER BY taken DESC, id DESC LIMIT 1",
            (place,),
        )
        return float(rows[0][0]) if rows else None

    def phones(self) -> list[str]:
        """Models of the phones that shots were taken with."""
        # from one to the next in the index: a distinct count would go through all rows
        rows = self._asked(
            "WITH RECURSIVE m(model) AS (SELECT min(model) FROM shot UNION ALL "
            "SELECT (SELECT min(model) FROM shot WHERE model > m.model) FROM m WHERE m.model IS NOT NULL) "
            "SELECT model FROM m WHERE model IS NOT NULL"
        )
        return [str(row[0]) for row in rows]

    def batteries(self) -> list[tuple[str, float, float, float]]:
        """Shoots whose battery was noted: name, charge before and after, percent, and hours."""
        rows = self._asked(
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

    # -- out and in

    def exported(self, kind: str) -> str:
        """Return all of it as text: "csv" (the shots), or "json" (and what is noted of shoots, and of exercises).

        Parameters
        ----------
        kind
            Format: csv or json.

        Returns
        -------
        str
            All of it as text.
        """
        if kind == "csv":
            return as_csv(self.every())
        if kind != "json":
            raise BrutoError(tr("A logbook is exported as csv or json, not '{kind}'.", kind=kind))
        shoots = [dict(r) for r in self._asked("SELECT * FROM shoot ORDER BY name")]
        some = self._asked("SELECT exercise, tried, was_right FROM practice ORDER BY id") if self.scores() else []
        data = {
            "logbook": VERSION, "shots": [asdict(r) for r in self.every()], "shoots": shoots,
            "practice": [{"exercise": r[0], "tried": r[1], "right": bool(r[2])} for r in some],
        }  # fmt: skip
        return json.dumps(data, ensure_ascii=False, indent=1) + "\n"

    def imported(self, text: str, kind: str) -> int:
        """Import what was exported; all of it or nothing.

        How many shots.

        Parameters
        ----------
        text
            Text to read.
        kind
            Format: csv or json.

        Returns
        -------
        int
            The number.

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
                record_of(r if isinstance(r, dict) else {}, tr("Shot {k}", k=k + 1))
                for k, r in enumerate(data["shots"])
            ]
            tries = [
                (OLD_EXERCISES.get(p["exercise"], p["exercise"][:40]), p["tried"][:40],
                bool(p.get("right"))) for p in data.get("practice", [])
                if isinstance(p, dict) and isinstance(p.get("exercise"), str) and isinstance(p.get("tried"), str)
            ]  # fmt: skip
            shoots = [s for s in data.get("shoots", []) if isinstance(s, dict) and isinstance(s.get("name"), str)]
        with self._writing() as base:
            _put(base, records, by_hand=True)
            for s in shoots:
                charge = s.get("battery_from"), s.get("battery_to"), s.get("battery_hours")
                whole = all(isinstance(v, int | float) for v in charge)
                _note(base, s["name"], str(s.get("note", ""))[:LONGEST], charge if whole else None)
            for t in tries:  # one that is there already is the same one
                base.execute(
                    "INSERT INTO practice (exercise, tried, was_right) SELECT ?, ?, ? WHERE NOT EXISTS "
                    "(SELECT 1 FROM practice WHERE exercise = ? AND tried = ?)", (*t, *t[:2]),
                )  # fmt: skip
        return len(records)
