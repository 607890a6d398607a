"""Long work beside the window: one list, which the status line, the question at closing and the next start read."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from enum import StrEnum
from functools import partial
from typing import Any

from psygnal import Signal

from bruto.catalog import tr
from bruto.errors import BrutoError, Cancelled
from bruto.session.workers import Post, Precedence, Worker
from bruto.storage.unfinished_work import keep_unfinished

KEPT = "tasks"
"""Name under which unfinished work is stored."""


class TaskState(StrEnum):
    """Where a task stands."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


def time_left(elapsed_s: float, share: float) -> str:
    """Say how long work that has come this far will still take; nothing while it is too early to say.

    Parameters
    ----------
    elapsed_s
        Time since it began, seconds.
    share
        How far it is, 0 to 1.

    Returns
    -------
    str
        The time left, to be put behind another text.

    Examples
    --------
    >>> time_left(30.0, 0.25)
    ' · about 2 min left'
    """
    if share < 0.05 or share >= 1 or elapsed_s < 2:
        return ""
    left = elapsed_s * (1 - share) / share
    return (
        tr(" · about {left} min left", left=round(left / 60))
        if left >= 90
        else tr(" · about {left} s left", left=max(1, round(left)))
    )


class LongTask:
    """One piece of work that shows how far it is and can be stopped."""

    def __init__(
        self,
        kind: str,
        title: str,
        *,
        subject: Any = None,
        loss: str | None = "",
        keep: Mapping[str, Any] | None = None,
        on_stop: Callable[[], Any] | None = None,
        precedence: Precedence = Precedence.LONG,
    ) -> None:
        """Describe it; `LongTasks` runs it.

        Parameters
        ----------
        kind
            Its lane: of one kind, one runs at a time, in the order asked for.
        title
            What it does, for people.
        subject
            File or shots it is about.
        loss
            What is lost if the window closes now, in a sentence; "" for the usual one, None where nothing is.
        keep
            What is needed to go on with it at the next start; None for work that is not offered again.
        on_stop
            Called when it is stopped, for work that runs elsewhere.
        precedence
            Whose work goes first.
        """
        self.kind, self.title, self.subject, self.keep = kind, title, subject, keep
        self.precedence = precedence
        self.loss_text, self._on_stop = loss, on_stop
        self.state = TaskState.WAITING
        self.share, self.doing, self.result, self.failure = 0.0, "", None, ""
        self._began = time.monotonic()
        self._stop = threading.Event()
        self._report: Callable[[], None] = lambda: None
        self.work: Callable[[], Any] | None = None
        self.done: Callable[[Any], None] = lambda result: None
        self.failed: Callable[[str], None] = lambda text: None

    def tell(self, share: float, doing: str = "") -> None:
        """Say how far it is, from any thread.

        Parameters
        ----------
        share
            Share that is done, 0..1.
        doing
            What it is at, for example a file's name.
        """
        self.share, self.doing = share, doing
        self._report()

    def stopped(self) -> bool:
        """Whether it is to stop; the work asks from time to time."""
        return self._stop.is_set()

    def check(self) -> None:
        """Ask whether it is to stop.

        Raises
        ------
        Cancelled
            When it is.
        """
        if self.stopped():
            raise Cancelled(tr("{title}: stopped.", title=self.title))

    @property
    def running(self) -> bool:
        """Whether it has begun and not ended."""
        return self.state is TaskState.RUNNING

    @property
    def time_left(self) -> str:
        """How long it will still take, as `time_left` says it."""
        return time_left(time.monotonic() - self._began, self.share) if self.running else ""

    @property
    def loss(self) -> str:
        """What is lost or cut short if the window closes now, in a sentence; empty where nothing is."""
        if self.loss_text is None:
            return ""
        return self.loss_text or tr("{title} is running and will be stopped. Finished files stay.", title=self.title)

    def begin(self, report: Callable[[], None]) -> None:
        """Mark that it runs (for the list of tasks).

        Parameters
        ----------
        report
            Called from any thread when there is something new to show.
        """
        self.state, self._began, self._report = TaskState.RUNNING, time.monotonic(), report

    def halt(self) -> None:
        """Ask it to stop (for the list of tasks)."""
        self._stop.set()
        if self._on_stop is not None:
            self._on_stop()


