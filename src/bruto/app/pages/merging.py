"""Merging frames: what is computed for the Merge page, and where its result goes."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bruto.app.models import Shoot
from bruto.app.pages.merge import MergePage
from bruto.app.unfinished import Unfinished
from bruto.app.worker import Worker
from bruto.container.orientation import orient
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.merge.merging import merge
from bruto.merge.result import MergeResult
from bruto.publish import Target
from bruto.storage.outputs import Outputs


class Merging:
    """Runs merges on the thread for long work; `progress` may be called from there."""

    def __init__(
        self,
        page: MergePage,
        shoot: Shoot,
        workers: tuple[Worker, Worker],
        progress: Callable[..., None],
        say: Callable[[str], None],
    ) -> None:
        """`workers`: for long work, and for pictures."""
        self.page, self.shoot, self.progress, self.say = page, shoot, progress, say
        self.background, self.worker = workers
        self._stop = threading.Event()
        self.running = False
        self.unfinished_work: Unfinished | None = None
        page.start.connect(self.start)
        page.stop.connect(self.stop)

    def stop(self) -> None:
        self._stop.set()

    def start(self, files: list[Path], kind: str, output: Target) -> None:
        """Merge files by a kind of merge to a new raw."""
        self._stop.clear()
        self.running = True
        if self.unfinished_work is not None:
            self.unfinished_work.begin(
                "merge", files=[str(f.absolute()) for f in files], method=kind, output=str(output.path.absolute())
            )

        def failed(text: str) -> None:
            self._ended()
            self.page.finish(None, text)

        def work() -> MergeResult:
            given: list[str | Path] = list(files)
            ways: dict[str, Any] = {
                "renamed": lambda: Outputs(files).in_folder(output.path.parent, output.path.name),
                "progress": self.progress,
                "cancelled": self._stop.is_set,
            }
            return merge(kind, given, output, **ways)

        self.background.ask("merge", work, self._merged, failed)

    def _ended(self) -> None:
        self.running = False
        if self.unfinished_work is not None:
            self.unfinished_work.end("merge")

    def _merged(self, result: MergeResult) -> None:
        self._ended()
        self.shoot.add_file(result.output)
        self.page.finish(result)
        from bruto.container.dng_reader import read_dng_meta

        w, h = read_dng_meta(result.output).meta.oriented_size
        self.page.stage.set_frame(w, h)
        path = result.output

        def work() -> Any:
            from bruto.develop.source import open_source
            from bruto.develop.suggest.suggesting import suggest_all, take_all

            developer = Developer(open_source(path))
            recipe = unframed(take_all(Recipe(), suggest_all(developer)))
            picture = developer.view(recipe, 2 if max(w, h) > 2500 else 1)
            return orient(picture, developer.source.meta.orientation)

        self.page.tag.setText("MERGED, developed")
        self.worker.ask("compare", work, self.page.stage.set_base, self.say)
