"""Delivering shots: one job takes a file through the engine to a finished picture.

A queue runs jobs in the background, and finds those that were not finished again at the next start.
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

from bruto.catalog import tr
from bruto.container.raw_frame import RawFrame
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.error_log import unexpected
from bruto.errors import BrutoError, Cancelled
from bruto.export.encoders import check_preset, write_picture
from bruto.export.preset import ExportPreset
from bruto.export.saved_queue import SavedJob, save_queue, take_saved_queue
from bruto.output_planner import Outputs
from bruto.storage.atomic_write import NameTaken, Target

WAITING, RUNNING, DONE, FAILED, STOPPED = "waiting", "running", "done", "failed", "stopped"
NOT_FINISHED = tr("did not finish before Bruto was closed")


def export_shot(
    source: str | Path,
    output: Target | str | Path,
    recipe: Recipe | Callable[[Developer], Recipe],
    preset: ExportPreset,
    *,
    neutral_look: bool = False,
    overwrite: bool = False,
    renamed: Callable[[], Target] | None = None,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
    ahead: Callable[[], RawFrame | None] | None = None,
) -> tuple[Path, Recipe]:
    """Develop one file to a picture file; returns where it is and the recipe that was used.

    Parameters
    ----------
    source
        Raw, merged raw or picture to export.
    output
        A target that was planned, or a path, which is planned here: an original is never replaced, another file
        only with `overwrite`.
    recipe
        The values, or what finds them when the file is open.
    preset
        How the picture is exported.
    neutral_look
        Colour only.
    overwrite
        Whether an existing file that is no original may be replaced.
    renamed
        Gives another target where a file took the name meanwhile.
    progress
        Called with the share done, 0 to 1, and what is being done.
    cancelled
        Returns whether to stop.
    ahead
        Gives the raw where it was read already, see `container.prefetch`.

    Returns
    -------
    tuple[Path, Recipe]
        The file that was written.

    Raises
    ------
    BrutoError
        What is wrong with source, target or ticket; `Cancelled` when it was stopped. Nothing is written then.
    """
    source = Path(source)
    target = output if isinstance(output, Target) else None
    check_preset(target.path if target is not None else Path(str(output)), preset)
    if target is None:
        target = Outputs([source], overwrite=overwrite).file(Path(str(output)))
    developer = Developer(open_source(source, None if ahead is None else ahead()))
    chosen = recipe if isinstance(recipe, Recipe) else recipe(developer)
    developer = developer.asked(Recipe() if neutral_look else chosen)
    picture = developer.render(
        chosen, space=preset.space, bits=preset.bits, neutral_look=neutral_look, progress=progress, cancelled=cancelled
    )
    if cancelled is not None and cancelled():
        raise Cancelled(tr("Export stopped; nothing was written."))
    while True:
        try:
            write_picture(target, picture, preset, developer.source.meta)
            return target.path, chosen
        except NameTaken:
            if renamed is None:
                raise
            target = renamed()


def _suggested(developer: Developer) -> Recipe:
    return take_all(Recipe(), suggest_all(developer))


_numbers = itertools.count(1)


@dataclass
class Job:
    """One delivery and where it stands; `progress` 0..1.

    It goes into `folder`, under `name` or, where that is taken, under the first free name with a number, which `output`
    says.
    """

    source: Path
    folder: Path
    name: str
    recipe: Recipe | None
    """None: its own suggestions, found when it is run."""
    preset: ExportPreset
    number: int = field(default_factory=lambda: next(_numbers))
    state: str = WAITING
    progress: float = 0.0
    message: str = ""
    target: Target | None = None
    stop: threading.Event = field(default_factory=threading.Event)

    @property
    def output(self) -> Path:
        """Where the picture is, or will be as far as is known now."""
        return self.target.path if self.target is not None else self.folder / self.name

    def unfinished(self) -> bool:
        """Whether it would be missed if the window was closed now."""
        return self.state in (WAITING, RUNNING)


class Queue:
    """Runs jobs one after the other on a thread of low priority; `changed` is emitted from that thread with the job."""

    changed = Signal(Job)
    problem = Signal(str)

    def __init__(self) -> None:
        self.jobs: list[Job] = []
        self.outputs = Outputs()
        self._wake = threading.Condition()
        self._keeping = threading.Lock()
        self._closing = False
        self._thread: threading.Thread | None = None

    def add(self, *jobs: Job) -> None:
        """Append jobs to the queue: all of them, or none where one cannot be written.

        Parameters
        ----------
        *jobs
            Jobs of the queue.

        Raises
        ------
        FileProblem
            Where a folder cannot be written to or a name cannot be had; none is queued then.
        """
        planned: list[Target] = []
        try:
            for job in jobs:
                check_preset(Path(job.name), job.preset)
                if job.state == WAITING:
                    job.target = self.outputs.in_folder(job.folder, job.name)
                    planned.append(job.target)
        except BrutoError:
            for target in planned:
                self.outputs.release(target)
            raise
        with self._wake:
            self.jobs += jobs
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="delivery", daemon=True)
                self._thread.start()
            self._wake.notify()
        self._keep()
        for job in jobs:
            self.changed.emit(job)

    def restore(self) -> int:
        """Show what earlier windows did not finish, stopped, to be gone on with by `retry`; returns how many."""
        found = take_saved_queue()
        jobs = [Job(k.source, k.folder, k.name, k.recipe, k.preset) for k in found]
        for job in jobs:
            job.state, job.message = STOPPED, NOT_FINISHED
        if jobs:
            self.add(*jobs)
        return len(jobs)

    def unfinished(self) -> list[Job]:
        """Jobs that wait or run."""
        return [j for j in self.jobs if j.unfinished()]

    def cancel(self, job: Job) -> None:
        """Stop a waiting or running job; a finished one is left.

        Parameters
        ----------
        job
            The job.
        """
        job.stop.set()
        if job.state == WAITING:
            job.state, job.message = STOPPED, tr("stopped before it started; nothing was written")
            self._keep()
            self.changed.emit(job)

    def retry(self, job: Job) -> None:
        """Queue a failed or stopped job again.

        Parameters
        ----------
        job
            The job.
        """
        if job.state not in (FAILED, STOPPED):
            return
        job.stop.clear()
        try:
            if job.target is not None:
                self.outputs.release(job.target)
            job.target = self.outputs.in_folder(job.folder, job.name)
        except BrutoError as error:
            job.state, job.message = FAILED, str(error)
            self.changed.emit(job)
            return
        job.state, job.progress, job.message = WAITING, 0.0, ""
        with self._wake:
            self._wake.notify()
        self._keep()
        self.changed.emit(job)

    def close(self) -> None:
        """Stop everything and wait for the thread. What waited or ran is kept for the next start."""
        missed = self._missed()
        with self._wake:
            self._closing = True
            for job in self.jobs:
                job.stop.set()
            self._wake.notify()
        if self._thread is not None:
            self._thread.join(timeout=30)
        self._keep([j for j in missed if j.state != DONE])

    def _missed(self) -> list[Job]:
        """Find what would be missed after the end; jobs that an earlier window left count too."""
        return [j for j in self.jobs if j.unfinished() or (j.state == STOPPED and j.message == NOT_FINISHED)]

    def _keep(self, missed: list[Job] | None = None) -> None:
        try:
            with self._keeping:  # both threads keep: the later state is written later
                missed = self._missed() if missed is None else missed
                save_queue([SavedJob(j.source, j.folder, j.name, j.recipe, j.preset) for j in missed])
        except BrutoError as error:
            self.problem.emit(tr("The waiting exports could not be saved for the next start: {error}", error=error))

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
            self._do(job)
            if not self._closing:
                self._keep()
            self.changed.emit(job)

    def _do(self, job: Job) -> None:
        def tick(value: float) -> None:
            job.progress = value
            self.changed.emit(job)

        def renamed() -> Target:
            job.target = self.outputs.in_folder(job.folder, job.name)
            return job.target

        assert job.target is not None
        try:
            where, _ = export_shot(
                job.source, job.target, job.recipe or _suggested, job.preset,
                renamed=renamed, progress=tick, cancelled=job.stop.is_set,
            )  # fmt: skip
            job.state, job.progress, job.message = (
                DONE,
                1.0,
                tr("{st_size:.1f} MB", st_size=where.stat().st_size / 1000000.0),
            )
        except Cancelled as error:
            job.state, job.message = STOPPED, str(error)
        except BrutoError as error:
            job.state, job.message = FAILED, str(error)
        except MemoryError:
            job.state, job.message = FAILED, tr("not enough memory; close other programs")
        except Exception as error:  # the queue must outlive any one job
            job.state, job.message = FAILED, unexpected(error, f"delivering {job.source.name}")
