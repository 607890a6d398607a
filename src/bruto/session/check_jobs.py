"""Whether every file of a shoot can be read to its end, before a card is wiped."""

from __future__ import annotations

from pathlib import Path

from psygnal import Signal

from bruto.catalog import sentences, tr, trn
from bruto.container.dng_reader import is_raw, read_dng
from bruto.container.picture import read_picture
from bruto.errors import BrutoError
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.shoot import Shoot


def file_problem(path: Path) -> str:
    """Decode a raw or a picture whole.

    Parameters
    ----------
    path
        The file.

    Returns
    -------
    str
        What is wrong with it, in a sentence; "" where it is whole.
    """
    try:
        if is_raw(path):
            read_dng(path)
        else:
            read_picture(path)
    except BrutoError as error:
        return str(error)
    return ""


class CheckJobs:
    """Checks the open shoot."""

    message = Signal(str)
    notice = Signal(str)

    def __init__(self, shoot: Shoot, tasks: LongTasks) -> None:
        self.shoot, self.tasks = shoot, tasks

    def start(self) -> None:
        """Read every raw and picture; nothing is written."""
        files = [f for s in self.shoot.shots for f in (s.raw, s.picture) if f is not None]
        task = LongTask("check", tr("Checking files"), subject=self.shoot.folder)

        def work() -> list[str]:
            problems = []
            for k, path in enumerate(files):
                task.check()
                task.tell(k / len(files), path.name)
                problems.append(file_problem(path))
            return [p for p in problems if p]

        def done(problems: list[str]) -> None:
            if problems:
                some = trn(
                    "{count} of {files} files cannot be read whole; copy it again from the phone.",
                    "{count} of {files} files cannot be read whole; copy them again from the phone.",
                    count=len(problems),
                    files=len(files),
                )
                self.message.emit(sentences(some, problems[0]))
            else:
                self.notice.emit(tr("All {files} files can be read whole.", files=len(files)))

        self.tasks.start(task, work, done, self.message.emit)
