"""Measuring and watching behind the window: shots are measured one after the other, new files in the folder appear."""

from __future__ import annotations

from pathlib import Path

from psygnal import Signal

from bruto.catalog import tr, trn
from bruto.sensor.measure_cache import measured
from bruto.sensor.report import SensorReport
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.shoot import Shoot
from bruto.session.workers import Post, Precedence, Worker
from bruto.shoot.folder import open_shoot
from bruto.shoot.folder_watch import Changes, FolderWatch
from bruto.shoot.shots import Shot
from bruto.shoot.sidecar import verdict_beside

MANY = 12
"""Shots from which measuring them is a task of the status line, with time left and a way to stop it."""


class MeasurementQueue:
    """Whoever owns it calls `look` from time to time.

    Emits `progress(text)`, `changed(changes)` before the shoot follows a change of the folder, `arrived(shot,
    count)` when new files are in it, and `problem(text)`.
    """

    progress = Signal(str)
    changed = Signal(object)
    arrived = Signal(object, int)
    problem = Signal(str)

    def __init__(self, shoot: Shoot, post: Post, tasks: LongTasks) -> None:
        self.shoot, self.tasks = shoot, tasks
        self._task: LongTask | None = None
        self._begun_at = 0
        """Shots that were measured when the task began."""
        self._stopped = False
        """The user stopped it: only shots that are opened are measured, until a folder is opened."""
        shoot.current_changed.connect(self._looked_at)
        self.worker = Worker("measurement", post, Precedence.LONG)
        self._again, self._looking = self.worker.channel("reading the folder", 1), self.worker.channel("watching", 2)
        self._verdicts, self._measuring = self.worker.channel("verdicts", 3), self.worker.channel("measuring", 4)
        self.moved: set[Path] = set()
        """Files that the user moved away from here: it is no news that they are gone."""
        self._watch: FolderWatch | None = None
        self._polled: FolderWatch | None = None
        """The watch that is being asked just now."""
        self._opening, self._read = 0, set[Path]()
        """Which opening of a shoot its shots' verdicts belong to, and the files of which they are known."""

    def idle(self) -> bool:
        """Whether nothing is being measured or looked for."""
        return self.worker.idle()

    def close(self) -> None:
        """Stop, after what is running has ended."""
        self.worker.close()

    def follow(self) -> None:
        """Watch the folder of a shoot that was opened or changed, and measure what is not measured."""
        if self._watch is None or self._watch.folder != self.shoot.folder:
            self._watch = FolderWatch(self.shoot.folder)
        if self.shoot.opening != self._opening:
            self._opening, self._read, self._stopped = self.shoot.opening, set(), False
            self._end_task()
        self._read_verdicts()
        self._measure_next()

    def look(self) -> None:
        """Look for new and vanished files."""
        watch = self._watch
        if watch is None or watch is self._polled:  # an answer that a later one replaces would be lost for good
            return
        self._polled = watch

        def failed(text: str) -> None:
            self._polled = None
            self.problem.emit(text)

        self._looking.ask(watch.folder, watch.poll, lambda found: self._found(watch, found), failed)

    def include(self, path: Path) -> None:
        """Put a file that was made here on the list, as if the folder had been read anew.

        Parameters
        ----------
        path
            The new file.
        """
        shoot = self.shoot
        if not any(Path(p) == path.parent for p in shoot.paths):
            shoot.paths.append(path)
        if self._watch is not None:
            self._watch.expect(path)
        paths, record = list(shoot.paths), shoot.record
        self._again.ask(shoot.folder, lambda: open_shoot(paths, record), shoot.again, self.problem.emit)

    def _read_verdicts(self) -> None:
        """Read the verdicts that shots were given before, at once.

        Measuring takes longer, and pictures alone are not measured.
        """
        shoot = self.shoot
        shots = [s for s in shoot.shots if s.main not in self._read]

        def done(found: dict[str, str]) -> None:
            self._read |= {s.main for s in shots}
            for shot in shots:
                verdict = found.get(str(shot.main), "")
                if verdict and str(shot.main) not in shoot.verdicts:
                    shoot.set_verdict(shot, verdict)

        if not shots:
            return
        self._verdicts.ask(
            shoot.folder, lambda: {str(s.main): verdict_beside(s.main) for s in shots}, done, self.problem.emit
        )

    def _measure_next(self) -> None:
        """Measure shots one after the other, the current one first."""
        shoot = self.shoot
        raws = [s for s in shoot.shots if s.raw is not None and not s.problem]
        left = [s for s in raws if str(s.main) not in shoot.reports]
        self._tell(len(raws), len(left))
        current = shoot.current
        if current is not None and current in left:
            shot = current
        elif left and not self._stopped:
            shot = left[0]
        else:
            return
        path, offer = shot.main, shoot.phones.offer(shot)

        def work() -> SensorReport:
            return measured(path, offer)

        def done(found: SensorReport) -> None:
            shoot.set_report(shot, found)
            self._measure_next()

        def failed(text: str) -> None:
            shoot.mark_broken(shot, text)
            self._measure_next()

        self._measuring.ask(shot.main, work, done, failed)

    def _tell(self, count: int, left: int) -> None:
        """Say how far it is: as a task where there is much to do, else in a few words."""
        done = count - left
        if left >= MANY and self._task is None and not self._stopped:
            self._begun_at = done
            task = LongTask("measuring", tr("Measuring"), loss=None, on_stop=self._stop)
            self._task = self.tasks.adopt(task)
        if not left or self._stopped:
            self._end_task()
        if self._task is not None:
            share = (done - self._begun_at) / max(count - self._begun_at, 1)
            self._task.tell(max(share, 0.0), tr("{done} of {count}", done=done, count=count))
            self.progress.emit("")
            return
        watching = tr("watching the folder · ") if self._watch is not None else ""
        measured = tr("{watching}measured {done} of {count}", watching=watching, done=done, count=count)
        self.progress.emit(measured if count else "")

    def _end_task(self) -> None:
        task, self._task = self._task, None
        if task is not None:
            self.tasks.end(task)

    def _stop(self) -> None:
        """Measure no more but what is looked at."""
        self._stopped = True
        self._measure_next()

    def _looked_at(self) -> None:
        if self._stopped:
            self._measure_next()

    def _found(self, watch: FolderWatch, changes: Changes) -> None:
        if watch is self._polled:
            self._polled = None
        if not changes or watch is not self._watch:
            return
        paths, record = list(self.shoot.paths), self.shoot.record
        for path in changes.new:
            self.shoot.reports.pop(str(path), None)
        self.changed.emit(changes)

        def done(shots: list[Shot]) -> None:
            if watch is not self._watch:
                return
            newest = next((s for s in reversed(shots) if set(s.files) & set(changes.new)), None)
            known = {f for s in self.shoot.shots for f in s.files}
            lost = [p for p in changes.gone if p in known and p not in self.moved]
            self.moved -= set(changes.gone)
            self.shoot.again(shots)
            if lost:
                self.problem.emit(
                    trn(
                        "{count} file no longer exists in this folder: {name}. Was it moved or deleted?",
                        "{count} files no longer exist in this folder, for example {name}. Were they moved or deleted?",
                        count=len(lost),
                        name=lost[0].name,
                    )
                )
            if newest is not None:
                self.arrived.emit(newest, len(changes.new))

        self._again.ask(watch.folder, lambda: open_shoot(paths, record), done, self.problem.emit)
