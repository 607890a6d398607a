"""The one render thread: latest request of a kind wins, results come back on the interface thread."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from bruto.errors import BrutoError, Cancelled
from bruto.logged import unexpected as unexpected_text

AGAIN = object()
"""What work returns that is done in part: it is called again when nothing more urgent waits."""


class Worker(QObject):
    """Runs one call at a time in order of priority; a newer request of the same kind replaces a waiting one."""

    _finished = Signal(str, int, object, object)

    def __init__(self, priorities: tuple[str, ...]) -> None:
        """`priorities`: kinds of request, most urgent first."""
        super().__init__()
        self._order = priorities
        self._waiting: dict[str, tuple[int, Callable[[], Any], Callable[[Any], None], Callable[[str], None]]] = {}
        self._latest: dict[str, int] = {}
        self._handlers: dict[tuple[str, int], tuple[Callable[[Any], None], Callable[[str], None]]] = {}
        self._wake = threading.Condition()
        self._closing = False
        self._running = ""
        self._dropped = False
        self.busy = False
        self._finished.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._thread = threading.Thread(target=self._run, name="render", daemon=True)
        self._thread.start()

    def ask(
        self, kind: str, work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[str], None]
    ) -> None:
        """Queue a call; `done` or `failed` is called on the interface thread unless a newer request of that kind was
        made.
        """
        with self._wake:
            number = self._latest.get(kind, 0) + 1
            self._latest[kind] = number
            self._waiting[kind] = (number, work, done, failed)
            self._wake.notify()

    def forget(self, *kinds: str) -> None:
        """Drop waiting requests of these kinds and ignore the result of a running one, which is told by `dropped`."""
        with self._wake:
            self._dropped |= self._running in kinds
            for kind in kinds:
                self._waiting.pop(kind, None)
                self._latest[kind] = self._latest.get(kind, 0) + 1

    def dropped(self) -> bool:
        """Whether nobody wants the result of the running request any more. One that a newer request follows is still
        wanted: it is shown meanwhile.
        """
        return self._dropped or self._closing

    def idle(self) -> bool:
        with self._wake:
            return not self._waiting and not self.busy

    def close(self) -> None:
        with self._wake:
            self._closing = True
            self._waiting.clear()
            self._wake.notify()
        self._thread.join(timeout=20)

    def _put_back(self, kind: str, number: int, *rest: Any) -> bool:
        """Let a request wait again, unless it is not wanted any more."""
        with self._wake:
            if number != self._latest[kind]:
                return False
            self._waiting[kind] = (number, *rest)  # type: ignore[assignment]
            self._handlers.pop((kind, number))
            return True

    def _deliver(self, kind: str, number: int, result: Any, error: Any) -> None:
        done, failed = self._handlers.pop((kind, number))
        if number != self._latest.get(kind):
            return
        if error is not None:
            failed(error)
        else:
            done(result)

    def _run(self) -> None:
        while True:
            with self._wake:
                while not self._closing and not self._waiting:
                    self.busy = False
                    self._wake.wait()
                if self._closing:
                    return
                kind = next(k for k in self._order if k in self._waiting)
                number, work, done, failed = self._waiting.pop(kind)
                self._handlers[(kind, number)] = (done, failed)
                self._running, self._dropped = kind, False
                self.busy = True
            result, error = None, None
            try:
                result = work()
                if result is AGAIN and self._put_back(kind, number, work, done, failed):
                    continue
            except Cancelled as stopped:
                error = str(stopped)
            except BrutoError as problem:
                error = str(problem)
            except MemoryError:
                error = "There is not enough memory for this; close other programs."
            except Exception as unexpected:  # the window must outlive any one picture
                error = unexpected_text(unexpected, f"working on “{kind}”")
            if not self._closing:
                self._finished.emit(kind, number, result, error)
            del work, done, failed, result  # else they would live until the next request
