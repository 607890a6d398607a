"""Work beside the window: one small pool of threads, workers that run one call at a time on it, and channels.

Every worker shares the pool, and the most urgent request of all goes first: what the screen waits for, then what a
page waits for, then what takes minutes. Threads start when there is work and end when there is none for a while.

A channel belongs to whoever owns it (a page, a model), and each request carries its subject (a shot, a set). The
latest request of a channel wins, and an answer for another subject than the channel is turned to is never given.
Answers come where `post` brings them: on the interface thread in a window, at once where there is none.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from enum import IntEnum
from typing import Any

from bruto.catalog import tr
from bruto.error_log import unexpected as unexpected_text
from bruto.errors import BrutoError, Cancelled

AGAIN = object()
"""What work returns that is done in part: it is called again when nothing more urgent waits."""
THREADS, RESERVED = 4, 1
"""Threads that run work at most, and how many of them each rank leaves to those before it."""
THREADS_BEHIND, NICENESS = 2, 15
"""Threads for what nobody waits for, and their niceness, 0 to 19 (setpriority(2)): a thread cannot take it back."""
RETIRED_AFTER_S = 0.5
"""A thread without work ends after this long, seconds."""
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
        with self.worker.pool.lock:
            self._subject = subject
            self._waiting = self._latest = _Request(self, subject, work, done, failed)
            self.worker.pool.more()

    def turn_to(self, subject: Any) -> None:
        """Want answers about this subject only, from now on.

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
        with self.worker.pool.lock:
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


class Precedence(IntEnum):
    """Whose work goes first."""

    SCREEN = 0
    """The picture on the screen waits for it."""
    PAGE = 1
    """A page waits for it: a second or two."""
    LONG = 2
    """Takes minutes, and shows how far it is."""
    BEHIND = 3
    """Nobody waits for it."""


class Pool:
    """Threads that workers share."""

    def __init__(self, threads: int, reserved: int = 0, niceness: int = 0, name: str = "work") -> None:
        """Prepare; threads start when there is work.

        Parameters
        ----------
        threads
            Most threads at a time.
        reserved
            How many of them each rank leaves to those before it.
        niceness
            Of its threads, 0 to 19 (setpriority(2)).
        name
            Of its threads.
        """
        self.lock = threading.RLock()
        self.ended = threading.Condition(self.lock)
        """Signalled whenever a request ended."""
        self._work = threading.Condition(self.lock)
        self._threads, self._reserved, self._niceness, self._name = threads, reserved, niceness, name
        self._workers: list[Worker] = []
        self._started = self._resting = 0

    def add(self, worker: Worker) -> None:
        """Share the threads with one more worker.

        Parameters
        ----------
        worker
            The worker.
        """
        with self.lock:
            self._workers.append(worker)
            self._workers.sort(key=lambda w: w.rank)

    def remove(self, worker: Worker) -> None:
        """Forget a worker.

        Parameters
        ----------
        worker
            The worker.
        """
        with self.lock:
            if worker in self._workers:
                self._workers.remove(worker)

    def more(self) -> None:
        """Run what was asked for just now (for the channel, which holds the lock)."""
        self._work.notify()
        if sum(w.wants for w in self._workers) > self._resting and self._started < self._threads:
            self._started += 1
            threading.Thread(target=self._run, name=self._name, daemon=True).start()

    def _next(self) -> _Request | None:
        """Take the most urgent request that may run now: what takes minutes never fills the pool."""
        busy = [sum(w.busy and w.rank >= rank for w in self._workers) for rank in Precedence]
        for worker in self._workers:
            if busy[worker.rank] < self._threads - self._reserved * worker.rank and (request := worker.take()):
                return request
        return None

    def _run(self) -> None:
        if self._niceness:
            with contextlib.suppress(OSError):
                os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), self._niceness)
        while True:
            with self.lock:
                called = True
                while (request := self._next()) is None and called:
                    self._resting += 1
                    called = self._work.wait(RETIRED_AFTER_S)
                    self._resting -= 1
                if request is None:
                    self._started -= 1
                    return
            try:
                request.channel.worker.run(request)
            except Exception as error:  # whoever wanted the answer is gone, and the thread is needed for others
                unexpected_text(error, "giving an answer")
            with self.lock:
                request.channel.worker.rest()
                self.ended.notify_all()
            del request  # else it would live until the next


_FRONT = Pool(THREADS, RESERVED)
_BEHIND = Pool(THREADS_BEHIND, niceness=NICENESS)


class Worker:
    """Runs the requests of its channels one after the other, the most urgent one first."""

    def __init__(self, name: str, post: Post = lambda call: call(), rank: Precedence = Precedence.SCREEN) -> None:
        """Make a worker of the shared pool.

        Parameters
        ----------
        name
            What it does.
        post
            Brings a call to where answers are wanted; it may be called from any thread.
        rank
            Whose work goes first where several workers have some.
        """
        self.name, self.rank = name, rank
        self.pool = _BEHIND if rank is Precedence.BEHIND else _FRONT
        self.busy = False
        self._post = post
        self._channels: list[Channel] = []
        self._running: Channel | None = None
        self._thread: threading.Thread | None = None
        self._dropped = self._closing = False
        self.pool.add(self)

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
        with self.pool.lock:
            found = Channel(self, name, urgency)
            self._channels.append(found)
            self._channels.sort(key=lambda c: c.urgency)
        return found

    def only_channel(self) -> Channel:
        """Return the channel of a worker that needs one alone."""
        return self._channels[0] if self._channels else self.channel(self.name)

    def drop(self, channel: Channel) -> None:
        """Let go of what runs for a channel (for the channel, which holds the lock).

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
        with self.pool.lock:
            return not self.busy and not any(c.waiting for c in self._channels)

    def close(self, most_s: float = 20.0) -> None:
        """End, after what is running has ended, which is waited for `most_s` seconds; what waits is not done.

        Parameters
        ----------
        most_s
            Longest wait, seconds.
        """
        with self.pool.lock:
            self._closing = True
            if threading.current_thread() is not self._thread:
                self.pool.ended.wait_for(lambda: not self.busy, most_s)
            self.pool.remove(self)

    @property
    def wants(self) -> bool:
        """Whether a request could run now."""
        return not self.busy and not self._closing and any(c.waiting for c in self._channels)

    def take(self) -> _Request | None:
        """Take the most urgent request to run it now (for the pool, which holds the lock)."""
        if self.busy or self._closing:
            return None
        channel = next((c for c in self._channels if c.waiting), None)
        request = None if channel is None else channel.take()
        if request is not None:
            self._running, self._dropped, self.busy = request.channel, False, True
        return request

    def run(self, request: _Request) -> None:
        """Do what is asked for, and post the answer.

        Parameters
        ----------
        request
            The request.
        """
        self._thread = threading.current_thread()
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
            with self.pool.lock:
                if request.channel.put_back(request):
                    return
        elif not self._closing:
            self._post(_Reply(request, result, error))

    def rest(self) -> None:
        """Mark that nothing runs (for the pool, which holds the lock)."""
        self.busy, self._running, self._thread = False, None, None


class _Reply:
    """A result on its way to where it is wanted."""

    __slots__ = ("error", "request", "result")

    def __init__(self, request: _Request, result: Any, error: str | None) -> None:
        self.request, self.result, self.error = request, result, error

    def __call__(self) -> None:
        self.request.channel.answer(self.request, self.result, self.error)
