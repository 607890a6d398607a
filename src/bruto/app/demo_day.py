"""The simulated phone at work behind the window: it goes on shooting into the folder that the window watches."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import platformdirs
from PySide6.QtCore import QObject, QProcess, QTimer, Signal

from bruto.catalog import tr
from bruto.session.long_tasks import LongTask, LongTasks

LAST_SEEN_MS = 5000
"""After its end: when the watched folder has shown its last shot."""
TITLE = tr("The simulated phone is shooting")
DEMO_TITLE, NIGHT_TITLE = tr("Orrin Saltern, one day"), tr("Orrin Saltern, the night")


def demo_folder(night: bool = False) -> Path:
    """Where the demo's day, or its night, lies: made once, in the user's data folder."""
    return Path(platformdirs.user_data_dir("bruto")) / ("Orrin Saltern, night" if night else "Orrin Saltern")


class DemoDay(QObject):
    """Runs the simulated phone as a process while anything of the day or night is missing; ends it with the window."""

    problem = Signal(str)
    finished = Signal()

    def __init__(self, folder: Path, tasks: LongTasks, night: bool = False) -> None:
        super().__init__()
        self.folder, self.tasks, self.night = folder, tasks, night
        self.task = LongTask("simulation", TITLE, subject=folder, on_stop=self.stop)
        self.process = QProcess(self)
        self.process.readyReadStandardOutput.connect(self._read_output)
        self.process.finished.connect(self._ended)
        self._stopped = False
        self.shooting = False
        """Whether shots of it still come in."""

    def start(self) -> None:
        """Go on where the last start ended; nothing is done where the day is whole."""
        from bruto.simphone.demo import missing  # takes long to import

        if not missing(self.folder, self.night):
            return
        self.shooting = True
        self.tasks.adopt(self.task)
        self.process.start(
            sys.executable, ["-m", "bruto.simphone.demo", str(self.folder), *(["night"] if self.night else [])]
        )

    def stop(self) -> None:
        """End it now; what is there stays, and the next start goes on."""
        self._stopped = True
        if self.process.state() != QProcess.ProcessState.NotRunning:
            self.process.kill()
            self.process.waitForFinished(3000)

    def _all_seen(self) -> None:
        self.shooting = False

    def _read_output(self) -> None:
        while self.process.canReadLine():
            try:
                report: dict[str, Any] = json.loads(bytes(self.process.readLine().data()))
                self.task.tell(float(report["share"]), str(report["text"]))
            except (ValueError, KeyError, TypeError):
                continue

    def _ended(self, code: int) -> None:
        self.tasks.end(self.task)
        QTimer.singleShot(LAST_SEEN_MS, self._all_seen)
        if code and not self._stopped:
            report = bytes(self.process.readAllStandardError().data()).decode("utf-8", "replace").strip().splitlines()
            self.problem.emit(
                tr(
                    "The simulated phone stopped: {report}",
                    report=report[-1] if report else tr("exit code {code}", code=code),
                )
            )
        self.finished.emit()
