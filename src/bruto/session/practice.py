"""Practice: one exercise at a time, made behind the window; tries are kept in the logbook."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from psygnal import Signal

from bruto.logbook.store import Logbook
from bruto.session.workers import Post, Precedence, Worker

if TYPE_CHECKING:
    from bruto.practice.rounds import Round

FIRST = "raw"
"""The first of `practice.exercises.ORDER`, which takes long to import."""


class PracticeSession:
    """`changed`: there is another round, answer or score to see."""

    changed = Signal()
    message = Signal(str)

    def __init__(self, post: Post, book: Callable[[], Path]) -> None:
        """`book`: where the logbook lies that scores are kept in."""
        self._book = book
        self._worker = Worker("practice", post, Precedence.LONG)
        self._making = self._worker.channel("an exercise", 50)
        self._scoring = self._worker.channel("scores", 80)
        self.exercise = FIRST
        self.round: Round | None = None
        self.answer: int | None = None
        """What was answered, None before."""
        self.scores: dict[str, tuple[int, int]] = {}
        """Right tries and all, by exercise."""
        self.seed = time.time_ns() % 1_000_003
        self.problem = ""

    def begin(self) -> None:
        """Show scores, and a first round where there is none."""
        self._scoring.ask("scores", self._read, self._scored, self.message.emit)
        if self.round is None:
            self.choose(self.exercise)

    def choose(self, name: str) -> None:
        """Turn to an exercise with a new round.

        Parameters
        ----------
        name
            Name as the user sees it.
        """
        self.exercise, self.round, self.answer, self.problem = name, None, None, ""
        self.seed += 1
        self.changed.emit()
        self._making.ask(name, partial(_round, name, self.seed), self._made, self._failed)

    def again(self) -> None:
        """Another round of this exercise."""
        self.choose(self.exercise)

    def next(self) -> None:
        """Turn to the exercise after this one."""
        from bruto.practice.exercises import ORDER

        self.choose(ORDER[(ORDER.index(self.exercise) + 1) % len(ORDER)])

    def _made(self, made: Round) -> None:
        self.round = made
        self.changed.emit()

    def _failed(self, why: str) -> None:
        self.problem = why
        self.changed.emit()

    def give(self, answer: int) -> None:
        """Give an answer; the first one counts.

        Parameters
        ----------
        answer
            Number of the answer.
        """
        if self.round is None or self.answer is not None or not 0 <= answer < len(self.round.options):
            return
        self.answer = answer
        right = answer == self.round.right
        done, tries = self.scores.get(self.exercise, (0, 0))
        self.scores = {**self.scores, self.exercise: (done + right, tries + 1)}
        self.changed.emit()
        at = datetime.now().isoformat(timespec="milliseconds")
        work = partial(self._write, self.exercise, at, right)
        self._scoring.ask((self.exercise, at), work, self._scored, self.message.emit)

    def _read(self) -> dict[str, tuple[int, int]]:
        place = self._book()
        if not place.exists():
            return {}
        with Logbook(place) as book:
            return book.scores()

    def _write(self, exercise: str, at: str, right: bool) -> dict[str, tuple[int, int]]:
        with Logbook(self._book()) as book:
            book.tried(exercise, at, right)
            return book.scores()

    def _scored(self, scores: dict[str, tuple[int, int]]) -> None:
        self.scores = scores
        self.changed.emit()

    @property
    def learnt(self) -> int:
        """Exercises that were answered right at least once."""
        from bruto.practice.exercises import EXERCISES

        return sum(1 for n in EXERCISES if self.scores.get(n, (0, 0))[0] > 0)

    def idle(self) -> bool:
        """Whether nothing is made or written."""
        return self._worker.idle()

    def finish(self) -> None:
        """End."""
        self._worker.close()


def _round(name: str, seed: int) -> Round:
    from bruto.practice.exercises import a_round  # with the simulated phone, which takes long to import

    return a_round(name, seed)
