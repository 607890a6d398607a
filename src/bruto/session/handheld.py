"""What the logbook has learnt of the hand that holds a phone, for advice on the shots that are open."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from bruto.errors import BrutoError
from bruto.logbook import estimates
from bruto.logbook.store import Logbook
from bruto.sensor.advice import HandSteadiness
from bruto.session.equipment import MOST
from bruto.session.logbook_recorder import LogbookRecorder
from bruto.session.shoot import Shoot
from bruto.session.workers import Post, Precedence, Worker

STEADY = 0.1
"""Share of shots that may be blurred at a time that a hand holds."""


def hands_of(book: Path, models: tuple[str, ...]) -> dict[str, HandSteadiness]:
    """Find what is learnt of the hand with each phone; nothing where too few shots tell it.

    Parameters
    ----------
    book
        The logbook's file.
    models
        Models of phones.

    Returns
    -------
    dict[str, HandSteadiness]
        What is learnt of the hand with each phone.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    found: dict[str, HandSteadiness] = {}
    if not book.exists():
        return found
    with Logbook(book) as opened:
        for model in models:
            try:
                hand = estimates.hand(opened.page(0, MOST, "newest", model=model))
            except BrutoError:
                continue
            found[model] = HandSteadiness(hand.seconds(1.0, STEADY), hand.count)
    return found


class HandheldKnowledge:
    """Reads the logbook anew when a shoot is opened and when records were written."""

    def __init__(self, shoot: Shoot, remembering: LogbookRecorder, post: Post, book: Callable[[], Path]) -> None:
        self.shoot, self._book = shoot, book
        self._worker = Worker("what is learnt", post, Precedence.BEHIND)
        self._reading = self._worker.channel("what is learnt")
        shoot.opened.connect(self.again)
        remembering.written.connect(self.again)

    def again(self) -> None:
        """Read it, some time."""
        models = tuple(sorted({s.seen.model for s in self.shoot.shots if s.seen and s.seen.model}))
        if models:
            work = partial(hands_of, self._book(), models)
            # a logbook that cannot be read is reported where it is shown
            self._reading.ask(models, work, self.shoot.set_hands, lambda why: None)

    def idle(self) -> bool:
        """Whether nothing is read."""
        return self._worker.idle()

    def finish(self) -> None:
        """End."""
        self._worker.close()
