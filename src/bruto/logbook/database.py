"""The logbook's file: a SQLite database that is opened, begun, migrated, or read where it cannot be written to.

Every change is one transaction in a write-ahead log: what is killed meanwhile leaves either all of it or nothing. What
cannot be written to (damaged, of a newer version, without permission) is opened for reading, and says why.
"""

from __future__ import annotations

import filecmp
import shutil
import sqlite3
import time
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any, Self

import platformdirs

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.storage.atomic_write import own_folder
from bruto.storage.file_names import free_names
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
BUSY_S = 5.0
"""Seconds for which another window's writing is waited for."""


def usual_logbook() -> Path:
    """Where the user's logbook lies."""
    return Path(platformdirs.user_data_dir("bruto")) / "logbook.sqlite"


def explained(error: sqlite3.Error, place: Path) -> BrutoError:
    """Say a database's error in plain words, with what to do.

    Parameters
    ----------
    error
        What the database said.
    place
        The logbook's file.

    Returns
    -------
    BrutoError
        To be raised.
    """
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


class LogbookFile:
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
                self._base = self._reading(str(explained(error, self.place)))
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
        """Raise `BrutoError` where a file that was named is no database at all.

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
        """Raise `BrutoError` where a database is none of ours, before anything is changed in it.

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

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -- for what reads and writes it

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
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
            raise explained(error, self.place) from error

    def asked(self, text: str, values: Sequence[Any] = ()) -> list[sqlite3.Row]:
        """Read the rows that a statement selects.

        Parameters
        ----------
        text
            The statement.
        values
            What stands for its question marks.

        Returns
        -------
        list[sqlite3.Row]
            The rows found.

        Raises
        ------
        BrutoError
            Where the file cannot be read.
        """
        try:
            with closing(self._base.execute(text, values)) as found:
                return found.fetchall()
        except sqlite3.Error as error:
            raise explained(error, self.place) from error
