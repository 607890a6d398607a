"""What the logbook shows: its shoots, what is learnt of a phone, and answers to ready questions."""

from __future__ import annotations

import contextlib
from collections import deque
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.logbook.database import usual_logbook
from bruto.logbook.exchange import export_text
from bruto.logbook.questions import LogbookContent, answered
from bruto.logbook.records import LogRecord
from bruto.logbook.store import Logbook
from bruto.output_planner import Outputs
from bruto.session.logbook_recorder import LogbookRecorder, demo_logbook
from bruto.session.shoot import Shoot
from bruto.session.workers import Post, Precedence, Worker
from bruto.shoot.verdicts import KEEP_OR_BEST
from bruto.storage.atomic_write import write_new


class LogbookSession:
    """Emits `changed` when there is something else to see."""

    changed = Signal()
    notice = Signal(str)
    message = Signal(str)

    def __init__(self, shoot: Shoot, remembering: LogbookRecorder, post: Post) -> None:
        self.shoot = shoot
        self._worker = Worker("looking back", post, Precedence.PAGE)
        self.answereding = self._worker.channel("logbook", 140)
        self._writing = self._worker.channel("writing in the logbook", 90)
        self._changes: deque[tuple[Path, Callable[[Logbook], Any], str]] = deque()
        self.state = LogbookContent()
        self.question, self._shoot, self._phone = "", "", ""
        self.wanted = False
        """Whether a page shows it: nothing is read before."""
        remembering.written.connect(self.again)

    def idle(self) -> bool:
        """Whether nothing is read or written."""
        return self._worker.idle()

    def finish(self) -> None:
        """Write what was noted, and end."""
        self._worker.close()
        with contextlib.suppress(BrutoError, OSError):  # there is nobody left to tell
            self._write()

    @property
    def place(self) -> Path:
        """Where the logbook lies that is shown."""
        return demo_logbook() if self.shoot.made_up else usual_logbook()

    def ask(self, question: str = "", shoot: str | None = None, phone: str | None = None) -> None:
        """Show the shots of a shoot, or the answer to a question (see `QUESTIONS`).

        Parameters
        ----------
        question
            Identifier of the question.
        shoot
            Name of the shoot.
        phone
            Model of the phone.
        """
        self.question = question
        if shoot is not None:
            self._shoot = shoot
        if phone is not None:
            self._phone = phone
        self.again()

    def again(self) -> None:
        """Read anew what is shown."""
        if self.wanted:
            work = partial(
                answered, self.place, KEEP_OR_BEST, self.question, self._shoot, self._phone, self.shoot.made_up
            )
            self.answereding.ask("logbook", work, self._show, self.message.emit)

    def _show(self, state: LogbookContent) -> None:
        self.state = state
        self.changed.emit()

    def _change(self, work: Callable[[Logbook], Any], sentence: str = "") -> None:
        """Change the logbook, in the order in which it is asked for; none is dropped for a newer one."""
        self._changes.append((self.place, work, sentence))
        self._writing.ask("logbook", self._write, self._written, self.message.emit)

    def _write(self) -> list[str]:
        """On the worker's thread: all that waits."""
        sentence = []
        while self._changes:
            place, work, text = self._changes.popleft()
            with Logbook(place) as book:
                work(book)
            sentence.append(text)
        return sentence

    def _written(self, sentence: list[str]) -> None:
        self.again()
        for text in filter(None, sentence):
            self.notice.emit(text)

    def set_values(self, records: Sequence[LogRecord], **values: Any) -> None:
        """Write down what the user noted of some shots; of all of the shoot that is shown, where none are given.

        Parameters
        ----------
        records
            Records of the logbook.
        **values
            Fields of the recipe with their new values.
        """
        keys, shoot = [r.key for r in records], self.state.shoot
        self._change(lambda book: book.set_values(keys, **values) if keys else book.set_shoot(shoot, **values))

    def note(self, shoot: str, note: str | None = None, battery: tuple[float, float, float] | None = None) -> None:
        """Note something of a shoot.

        Parameters
        ----------
        shoot
            Name of the shoot.
        note
            Note for people.
        battery
            Charge before and after, percent, and hours between.
        """
        self._change(lambda book: book.note_shoot(shoot, note, battery))

    def forget(self, shoot: str) -> None:
        """Delete the records of a shoot.

        Parameters
        ----------
        shoot
            Name of the shoot.
        """
        self._change(
            lambda book: book.forget_shoot(shoot),
            tr("Deleted the records of {shoot}; its files are unchanged.", shoot=shoot),
        )

    def export(self, path: Path, chosen: bool) -> None:
        """Write all of it to a file, .csv or .json; one that is there is replaced where its whole name was `chosen`.

        Parameters
        ----------
        path
            File to read.
        chosen
            Whether the user chose the name in a dialog that asked about replacing it.
        """
        kind = path.suffix.lower().lstrip(".")
        known = [f for s in self.shoot.shots for f in s.files]

        def work(book: Logbook) -> None:
            text = export_text(book, kind)
            target = Outputs([*known, book.place], overwrite=chosen).file(path)
            write_new(target, text.encode("utf-8", "surrogatepass"))

        self._change(work, tr("Saved {path}", path=path))
