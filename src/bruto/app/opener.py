"""Folders, files and the demo, opened in a window; what came into a folder; and what earlier windows left undone."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog

from bruto.app.demo_day import DEMO_TITLE, NIGHT_TITLE, DemoDay, demo_folder
from bruto.catalog import tr, trn
from bruto.errors import BrutoError
from bruto.output_planner import Outputs
from bruto.session.unfinished_jobs import ImportTask, MergeTask, unfinished_jobs
from bruto.shoot.folder_watch import Changes
from bruto.shoot.shots import Shot
from bruto.tasks import Task


class Opener:
    """Opens in one window. `demo`: the simulated phone, while it shoots."""

    def __init__(self, window: Any) -> None:
        self.window = window
        self.demo: DemoDay | None = None
        measuring = window.measuring
        measuring.changed.connect(self._files_changed)
        measuring.arrived.connect(self._arrived)
        window.shoot.opened.connect(self._shoot_opened)

    def paths(self, paths: list[str | Path], title: str = "") -> bool:
        """Open folders or files; a problem becomes a message. Whether it was done."""
        self.window.places.note()
        try:
            self.window.shoot.open(paths, title)
        except BrutoError as error:
            self.window.say(str(error))
            return False
        if self.window.task() == Task.START:
            self.window.set_task(Task.CORRECT)
        return True

    def shoot(self, paths: list[str | Path], title: str = "") -> None:
        """Open a shoot and turn to where the user was in it: the first time to Intake, with one file to Correct."""
        known = self.window.places.recent([str(Path(p).absolute()) for p in paths])
        if not self.paths(paths, title or (known.title if known else "")):
            return
        task = Task(known.task) if known is not None and known.task in self.window.top.task_buttons else None
        whole = len(self.window.shoot.shots) != 1 or Path(paths[0]).is_dir()
        self.window.set_task(task or (Task.INTAKE if whole else Task.CORRECT))
        if known is not None:
            shot = next((s for s in self.window.shoot.shots if str(s.main.absolute()) == known.shot), None)
            if shot is not None:
                self.window.choose(shot)
            if known.close:
                self.window.correct.stage.set_one_to_one()
        self.window.places.note()

    def demo_shoot(self, night: bool = False) -> None:
        """The demo's day, or its night: made where it is not there yet, while the window watches."""
        folder = demo_folder(night)
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            self.window.say(tr("The demo folder cannot be created: {strerror}.", strerror=error.strerror or error))
            return
        self.shoot([folder], NIGHT_TITLE if night else DEMO_TITLE)
        self.shoot_demo(folder, night)
        if not self.window.shoot.shots:
            self.window.tell(
                tr("The simulated phone is taking its first shot. It appears here as soon as it is ready.")
            )

    def shoot_demo(self, folder: Path, night: bool = False) -> None:
        """Let the simulated phone take what is missing of the demo's day or night, behind the window."""
        if self.demo is not None:
            self.demo.stop()
        self.demo = DemoDay(folder, self.window.session.tasks, night)
        self.demo.problem.connect(self.window.say)
        self.demo.start()

    def choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self.window, tr("Folder of shots"), str(self.window.shoot.folder))
        if chosen:
            self.shoot([chosen])

    def _shoot_opened(self) -> None:
        count = len(self.window.shoot.shots)
        self.window.top.title.setText(
            trn("{title} · {count} shot", "{title} · {count} shots", count=count, title=self.window.shoot.title)
        )
        self.window.setWindowTitle(f"{self.window.shoot.title} – Bruto")
        self.window.thumbs.make(s for s in self.window.shoot.shots if not s.problem)
        self.window.measuring.follow()
        if self.window.shoot.current is None:
            if self.window.shoot.shots:
                self.window.shots.select(self.window.shoot.sets[0].shots[0])
            else:
                self.window.session.opened.turn_to(None)  # nothing reaches the shot of the folder before
                self.window.correct.stage.message = tr(
                    "{folder} holds no DNG files or pictures. Open another folder with Ctrl+O.",
                    folder=self.window.shoot.folder,
                )
                self.window.correct.stage.update()

    def offer_unfinished(self) -> None:
        """What earlier windows did not finish."""
        left = self.window.queue.restore()
        if left:
            self.window.tell(
                trn(
                    "{left} export did not finish last time. Export lists it and continues.",
                    "{left} exports did not finish last time. Export lists them and continues.",
                    left=left,
                )
            )
        for work in unfinished_jobs():
            self.window.line.offer(work.text, partial(self._go_on, work))

    def _go_on(self, work: ImportTask | MergeTask) -> None:
        if isinstance(work, ImportTask):
            self.paths([work.folder])
            self.window.session.imports.start(work.source)
            return
        self.paths([work.output.parent])
        files = list(work.files)
        try:
            target = Outputs(files).in_folder(work.output.parent, work.output.name)
            self.window.session.merging.start(files, work.method, target, work.choices)
        except BrutoError as error:
            self.window.say(str(error))

    def _files_changed(self, changes: Changes) -> None:
        self.window.thumbs.forget(changes.new)
        self.window.session.starting.forget(changes.new)

    def _arrived(self, shot: Shot, count: int) -> None:
        if self.demo is not None and self.demo.shooting:
            return  # a whole day comes in: what is looked at stays
        merged = shot.seen is not None and bool(shot.seen.merged)
        if self.window.task() == Task.INTAKE and not merged and len(self.window.shoot.selection) < 2:
            self.window.choose(
                shot
            )  # the test shot just taken; what was made here, and what is selected, stays as it is
        self.window.tell(trn("{count} new file in the folder.", "{count} new files in the folder.", count=count))