class LongTasks:
    """All long work of a window, running or waiting; kinds run beside each other as far as the pool of threads goes."""

    changed = Signal(LongTask)
    """A task was added, went on or ended; on the interface thread."""

    def __init__(self, post: Post) -> None:
        self._post = post
        self.tasks: list[LongTask] = []
        self._lanes: dict[str, Worker] = {}
        self._told: set[LongTask] = set()
        self._closed = False

    def start(
        self,
        task: LongTask,
        work: Callable[[], Any],
        done: Callable[[Any], None] = lambda result: None,
        failed: Callable[[str], None] = lambda text: None,
    ) -> LongTask:
        """Run work on a thread, after what waits of its kind.

        Parameters
        ----------
        task
            Its description.
        work
            What to call.
        done
            Called with the result, on the interface thread.
        failed
            Called with a message where the work failed or was stopped.

        Returns
        -------
        LongTask
            The task.
        """
        task.work, task.done, task.failed = work, done, failed
        self.tasks.append(task)
        self._keep()
        self._next(task.kind)
        self._tell(task)
        return task

    def adopt(self, task: LongTask) -> LongTask:
        """Show work that runs elsewhere; whoever runs it calls `end`.

        Parameters
        ----------
        task
            Its description.

        Returns
        -------
        LongTask
            The task.
        """
        self.tasks.append(task)
        task.begin(partial(self._reported, task))
        self._keep()
        self._tell(task)
        return task

    def end(self, task: LongTask, state: TaskState = TaskState.DONE) -> None:
        """Take a task from the list.

        Parameters
        ----------
        task
            The task.
        state
            How it ended.
        """
        if task in self.tasks:
            self.tasks.remove(task)
            task.state = state
            self._keep()
            self._tell(task)

    def stop(self, task: LongTask) -> None:
        """Stop a task: one that waits is forgotten, one that runs is asked to stop.

        Parameters
        ----------
        task
            The task.
        """
        task.halt()
        if task.state is TaskState.WAITING:
            self.end(task, TaskState.STOPPED)

    def of(self, kind: str) -> list[LongTask]:
        """List the tasks of a kind, the running one first.

        Parameters
        ----------
        kind
            The kind.

        Returns
        -------
        list[LongTask]
            Those that run or wait.
        """
        return [t for t in self.tasks if t.kind == kind]

    def running(self, kind: str) -> LongTask | None:
        """Return the task of a kind that runs, None where none does.

        Parameters
        ----------
        kind
            The kind.

        Returns
        -------
        LongTask | None
            The running task.
        """
        return next((t for t in self.of(kind) if t.running), None)

    def losses(self) -> list[str]:
        """Say what is cut short if the window closes now, each in a sentence."""
        return list(dict.fromkeys(t.loss for t in self.tasks if t.running and t.loss))

    def idle(self) -> bool:
        """Whether none of the tasks that run here runs or waits."""
        return not any(t.work is not None for t in self.tasks)

    def close(self) -> None:
        """Stop everything and wait for what runs; what can be gone on with stays stored for the next start."""
        self._closed = True
        for task in self.tasks:
            if task.work is not None:  # whoever runs the others ends them
                task.halt()
        for lane in self._lanes.values():
            lane.close()

    def _lane(self, task: LongTask) -> Worker:
        if task.kind not in self._lanes:
            self._lanes[task.kind] = Worker(task.kind, self._post, task.precedence)
        return self._lanes[task.kind]

    def _next(self, kind: str) -> None:
        """Begin with the next task of a kind."""
        mine = [t for t in self.of(kind) if t.work is not None]
        if not mine or mine[0].running:
            return
        task, lane = mine[0], self._lane(mine[0])
        task.begin(partial(self._reported, task))
        assert task.work is not None
        lane.only_channel().ask(task, task.work, partial(self._done, task), partial(self._failed, task))

    def _reported(self, task: LongTask) -> None:
        """Show a change, once for all that came before the interface thread got round to it."""
        if task not in self._told:
            self._told.add(task)
            self._post(partial(self._show, task))

    def _show(self, task: LongTask) -> None:
        self._told.discard(task)
        if task in self.tasks:
            self._tell(task)

    def _tell(self, task: LongTask) -> None:
        if not self._closed:  # whoever showed it may be gone
            self.changed.emit(task)

    def _done(self, task: LongTask, result: Any) -> None:
        task.result, task.share = result, 1.0
        self._ended(task, TaskState.DONE, partial(task.done, result))

    def _failed(self, task: LongTask, text: str) -> None:
        task.failure = text
        self._ended(task, TaskState.STOPPED if task.stopped() else TaskState.FAILED, partial(task.failed, text))

    def _ended(self, task: LongTask, state: TaskState, then: Callable[[], None]) -> None:
        self.end(task, state)
        self._next(task.kind)
        if (following := self.running(task.kind)) is not None:
            self._tell(following)
        then()

    def _keep(self) -> None:
        """Store what can be gone on with; nothing of the user's is lost where that fails."""
        if self._closed:
            return
        rows = [{"kind": t.kind, **t.keep} for t in self.tasks if t.keep is not None]
        try:
            keep_unfinished(KEPT, {"tasks": rows} if rows else {})
        except (BrutoError, OSError):
            pass
