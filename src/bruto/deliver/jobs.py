"""Delivering shots: one job takes a file through the engine to a finished picture; a queue runs jobs in the
background.
"""

from __future__ import annotations

import contextlib
import itertools
import os
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from psygnal import Signal

from bruto.deliver.encoders import Ticket, check_ticket, write_picture
from bruto.develop.engine import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.errors import BrutoError, Cancelled

WAITING, RUNNING, DONE, FAILED, STOPPED = "waiting", "running", "done", "failed", "stopped"


def deliver(
    source: str | Path,
    output: str | Path,
    recipe: Recipe,
    ticket: Ticket,
    *,
    neutral_look: bool = False,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> None:
    """Develop one file to a picture file. Raises `BrutoError` (`Cancelled` when stopped); originals are never
    written.
    """
    source, output = Path(source), Path(output)
    check_ticket(output, ticket)
    if output.exists() and source.exists() and output.samefile(source):
        raise BrutoError(f"{output} is the original; choose another name.")
    developer = Developer(open_source(source)).asked(Recipe() if neutral_look else recipe)
    picture = developer.render(
        recipe, space=ticket.space, bits=ticket.bits, neutral_look=neutral_look, progress=progress, cancelled=cancelled
    )
    if cancelled is not None and cancelled():
        raise Cancelled("The delivery was stopped; nothing was written.")
    write_picture(output, picture, ticket, developer.source.meta)


_numbers = itertools.count(1)


@dataclass
class Job:
    """One delivery and where it stands; `progress` 0..1."""

    source: Path
    output: Path
    recipe: Recipe
    ticket: Ticket
    number: int = field(default_factory=lambda: next(_numbers))
    state: str = WAITING
    progress: float = 0.0
    message: str = ""
    stop: threading.Event = field(default_factory=threading.Event)


class Queue:
    """Runs jobs one after the other on a thread of low priority; `changed` is emitted from that thread with the job."""

    changed = Signal(Job)

    def __init__(self) -> None:
        self.jobs: list[Job] = []
        self._wake = threading.Condition()
        self._closing = False
        self._thread: threading.Thread | None = None

    def add(self, job: Job) -> None:
        with self._wake:
            self.jobs.append(job)
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="delivery", daemon=True)
                self._thread.start()
            self._wake.notify()
        self.changed.emit(job)

    def cancel(self, job: Job) -> None:
        """Stop a waiting or running job; a finished one is left."""
        job.stop.set()
        if job.state == WAITING:
            job.state, job.message = STOPPED, "stopped before it began; nothing was written"
            self.changed.emit(job)

    def retry(self, job: Job) -> None:
        """Queue a failed or stopped job again."""
        if job.state in (FAILED, STOPPED):
            job.stop.clear()
            job.state, job.progress, job.message = WAITING, 0.0, ""
            with self._wake:
                self._wake.notify()
            self.changed.emit(job)

    def close(self) -> None:
        """Stop everything and wait for the thread."""
        with self._wake:
            self._closing = True
            for job in self.jobs:
                job.stop.set()
            self._wake.notify()
        if self._thread is not None:
            self._thread.join(timeout=30)

    def _next(self) -> Job | None:
        return next((j for j in self.jobs if j.state == WAITING), None)

    def _run(self) -> None:
        with contextlib.suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)
        while True:
            with self._wake:
                while not self._closing and self._next() is None:
                    self._wake.wait()
                if self._closing:
                    return
                job = self._next()
            assert job is not None
            job.state = RUNNING
            self.changed.emit(job)

            def tick(value: float, job: Job = job) -> None:
                job.progress = value
                self.changed.emit(job)

            try:
                deliver(job.source, job.output, job.recipe, job.ticket, progress=tick, cancelled=job.stop.is_set)
                job.state, job.progress, job.message = DONE, 1.0, f"{job.output.stat().st_size / 1e6:.1f} MB"
            except Cancelled as error:
                job.state, job.message = STOPPED, str(error)
            except BrutoError as error:
                job.state, job.message = FAILED, str(error)
            except Exception as error:  # the queue must outlive any one job
                job.state, job.message = FAILED, f"unexpected {type(error).__name__}: {error}"
            self.changed.emit(job)
