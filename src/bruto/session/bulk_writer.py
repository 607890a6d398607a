"""Changes to many shots at once: the files of those that are not open are written off the interface thread."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Iterable, Mapping

from psygnal import Signal

from bruto.errors import BrutoError
from bruto.session.edit import Edit
from bruto.session.workers import Worker
from bruto.shoot.shots import Shot

Act = Callable[[Edit], bool]
Done = Callable[[int, list[str]], None]


class BulkWriter:
    """Runs an action on the edits of shots, in the order asked for; none is dropped for a newer one.

    Emits `written` with shots that are not open and may be changed.

    `edits`: those that are open, by main file; they know of changes that are not saved yet.
    """

    written = Signal(list)

    def __init__(self, worker: Worker, edits: Mapping[str, Edit], failed: Callable[[str], None]) -> None:
        self.worker, self.edits, self.failed = worker, edits, failed
        self._channel = worker.channel("sidecars")
        self._waiting: deque[tuple[list[Shot], Act, int, Done]] = deque()
        self._finished: deque[tuple[list[Shot], list[Shot], Act, int, list[str], Done]] = deque()

    def change(self, shots: Iterable[Shot], act: Act, done: Done) -> None:
        """Do `act` (which says whether it did something) to each shot; `done` gets to how many, and what went wrong.

        Parameters
        ----------
        shots
            The shots concerned.
        act
            Does something to an edit and returns whether it changed.
        done
            Called with the result.
        """
        count, closed = 0, []
        for shot in shots:
            edit = self.edits.get(str(shot.main))
            if edit is None:
                closed.append(shot)
            else:
                count += act(edit)
        if not closed:
            done(count, [])
            return
        self._waiting.append((closed, act, count, done))
        self._channel.ask(None, self._work, lambda _: self._tell(), self.failed)

    def finish(self) -> None:
        """Wait until all is written, and end."""
        while not self.worker.idle():
            time.sleep(0.01)
        self._tell()
        self.worker.close()

    def _work(self) -> None:
        """On the worker's thread: all that waits, as a newer request takes the place of an older one."""
        while self._waiting:
            closed, act, count, done = self._waiting.popleft()
            messages: list[str] = []
            opened = []
            for shot in closed:
                if str(shot.main) in self.edits:  # opened meanwhile: its edit belongs to the interface thread
                    opened.append(shot)
                    continue
                try:
                    edit = Edit(shot.main)
                    edit.message.connect(messages.append)
                    count += act(edit)
                except (BrutoError, OSError) as error:  # the others are not to blame
                    messages.append(f"{shot.main.name}: {error}")
            self._finished.append((closed, opened, act, count, messages, done))

    def _tell(self) -> None:
        while self._finished:
            closed, opened, act, count, messages, done = self._finished.popleft()
            self.written.emit([s for s in closed if s not in opened])
            done(count + sum(act(self.edits[str(s.main)]) for s in opened), messages)
