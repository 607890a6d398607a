"""A merge that runs: its files, its progress and what came of it, whichever shot is looked at meanwhile."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from psygnal import Signal

from bruto.catalog import tr
from bruto.compare.regions import Region
from bruto.compare.sources import SharpPair
from bruto.container.orientation import orient
from bruto.container.raw_frame import Linear
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.develop.rectangle import Rectangle
from bruto.develop.source import Source, open_source
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.error_log import unexpected
from bruto.errors import Cancelled
from bruto.merge.live_preview import LivePicture
from bruto.merge.result import MergeResult, reference_file
from bruto.output_planner import Outputs
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.merge_regions import merge_regions
from bruto.session.unfinished_jobs import MERGE
from bruto.session.workers import Post, Worker
from bruto.storage.atomic_write import Target


@dataclass(frozen=True)
class MergeView:
    """A result beside one of its frames, both with the corrections suggested for the result.

    Pictures (H, W, 3) uint8, turned as held; `names` of both; `places` where they differ most, with `pairs` of
    pieces at 1:1; `border` (h, w): share of sky of each place, 255 = all, where there is one.
    """

    one: NDArray[np.uint8]
    merged: NDArray[np.uint8]
    names: tuple[str, str]
    size: tuple[int, int]
    """Width and height of the full frame."""
    places: tuple[Region, ...]
    pairs: tuple[SharpPair, ...]
    border: NDArray[np.uint8] | None = None
    orientation: int = 1
    """Exif, by which all of it was turned."""


@dataclass(frozen=True)
class LiveView:
    """What a running merge holds so far, developed: `picture` (h, w, 3) uint8, turned as held."""

    picture: NDArray[np.uint8]
    size: tuple[int, int]
    """Width and height of the full frame."""
    count: int
    """Frames in it."""
    summed: bool
    """Whether they are merged in it."""


class _Developing:
    """Develops pictures of a running merge, all with the corrections that were suggested for the first of them."""

    def __init__(self) -> None:
        self._recipe: Recipe | None = None

    def __call__(self, live: LivePicture) -> LiveView:
        h, w = live.light.shape[:2]
        known = live.frame.meta
        meta = replace(
            known, kind="linear", width=w, height=h, cfa="", active_area=(0, 0, w, h), default_crop=(0, 0, w, h),
            gain_maps=(), warps=(), vignettes=(), semantic_masks=(),
        )  # fmt: skip
        full = known.default_crop[2:]
        frames = live.count if live.summed else 1
        noise = live.frame.noise / (frames * full[0] * full[1] / (w * h))  # it is smaller, too
        clipped = np.zeros(((h + 1) // 2, (w + 1) // 2), np.uint8)
        developer = Developer(Source(
            live.frame.path, "linear", Linear(live.light, clipped, "", 1.0), meta, noise, "file",
            np.ones((1, 1), np.float32),
        ))  # fmt: skip
        if self._recipe is None:
            self._recipe = unframed(take_all(Recipe(), suggest_all(developer)))
        picture = orient(developer.view(self._recipe, 1), meta.orientation)
        return LiveView(
            np.ascontiguousarray(picture), full if known.orientation < 5 else full[::-1], live.count, live.summed
        )


_LARGE = 4500
"""Long edge from which both are looked at at half their size, pixels."""
PIECE = 420
"""Pixels a side of a piece at 1:1."""


def _look_at(result: MergeResult) -> MergeView:
    """Develop a result and the frame that the others were laid on."""
    developer = Developer(open_source(result.output))
    recipe = unframed(take_all(Recipe(), suggest_all(developer)))
    reference = reference_file(result)
    frame = Developer(open_source(reference))
    scale = 2 if max(developer.source.size) > _LARGE else 1
    orientation = developer.source.meta.orientation
    merged, one = (np.asarray(orient(d.view(recipe, scale), orientation)) for d in (developer, frame))
    h, w = merged.shape[:2]
    one = one[:h, :w]
    places = merge_regions(one, merged)
    pairs = []
    for place in places:
        x, y = (min(max(round(s * n) - PIECE // 2, 0), max(n - PIECE, 0)) for s, n in ((place.x, w), (place.y, h)))
        part = np.s_[y : y + PIECE, x : x + PIECE]
        pairs.append(SharpPair(one[part], merged[part], np.zeros((1, 1), np.float32), Rectangle(x, y, PIECE, PIECE)))
    border = None if result.border is None else np.ascontiguousarray(orient(result.border, orientation))
    names = reference.stem, "merged"
    return MergeView(one, merged, names, (w * scale, h * scale), places, tuple(pairs), border, orientation)


class MergeJobs:
    """Merges beside the interface.

    Emits `finished(result)`, `failed(text)`, and `seen(result, picture)` when the result is developed to be looked at.
    The session's long tasks show their progress, under the kind `MERGE`.
    """

    finished = Signal(object)
    failed = Signal(str)
    seen = Signal(object, object)
    live = Signal(object, object)
    """What the running merge holds so far: a `LiveView`, with the files it is of."""
    judged = Signal(object)
    """What is known of the frames of a night so far: a list of `Seen`."""

    def __init__(
        self, include: Callable[[Path], None], tasks: LongTasks, background: Worker, render: Worker, post: Post
    ) -> None:
        """`include`: puts the result on the list of shots."""
        self._include, self.tasks, self._post = include, tasks, post
        self._picture = render.channel("merged picture", 125)
        self._judging = background.channel("judging frames")
        self._enough = threading.Event()
        self._judged_of: list[Path] = []

    @property
    def running(self) -> LongTask | None:
        """The merge that runs; its subject is the file it writes."""
        return self.tasks.running(MERGE)

    @property
    def waiting(self) -> list[LongTask]:
        """Merges that wait for the running one."""
        return [t for t in self.tasks.of(MERGE) if not t.running]

    def judge(self, files: list[Path], night: bool) -> None:
        """Judge the frames of a set behind the window, those of a night by their previews.

        `judged` tells as it goes on.

        Parameters
        ----------
        files
            Files in order.
        night
            Whether the frames are a night on a tripod.
        """

        def work() -> object:
            if night:
                from bruto.merge.sky.frame_assessment import plan
                from bruto.merge.sky.night_judge import overview  # its kernels are loaded where they are wanted

                frames: list[Any] = list(plan(files))
                looked: Any = overview(frames, self._check_judging)
            else:
                from bruto.merge.burst_assessment import judged

                frames, looked = [], judged(files, self._check_judging)
            for known in looked:
                frames = list(known)
                self._post(partial(self._report_judged, files, frames))
            return frames

        self._judged_of = files
        self._judging.ask(tuple(files), work, lambda found: self._report_judged(files, found), lambda why: None)

    def _check_judging(self) -> None:
        if self._judging.dropped():
            raise Cancelled(tr("Other frames are being checked."))

    def _report_judged(self, files: list[Path], found: object) -> None:
        if files is self._judged_of:
            self.judged.emit(found)

    def stop(self) -> None:
        """Stop the running merge; nothing is written."""
        if (task := self.running) is not None:
            self.tasks.stop(task)

    def stop_and_keep(self) -> None:
        """End the running merge with the frames that were read."""
        self._enough.set()

    def start(self, files: list[Path], method: str, output: Target, choices: Mapping[str, Any] | None = None) -> None:
        """Merge files by a method, with the choices it leaves, to a new raw; where one is running, after it.

        Parameters
        ----------
        files
            Files in order.
        method
            Identifier of the method.
        output
            File to write, from the output planner.
        choices
            Values of the method's options.
        """
        chosen = dict(choices or {})
        task = LongTask(
            MERGE,
            tr("Merging {count} frames", count=len(files)),
            subject=output.path,
            loss=tr("A merge is running. It is stopped without saving."),
            keep={
                "files": [str(f.absolute()) for f in files],
                "method": method,
                "output": str(output.path.absolute()),
                "choices": chosen,
            },
        )
        developed = _Developing()

        def see(picture: LivePicture) -> None:
            try:
                look = developed(picture)
            except Exception as error:  # a picture on the way is worth no merge
                unexpected(error, "showing what is merged so far")
                return
            self._post(lambda: self.live.emit(look, files))

        def work() -> MergeResult:
            from bruto.merge.merger import merge  # the methods' kernels are loaded where they are wanted
            from bruto.merge.methods import method_of

            def renamed() -> Target:
                return Outputs(files).in_folder(output.path.parent, output.path.name)

            self._enough.clear()
            return merge(
                method_of(method).chosen(chosen), files, output, renamed=renamed, progress=task.tell,
                cancelled=task.stopped, enough=self._enough.is_set, seen=see,
            )  # fmt: skip

        self.tasks.start(task, work, self._merged, self.failed.emit)

    def _merged(self, result: MergeResult) -> None:
        self.finished.emit(result)
        self._include(result.output)
        self._picture.ask(
            result.output, partial(_look_at, result), lambda look: self.seen.emit(result, look), self.failed.emit
        )
