"""Importing from a phone or card, behind the window."""

from __future__ import annotations

from pathlib import Path

from psygnal import Signal

from bruto.catalog import tr
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.measurement_queue import MeasurementQueue
from bruto.session.shoot import Shoot
from bruto.session.unfinished_jobs import IMPORT
from bruto.shoot.file_import import ImportResult, import_files, outcome_text


class ImportJobs:
    """Copies what is new into the open folder, verified."""

    message = Signal(str)
    notice = Signal(str)

    def __init__(self, shoot: Shoot, tasks: LongTasks, measuring: MeasurementQueue) -> None:
        self.shoot, self.tasks, self.measuring = shoot, tasks, measuring

    def start(self, source: Path) -> None:
        """Import from a phone or card.

        Parameters
        ----------
        source
            Folder of the phone or card.
        """
        folder = self.shoot.folder
        if not self.shoot.paths:  # without a folder the files would land wherever the program was started
            self.message.emit(tr("First open the folder to copy the files to (Ctrl+O)."))
            return
        task = LongTask(
            IMPORT,
            tr("Importing"),
            subject=source,
            keep={"source": str(source.absolute()), "folder": str(folder.absolute())},
        )

        def done(result: ImportResult) -> None:
            (self.message if result.failed else self.notice).emit(outcome_text(result))
            self.measuring.look()

        def failed(text: str) -> None:
            self.message.emit(text)
            self.measuring.look()

        self.tasks.start(task, lambda: import_files(source, folder, task.tell, task.stopped), done, failed)
