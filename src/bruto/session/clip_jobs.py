"""A clip that is being made of a sequence, behind the window."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.develop.recipe import Recipe
from bruto.session.workers import Post, Worker
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
    """Emits `progress(share, text)`, `made(clip)` and `failed(text)`."""

    progress = Signal(float, str)
    made = Signal(object)
    failed = Signal(str)

    def __init__(self, background: Worker, post: Post, values: Callable[[Path], Recipe | None]) -> None:
        self._work = background.channel("clip")
        self._post, self._values = post, values
        self._stop = threading.Event()
        self.running = False

    def stop(self) -> None:
        """Stop the running one; nothing is written."""
        self._stop.set()

    def start(self, files: list[Path], output: Target) -> None:
        """Develop files to a clip.

        Parameters
        ----------
        files
            Files in order.
        output
            File to write, from the output planner.
        """
        self._stop.clear()
        self.running = True

        def tell(share: float, text: str) -> None:
            self._post(lambda: self.progress.emit(share, text))

        def work() -> object:
            from bruto.export.clip import make_clip, usual_recipe

            recipe = usual_recipe(files, self._values)
            return make_clip(files, output, recipe, progress=tell, cancelled=self._stop.is_set)

        def ended(tell_of: Any) -> Callable[[Any], None]:
            def call(outcome: Any) -> None:
                self.running = False
                tell_of(outcome)

            return call

        self._work.ask(output.path, work, ended(self.made.emit), ended(self.failed.emit))
