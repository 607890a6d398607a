"""From a source and a recipe to pictures, as views on a screen or as whole files: one pipeline for all of them.

Light of the recorded frame goes through the raw steps, is cut and turned into the picture's frame, and goes through
the point steps (`steps.order`). Which work is kept follows from the fields that a step says it reads: a ledger row
makes its own step and those after it run again, and nothing before.

A view is the picture at any smaller size, made from the next larger power-of-two one, or a rectangle of it at 1:1.
Coarse fields are measured once for the whole frame and shared by all views, so a view and the final file agree. Whole
files are made in tiles, so memory does not grow with the frame.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.orientation import orient
from bruto.develop.areas import Area, PlacedMask, differs
from bruto.develop.bands import Planned, StepFailed, run
from bruto.develop.frame_geometry import Geometry
from bruto.develop.framed_image import FramedImage, frame_key, values_of
from bruto.develop.raw_stages import StageCache, TileRun, is_idle, run_raw_step
from bruto.develop.recipe import NEUTRAL_FIELDS, Recipe
from bruto.develop.rectangle import Rectangle
from bruto.develop.source import Source, as_asked
from bruto.develop.steps.profile_look import gains_over
from bruto.develop.steps.step import RawPosition, RawStep, StepInput, TilePosition
from bruto.develop.steps.step_order import COLOR_ONLY, POINT_STEPS, RAW_STEPS
from bruto.develop.steps.working_light import to_working
from bruto.develop.tiles import develop_tiles
from bruto.error_log import unexpected
from bruto.errors import BrutoError, Cancelled

SURROUND = 0x6C
"""Code of the neutral surround of pictures, for what lies outside of the recorded frame."""


class Developer(FramedImage):
    """Develops one source. Methods may be called from one thread at a time; `cancel` may be set from any.

    A step of a view that fails is left out, and `problems` says why by its name; files are not made without a step.
    """

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._stages = StageCache()
        self._piece: tuple[Rectangle, tuple[NDArray[np.float32], int, int]] | None = None
        self.problems: dict[str, str] = {}
        self._lock = threading.Lock()

    def asked(self, recipe: Recipe) -> Developer:
        """Return the developer for the quarter turns and the area that a recipe asks for.

        Itself where it is for those.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        Developer
            The developer for the quarter turns and the area that a recipe asks for.
        """
        source = as_asked(self.source, recipe)
        return self if source is self.source else Developer(source)

    @property
    def memory_bytes(self) -> int:
        """Memory that is held: the frame, its sizes, and kept results of steps, bytes."""
        caches = (self._levels, self._between)  # they may grow on the render thread: copied at once
        parts: list[NDArray[Any]] = [self.source.linear.data, *(a for cache in caches for a in list(cache.values()))]
        parts += self._stages.arrays()
        if self.source.frame is not None:
            parts.append(self.source.frame.codes)
        if self.source.picture is not None:
            parts.append(self.source.picture.pixels)
        if self._piece is not None:
            parts.append(self._piece[1][0])
        return sum(p.nbytes for p in parts)

    def _scene(self, recipe: Recipe, shape: Geometry, space: str, bits: int, color_only: bool = False) -> StepInput:
        """Find what the point steps may know of a recipe's picture."""
        matrix, baseline, look = self._color(recipe)
        exposure = 0.0 if color_only else recipe.exposure + baseline
        if look is not None and look.gains.size and shape.offset is None:
            look = gains_over(look, shape.places, shape.size, shape.sensor_size)
        return StepInput(
            matrix * 2.0**exposure, exposure, recipe.exposure, look, space, bits, math.hypot(*self.source.size),
            lambda field: self._over(shape, field),
        )  # fmt: skip

    # -- steps

    def _unless_it_fails(self, name: str, work: Callable[[], Any], otherwise: Callable[[], Any]) -> Any:
        """Find what a step of a view gives, or what stands in for it."""
        try:
            found = work()
        except (BrutoError, MemoryError):
            raise
        except Exception as error:  # a picture without one step is worth more than none
            self.problems[name] = unexpected(error, f"making {name}")
            return otherwise()
        self.problems.pop(name, None)
        return found

    def _after(
        self, count: int, recipe: Recipe, tile: TileRun, areas: Sequence[Area], check: Callable[[], None]
    ) -> NDArray[np.float32]:
        """Compute a view's tile after the first `count` raw steps; each one's result is kept."""
        check()
        if count == 0:
            return tile.light()
        step, place = RAW_STEPS[count - 1], tile.place
        if is_idle(self, step, recipe, place.factor) and not any(differs(step.fields, recipe, a.values) for a in areas):
            return self._after(count - 1, recipe, tile, areas, check)

        def work() -> NDArray[np.float32]:
            before = self._after(count - 1, recipe, tile, areas, check)
            return self._unless_it_fails(
                step.name, lambda: run_raw_step(self, step, before, recipe, place, False, areas), lambda: before
            )  # fmt: skip

        read = values_of(_fields_of(RAW_STEPS[:count]), recipe)
        return self._stages.get((step.name, *tile.key, read, *map(id, areas)), work)

    def _plan(
        self, recipe: Recipe, shape: Geometry, space: str, bits: int, areas: Sequence[Area] = (), view: bool = False
    ) -> list[Planned]:
        """Return the point steps of a picture, prepared.

        One that fails is left out of a view.
        """
        scene = self._scene(recipe, shape, space, bits)
        others = []
        for area in areas:
            mask = area.mask if shape.offset is not None else shape.field(area.mask)
            values = area.values.effective()
            others.append((PlacedMask(mask), values, self._scene(values, shape, space, bits)))
        plan = []
        for step in POINT_STEPS:

            def prepare(step: Any = step) -> Planned:
                found = tuple(
                    (mask, step.prepare(values, own) or step.idle())
                    for mask, values, own in others
                    if step is not POINT_STEPS[-1] and differs(step.fields, recipe, values)
                )
                prepared = step.prepare(recipe, scene)
                return Planned(step, step.idle() if found and prepared is None else prepared, found)

            planned = self._unless_it_fails(step.name, prepare, lambda: None) if view else prepare()
            if planned is not None and (planned.prepared is not None or planned.areas):
                plan.append(planned)
        return plan

    def _pointed(
        self, plan: list[Planned], rgb: NDArray[np.float32], clipped: NDArray[np.uint8], place: TilePosition
    ) -> NDArray[np.uint8]:
        """Point steps of a view: where one fails, the picture is made without it."""
        while True:
            try:
                return run(plan, rgb, clipped, place, 8)
            except StepFailed as failed:
                if failed.name in COLOR_ONLY:
                    raise
                self.problems[failed.name] = unexpected(failed.cause, f"making {failed.name}")
                plan = [p for p in plan if p.step.name != failed.name]

    # -- results

    def view(
        self,
        recipe: Recipe,
        factor: float,
        rect: Rectangle | None = None,
        space: str = "srgb",
        uncropped: bool = False,
        cancelled: Callable[[], bool] | None = None,
        areas: Sequence[Area] = (),
    ) -> NDArray[np.uint8]:
        """Compute the recipe's picture at 1/factor, or a rectangle of it at full size (factor 1), unoriented, uint8.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        factor
            1, or any number from 2 on.
        rect
            Rectangle in output pixels.
        space
            Identifier of the output space.
        uncropped
            All that the recorded frame covers; what it does not cover is `SURROUND`.
        cancelled
            Asked before each step; what was done so far is kept.
        areas
            Parts of the picture with other values.

        Returns
        -------
        NDArray[np.uint8]
            Display picture (h, w, 3), uint8.

        Raises
        ------
        Cancelled
            When `cancelled` says so.
        """
        recipe = recipe.effective()

        def check() -> None:
            if cancelled is not None and cancelled():
                raise Cancelled(tr("The picture is no longer needed."))

        with self._lock:
            check()
            shape = self.geometry(recipe, uncropped)
            area = rect if rect is not None and factor == 1 else Rectangle(0, 0, *shape.size)
            origin = (0, 0)
            if factor > 1:
                tile = TileRun((factor, None), lambda: self.level(factor), RawPosition(factor, (0, 0, 1, 1)))
            else:
                part = shape.source_area(area)
                if self._piece is None or self._piece[0] != part:
                    self._piece = (part, self.piece(part))
                whole, dx, dy = self._piece[1]
                origin = (part.x - dx, part.y - dy)
                tile = TileRun((1, part), lambda: whole, self.place_of(whole, part, (dx, dy)))
            marks = tuple(map(id, areas))

            def framed() -> NDArray[np.float32]:
                done = self._after(len(RAW_STEPS), recipe, tile, areas, check)
                check()
                return done if factor > 1 and shape.whole else shape.resampled(done, area, factor, origin)

            read = values_of(_fields_of(RAW_STEPS), recipe)
            rgb = self._stages.get(("framed", frame_key(recipe, uncropped), area, factor, read, marks), framed)
            place, clipped = self._placed(shape, area, factor)
            check()
            out = self._pointed(self._plan(recipe, shape, space, 8, areas, view=True), rgb, clipped, place)
            if uncropped and shape.offset is None:
                out[shape.outside(area, factor)] = SURROUND
            return out

    def render(
        self,
        recipe: Recipe,
        *,
        space: str = "srgb",
        bits: int = 8,
        neutral_look: bool = False,
        progress: Callable[[float], None] | None = None,
        cancelled: Callable[[], bool] | None = None,
        areas: Sequence[Area] = (),
    ) -> NDArray[Any]:
        """Compute the recipe's picture at full size, oriented.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        space
            Identifier of the output space.
        bits
            Bits per sample.
        neutral_look
            Colour only: no noise reduction, sharpening, tone or exposure.
        progress
            Called with the share done, 0 to 1, and what is being done.
        cancelled
            Returns whether to stop.
        areas
            Parts of the picture with other values.

        Returns
        -------
        uint8 or uint16 encoded (H, W, 3), or float32 linear Rec. 2020 for `space="linear"`.

        Raises
        ------
        Cancelled
            When `cancelled` says so, which is asked before each tile.
        """
        recipe = recipe.changed(**NEUTRAL_FIELDS) if neutral_look else recipe.effective()
        areas = () if neutral_look else areas
        shape = self.geometry(recipe)
        w, h = shape.size
        linear = space == "linear"
        out = np.empty((h, w, 3), np.float32 if linear else (np.uint8 if bits == 8 else np.uint16))
        plan: list[Planned] = []
        if neutral_look:
            scene = self._scene(recipe, shape, "rec2020" if linear else space, bits, color_only=True)
            matrix = scene.matrix
            plan = [Planned(s, s.prepare(recipe, scene)) for s in POINT_STEPS if s.name in COLOR_ONLY]
        elif linear:
            matrix = self._scene(recipe, shape, "rec2020", bits, color_only=True).matrix
        else:
            plan = self._plan(recipe, shape, space, bits, areas)

        def check() -> None:
            if cancelled is not None and cancelled():
                raise Cancelled(tr("Development stopped; nothing was written."))

        def detail(rect: Rectangle) -> NDArray[np.float32]:
            """Compute a rectangle of the recorded frame after the raw steps."""
            rgb, dx, dy = self.piece(rect)
            if not neutral_look:
                place = self.place_of(rgb, rect, (dx, dy))
                for step in RAW_STEPS:
                    rgb = run_raw_step(self, step, rgb, recipe, place, True, areas)
            return rgb[dy : dy + rect.height, dx : dx + rect.width]

        def finished(rgb: NDArray[np.float32], rect: Rectangle) -> NDArray[Any]:
            if linear:
                return to_working(rgb, matrix)
            place, clipped = self._placed(shape, rect, 1)
            return run(plan, rgb, clipped, place, bits)

        develop_tiles(shape, out, detail, finished, check, progress)
        return np.ascontiguousarray(orient(out, self.source.meta.orientation))


def _fields_of(steps: Sequence[RawStep]) -> tuple[str, ...]:
    """Fields that steps read, each once."""
    return tuple(dict.fromkeys(name for step in steps for name in step.fields))
