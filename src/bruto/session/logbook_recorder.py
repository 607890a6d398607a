"""Every measured shot leaves a record in the logbook by itself, some at a time, behind the window.

Shots of the simulated phone go into a logbook of their own: what is made up is never learnt from.
"""

from __future__ import annotations

import threading
from dataclasses import replace
from functools import partial
from pathlib import Path

from psygnal import Signal

from bruto.errors import BrutoError
from bruto.logbook.database import usual_logbook
from bruto.logbook.record_builder import record_from
from bruto.logbook.records import LogRecord, record_of
from bruto.logbook.store import Logbook
from bruto.sensor.report import SensorReport
from bruto.session.shoot import Shoot
from bruto.session.workers import Post, Precedence, Worker
from bruto.shoot.shots import Shot
from bruto.shoot.tripod import support_of
from bruto.simphone.logbook_history import history
from bruto.simphone.sensor_model import MAKE, MODEL

BATCH, WAIT_S = 50, 0.5
"""Shots that are written at once, and seconds for which more of them are waited for."""
Noted = tuple[Shot, SensorReport, str, Path, str, str, tuple[Path, Path] | None]
"""A shot, what was measured, its shoot and folder, how it was held, its verdict, and two frames that tell how."""
STEADY = ("trail",)
"""Kinds of set whose frames stand on a tripod."""
SHAKES = ("burst", "bracket")
"""Kinds of set of which two frames tell how they were held."""


def demo_logbook() -> Path:
    """Where the logbook of the simulated phone lies."""
    return usual_logbook().with_name("logbook-demo.sqlite")


class LogbookRecorder:
    """`problem` tells once why nothing can be written down; `written` tells that there are new records."""

    problem = Signal(str)
    written = Signal()

    def __init__(self, shoot: Shoot, post: Post) -> None:
        self.shoot, self._post = shoot, post
        self._worker = Worker("logbook", post, Precedence.BEHIND)
        self._channel = self._worker.channel("logbook")
        self._closing = threading.Event()
        self._lock = threading.Lock()
        self._waiting: dict[str, Noted] = {}
        self._reported: set[str] = set()
        self._supports: dict[tuple[Path, Path], str] = {}
        shoot.measured.connect(self.note)
        shoot.judged.connect(self.note)

    def note(self, shot: Shot) -> None:
        """Write down a shot, soon.

        Parameters
        ----------
        shot
            The shot concerned.
        """
        report = self.shoot.reports.get(str(shot.main))
        if report is None or shot.seen is None or shot.seen.merged:
            return
        group = self.shoot.set_of(shot)
        support = "tripod" if group.kind in STEADY else ""
        raws = [s.raw for s in group.shots if s.raw is not None and not s.problem]
        two = (raws[0], raws[1]) if group.kind in SHAKES and len(raws) > 1 else None
        verdict = self.shoot.verdicts.get(str(shot.main), "")
        with self._lock:
            self._waiting[str(shot.main)] = (shot, report, self.shoot.title, self.shoot.folder, support, verdict, two)
        self._channel.ask("logbook", self._write, lambda _: None, self._failed)

    def _take(self) -> list[Noted]:
        with self._lock:
            some = list(self._waiting)[:BATCH]
            return [self._waiting.pop(k) for k in some]

    def _write(self) -> None:
        if len(self._waiting) < BATCH:
            self._closing.wait(WAIT_S)
        count, late = 0, []
        while some := self._take():
            by_place: dict[Path, list[tuple[Noted, LogRecord]]] = {}
            for noted in some:
                shot, report, title, _, support, verdict, two = noted
                support = support or self._how(two)
                seen = shot.seen
                assert seen is not None
                place = demo_logbook() if (seen.make, seen.model) == (MAKE, MODEL) else usual_logbook()
                try:
                    record = record_from(
                        shot.main, seen, report, shoot=title, files=shot.files, verdict=verdict, support=support
                    )
                except (BrutoError, OSError):
                    continue  # it is gone: it was reported where it is shown
                by_place.setdefault(place, []).append((noted, record))
            for place, records in by_place.items():
                try:
                    with Logbook(place) as book:
                        if place == demo_logbook() and not book.problem and not book.count():
                            book.put(record_of(r) for r in history())  # so that there is something to look back at
                        count += book.put(self._named(book, records))
                except (BrutoError, OSError) as error:  # reported at once: a later request may take this one's place
                    self._post(partial(self._failed, str(error)))
                    late += [noted for noted, _ in records]
        with self._lock:
            for noted in late:  # they are written with the next ones, if that goes then
                self._waiting.setdefault(str(noted[0].main), noted)
        if count:  # reported from here: a later request takes the place of this one, and only its answer is given
            self._post(self.written.emit)

    @staticmethod
    def _named(book: Logbook, records: list[tuple[Noted, LogRecord]]) -> list[LogRecord]:
        """Give records the names of their folders' shoots."""
        keys: dict[tuple[Path, str], list[str]] = {}
        for noted, record in records:
            keys.setdefault((noted[3], record.shoot), []).append(record.key)
        names = {which: book.name_for(*which, some) for which, some in keys.items()}
        return [replace(record, shoot=names[noted[3], record.shoot]) for noted, record in records]

    def _how(self, two: tuple[Path, Path] | None) -> str:
        """How a set was held by two of its frames, looked at once."""
        if two is None or self._closing.is_set():
            return self._supports.get(two, "") if two is not None else ""
        if two not in self._supports:
            self._supports[two] = support_of(*two)
        return self._supports[two]

    def _failed(self, why: str) -> None:
        if why not in self._reported:
            self._reported.add(why)
            self.problem.emit(why)

    def finish(self) -> None:
        """Write what waits, before the window closes."""
        self._closing.set()
        self._worker.close()
        if self._waiting:
            self._write()
