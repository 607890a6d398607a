"""Work beside the window: threads that run one call at a time, and channels by which work is asked for.

A channel belongs to whoever owns it (a page, a model), and each request carries its subject (a shot, a set). The
latest request of a channel wins, and an answer for another subject than the channel is turned to is never given.
Answers come where `post` brings them: on the interface thread in a window, at once where there is none.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from typing import Any

from bruto.catalog import tr
from bruto.error_log import unexpected as unexpected_text
from bruto.errors import BrutoError, Cancelled

AGAIN = object()
"""What work returns that is done in part: it is called again when nothing more urgent waits."""
Post = Callable[[Callable[[], None]], None]
Done = Callable[[Any], None]
Failed = Callable[[str], None]


class _Request:
    """One call with its subject, and what is to be called with its result."""

    __slots__ = ("channel", "done", "failed", "subject", "work")

    def __init__(self, channel: Channel, subject: Any, work: Callable[[], Any], done: Done, failed: Failed) -> None:
        self.channel, self.subject, self.work, self.done, self.failed = channel, subject, work, done, failed


class Channel:
    """One kind of request of one owner. Made by `Worker.channel`."""

    def __init__(self, worker: Worker, name: str, urgency: int) -> None:
        self.worker, self.name, self.urgency = worker, name, urgency
        self._subject: Any = None
        self._waiting: _Request | None = None
        self._latest: _Request | None = None

    def ask(self, subject: Any, work: Callable[[], Any], done: Done, failed: Failed) -> None:
        """Queue a call about a subject, in the place of one that waits.

        `done` or `failed` is called unless a newer request was made meanwhile, or the channel was turned to
        another subject.

        Parameters
        ----------
        subject
            Shot or set the work is for; answers for another one are dropped.
        work
            What to call.
        done
            Called with the result.
        failed
            Called with a message where the work failed.
        """
        with self.worker.wake:
            self._subject = subject
            self._waiting = self._latest = _Request(self, subject, work, done, failed)
            self.worker.wake.notify()

    def turn_to(self, subject: Any) -> None:
        """Return the from now on only answers about this subject are wanted.

        Parameters
        ----------
        subject
            Shot or set the work is for; answers for another one are dropped.
        """
        if subject != self._subject:
            self.forget()
            self._subject = subject

    def forget(self) -> None:
        """Drop a waiting request and ignore the result of a running one, which is reported by `dropped`."""
        with self.worker.wake:
            self._waiting = self._latest = None
            self.worker.drop(self)

    def dropped(self) -> bool:
        """Whether nobody wants the result of the running request any more.

        One that a newer request follows is still wanted: it is shown meanwhile.
        """
        return self.worker.dropped()

    def take(self) -> _Request | None:
        """Return the waiting request, which is running now (for the worker, which holds the lock)."""
        request, self._waiting = self._waiting, None
        return request

    def put_back(self, request: _Request) -> bool:
        """Let a request wait again, unless it is not wanted any more (for the worker, which holds the lock).

        Parameters
        ----------
        request
            The request.

        Returns
        -------
        bool
            True where that is so.
        """
        if self._latest is not request:
            return False
        self._waiting = request
        return True

    @property
    def waiting(self) -> bool:
        """Whether a request waits for its turn."""
        return self._waiting is not None

    def answer(self, request: _Request, result: Any, error: str | None) -> None:
        """Give a result where it is still wanted.

        Parameters
        ----------
        request
            The request.
        result
            The result.
        error
            The error.
        """
        if self._latest is not request or request.subject != self._subject:
            return
        if error is not None:
            request.failed(error)
        else:
            request.done(result)


class Worker:
    """Runs the requests of its channels on a thread of its own, the most urgent one first."""

    def __init__(self, name: str = "render", post: Post = lambda call: call(), niceness: int = 0) -> None:
        """`post`: brings a call to where answers are wanted; it may be called from the worker's thread.

        `niceness`: of the thread, 0 to 19 (setpriority(2)); the higher, the more it waits for others.
        """
        self._niceness = niceness
        self.wake = threading.Condition()
        self.busy = False
        self._post = post
        self._channels: list[Channel] = []
        self._running: Channel | None = None
        self._dropped = self._closing = False
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def channel(self, name: str, urgency: int = 100) -> Channel:
        """Return a channel; the lowest `urgency` comes first.

        Parameters
        ----------
        name
            Name as the user sees it.
        urgency
            Order of the channels; lower goes first.

        Returns
        -------
        Channel
            A channel.
        """
        with self.wake:
            found = Channel(self, name, urgency)
            self._channels.append(found)
            self._channels.sort(key=lambda c: c.urgency)
        return found

    def drop(self, channel: Channel) -> None:
        """Find what runs for a channel is not wanted any more (for the channel, which holds the lock).

        Parameters
        ----------
        channel
            The channel.
        """
        self._dropped |= self._running is channel

    def dropped(self) -> bool:
        """Whether the running request is not wanted any more."""
        return self._dropped or self._closing

    def idle(self) -> bool:
        """Whether nothing waits and nothing runs."""
        with self.wake:
            return not self.busy and not any(c.waiting for c in self._channels)

    def close(self, most_s: float = 20.0) -> None:
        """End, after what is running has ended, which is waited for `most_s` seconds; what waits is not done.

        Parameters
        ----------
        most_s
            Longest wait, seconds.
        """
        with self.wake:
            self._closing = True
            self.wake.notify()
        if threading.current_thread() is not self._thread:
            self._thread.join(timeout=most_s)

    def _next(self) -> _Request | None:
        channel = next((c for c in self._channels if c.waiting), None)
        return None if channel is None else channel.take()

    def _run(self) -> None:
        if self._niceness:
            with contextlib.suppress(OSError):
                os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), self._niceness)
        while True:
            with self.wake:
                request = None
                while not self._closing and (request := self._next()) is None:
                    self.busy, self._running = False, None
                    self.wake.wait()
                if request is None or self._closing:
                    return
                self._running, self._dropped, self.busy = request.channel, False, True
            result, error = None, None
            try:
                result = request.work()
            except (Cancelled, BrutoError) as problem:
                error = str(problem)
            except MemoryError:
                error = tr("Not enough memory. Close other programs.")
            except Exception as unexpected:  # the window must outlive any one picture
                error = unexpected_text(unexpected, f"working on “{request.channel.name}”")
            if result is AGAIN:
                with self.wake:
                    if request.channel.put_back(request):
                        continue
            elif not self._closing:
                self._post(_Reply(request, result, error))
            del request, result  # else they would live until the next request


class _Reply:
    """A result on its way to where it is wanted."""

    __slots__ = ("error", "request", "result")

    def __init__(self, request: _Request, result: Any, error: str | None) -> None:
        self.request, self.result, self.error = request, result, error

    def __call__(self) -> None:
        self.request.channel.answer(self.request, self.result, self.error)
