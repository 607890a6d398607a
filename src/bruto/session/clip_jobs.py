"""A clip that is being made of a sequence, behind the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from psygnal import Signal

from bruto.catalog import tr
from bruto.develop.recipe import Recipe
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.shoot.sidecar import load_sidecar
from bruto.storage.atomic_write import Target


def edited_values(path: Path) -> Recipe | None:
    """Return the values beside a file, None where it was never edited.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Recipe | None
        The values beside a file, None where it was never edited.
    """
    side, _ = load_sidecar(path)
    return None if side.untouched else side.recipe


class ClipJobs:
    """Emits `made(clip)` and `failed(text)`."""

    made = Signal(object)
    failed = Signal(str)

    def __init__(self, tasks: LongTasks, values: Callable[[Path], Recipe | None] = edited_values) -> None:
        self._tasks, self._values = tasks, values

    def start(self, files: list[Path], output: Target) -> None:
        """Develop files to a clip.

        Parameters
        ----------
        files
            Files in order.
        output
            File to write, from the output planner.
        """
        task = LongTask("clip", tr("Making a clip"), subject=output.path)

        def work() -> object:
            from bruto.export.clip import make_clip, usual_recipe

            recipe = usual_recipe(files, self._values)
            return make_clip(files, output, recipe, progress=task.tell, cancelled=task.stopped)

        self._tasks.start(task, work, self.made.emit, self.failed.emit)
