"""A merge that runs: its files, its progress and what came of it, whichever shot is looked at meanwhile."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from psygnal import Signal

from bruto.container.orientation import orient
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.develop.source import open_source
from bruto.develop.suggest.suggesting import suggest_all, take_all
from bruto.errors import Cancelled
from bruto.merge.result import MergeResult
from bruto.publish import Target
from bruto.session.shoot import Shoot
from bruto.session.unfinished import Unfinished
from bruto.session.work import Post, Worker
from bruto.storage.outputs import Outputs

_LARGE = 2500
"""Long edge from which the result is looked at at half its size, pixels."""


class Merging:
    """Emits `progress(share, text)`, `finished(result)`, `failed(text)`, and `seen(result, picture)` when the result is
    developed to be looked at.
    """

    progress = Signal(float, str)
    finished = Signal(object)
    failed = Signal(str)
    seen = Signal(object, object)
    judged = Signal(object)
    """What is known of the frames of a night so far: a list of `Seen`."""

    def __init__(self, shoot: Shoot, background: Worker, render: Worker, unfinished: Unfinished, post: Post) -> None:
        self.shoot, self.unfinished, self._post = shoot, unfinished, post
        self._work = background.channel("merging")
        self._picture = render.channel("merged picture", 125)
        self._judging = background.channel("judging frames")
        self._stop = threading.Event()
        self.running = False
        self._judged_of: list[Path] = []

    def stop(self) -> None:
        """Stop the running merge; nothing is written."""
        self._stop.set()

    def judge(self, files: list[Path]) -> None:
        """Judge the frames of a night by their previews, behind the window; `judged` tells as it goes on."""

        def work() -> object:
            from bruto.merge.sky.judging import overview  # its kernels are loaded where they are wanted
            from bruto.merge.sky.seen import plan

            frames = plan(files)
            for known in overview(frames, self._check_judging):
                self._post(partial(self._tell_judged, files, list(known)))
            return frames

        self._judged_of = files
        self._judging.ask(tuple(files), work, lambda found: self._tell_judged(files, found), lambda why: None)

    def _check_judging(self) -> None:
        if self._judging.dropped():
            raise Cancelled("Other frames are looked at.")

    def _tell_judged(self, files: list[Path], found: object) -> None:
        if files is self._judged_of:
            self.judged.emit(found)

    def start(self, files: list[Path], method: str, output: Target) -> None:
        """Merge files by a method to a new raw."""
        self._stop.clear()
        self.running = True
        self.unfinished.begin(
            "merge", files=[str(f.absolute()) for f in files], method=method, output=str(output.path.absolute())
        )

        def tell(share: float, text: str) -> None:
            self._post(lambda: self.progress.emit(share, text))

        def work() -> MergeResult:
            from bruto.merge.merging import merge  # the methods' kernels are loaded where they are wanted

            return merge(
                method, files, output, renamed=lambda: Outputs(files).in_folder(output.path.parent, output.path.name),
                progress=tell, cancelled=self._stop.is_set,
            )  # fmt: skip

        self._work.ask(output.path, work, self._merged, self._ended(self.failed.emit))

    def _ended(self, then: Callable[[Any], None]) -> Callable[[Any], None]:
        def call(outcome: Any) -> None:
            self.running = False
            self.unfinished.end("merge")
            then(outcome)

        return call

    def _merged(self, result: MergeResult) -> None:
        self._ended(self.finished.emit)(result)
        self.shoot.add_file(result.output)

        def work() -> NDArray[np.uint8]:
            developer = Developer(open_source(result.output))
            recipe = unframed(take_all(Recipe(), suggest_all(developer)))
            picture = developer.view(recipe, 2 if max(developer.source.size) > _LARGE else 1)
            return np.asarray(orient(picture, developer.source.meta.orientation))

        self._picture.ask(result.output, work, lambda picture: self.seen.emit(result, picture), self.failed.emit)
