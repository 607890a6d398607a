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
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.buffer_pool import reused
from bruto.catalog import tr
from bruto.color.temperature import xy_of
from bruto.container.color_model import xy_to_neutral
from bruto.container.orientation import orient
from bruto.develop.areas import Area, PlacedMask, differs
from bruto.develop.bands import Planned, StepFailed, run
from bruto.develop.frame_geometry import Geometry, Rectangle, clipped_or_near, geometry_of
from bruto.develop.profiles import chosen, hue_sat_for, with_profile
from bruto.develop.recipe import FRAME_FIELDS, NEUTRAL_FIELDS, Recipe
from bruto.develop.sensor_image import SensorImage
from bruto.develop.source import Source, as_asked
from bruto.develop.steps.profile_look import ProfileLook, gains_over, look_of
from bruto.develop.steps.step import CoarseField, RawPosition, RawStep, StepInput, TilePosition
from bruto.develop.steps.step_order import COLOR_ONLY, POINT_STEPS, RAW_STEPS
from bruto.develop.steps.working_light import to_working
from bruto.error_log import unexpected
from bruto.errors import BrutoError, Cancelled

TILE = 1536
"""Rows developed at a time for whole files."""
CACHED_STAGES, LEAST_STAGES, MOST_STAGES = 7, 3, 400_000_000
"""Results of steps that are kept: how many, how many in any case (those of one view), and bytes beyond those."""
MOST_GEOMETRIES = 6
SURROUND = 0x6C
"""Code of the neutral surround of pictures, for what lies outside of the recorded frame."""
_WHITE_FIELDS = ("temperature", "tint", "raw_neutral", "profile", "base_look")


@dataclass(frozen=True)
class _TileRun:
    """Pixels of the recorded frame at 1/factor that raw steps run on: `key` for what is kept; `light` makes them.

    `place` in the frame.
    """

    key: tuple[Any, ...]
    light: Callable[[], NDArray[np.float32]]
    place: RawPosition


class Developer(SensorImage):
    """Develops one source. Methods may be called from one thread at a time; `cancel` may be set from any.

    A step of a view that fails is left out, and `problems` says why by its name; files are not made without a step.
    """

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._stages: OrderedDict[tuple[Any, ...], NDArray[np.float32]] = OrderedDict()
        self._piece: tuple[Rectangle, tuple[NDArray[np.float32], int, int]] | None = None
        self._geometries: OrderedDict[tuple[Any, ...], Geometry] = OrderedDict()
        self._fields: tuple[Geometry, dict[str, Any]] | None = None
        self._near: NDArray[np.uint8] | None = None
        self._colors: tuple[tuple[Any, ...], tuple[NDArray[np.float64], float, ProfileLook | None]] | None = None
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
        caches = (self._levels, self._between, self._stages)  # they may grow on the render thread: copied at once
        parts: list[NDArray[Any]] = [self.source.linear.data, *(a for cache in caches for a in list(cache.values()))]
        if self.source.frame is not None:
            parts.append(self.source.frame.codes)
        if self.source.picture is not None:
            parts.append(self.source.picture.pixels)
        if self._piece is not None:
            parts.append(self._piece[1][0])
        return sum(p.nbytes for p in parts)

    # -- frame

    def geometry(self, recipe: Recipe, uncropped: bool = False) -> Geometry:
        """Return the mapping from the recorded frame to the recipe's picture.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        uncropped
            To all that it covers.

        Returns
        -------
        Geometry
            The mapping from the recorded frame to the recipe's picture.
        """
        recipe = recipe.effective()
        key = _frame_key(recipe, uncropped)
        if key not in self._geometries:
            self._geometries[key] = geometry_of(self.source.meta, recipe, uncropped)
            while len(self._geometries) > MOST_GEOMETRIES:
                self._geometries.popitem(last=False)
        self._geometries.move_to_end(key)
        return self._geometries[key]

    def size(self, recipe: Recipe) -> tuple[int, int]:
        """Return the width and height of the recipe's picture at full size, unoriented.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        tuple[int, int]
            Width and height of the recipe's picture at full size, unoriented.
        """
        return self.geometry(recipe).size

    def light(self, recipe: Recipe, factor: float, rect: Rectangle | None = None) -> NDArray[np.float32]:
        """Compute the balanced camera RGB of the recipe's picture at 1/factor.

        Or of a rectangle of it at full size, without any other correction.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.
        rect
            Rectangle in output pixels.

        Returns
        -------
        NDArray[np.float32]
            Balanced camera RGB of the recipe's picture at 1/factor, or of a rectangle of it at full size,
            without any other correction.
        """
        shape = self.geometry(recipe)
        area = rect or Rectangle(0, 0, *shape.size)
        if factor > 1:
            return self.level(factor) if shape.whole else shape.resampled(self.level(factor), area, factor)
        part = shape.source_area(area)
        rgb, dx, dy = self.piece(part)
        return shape.resampled(rgb, area, 1, (part.x - dx, part.y - dy))

    def clipped_channels(self, recipe: Recipe) -> NDArray[np.uint8]:
        """Compute the clipped channels (bits 1, 2, 4) of the recipe's picture at half the size.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.uint8]
            Clipped channels (bits 1, 2, 4) of the recipe's picture at half the size.
        """
        shape = self.geometry(recipe)
        if shape.whole:
            return self.clipped
        return shape.clipped(self._near_clipped(), Rectangle(0, 0, *shape.size), 2)

    def _near_clipped(self) -> NDArray[np.uint8]:
        """Clipped channels of each quad of the frame and its neighbours."""
        if self._near is None:
            self._near = clipped_or_near(self.clipped)
        return self._near

    def _over(self, shape: Geometry, field: CoarseField) -> Any:
        """Return a coarse field over the picture of a geometry; those of the latest one are kept."""
        found = self.coarse(field)
        if shape.offset is not None:
            return found
        if self._fields is None or self._fields[0] is not shape:
            self._fields = (shape, {})
        caches = self._fields[1]
        if field.name not in caches:
            caches[field.name] = field.over(found, shape)
        return caches[field.name]

    def _placed(self, shape: Geometry, area: Rectangle, factor: float) -> tuple[TilePosition, NDArray[np.uint8]]:
        """Where an area at 1/factor lies, for the point steps, and the clipped channels that they read."""
        own = (area.x / factor, area.y / factor)
        if shape.offset is not None:
            at = (round((shape.offset[0] + area.x) / factor), round((shape.offset[1] + area.y) / factor))
            return TilePosition(factor, at, shape.sensor_size, factor / 2, at, own, shape.size), self.clipped
        clipped = self.clipped
        if clipped.any():
            clipped = shape.clipped(self._near_clipped(), area, factor)
        else:
            clipped = np.zeros((1, 1), np.uint8)
        return TilePosition(factor, own, shape.size, min(factor, 2) / 2, (0, 0), own, shape.size), clipped

    # -- white and profile

    def neutral(self, recipe: Recipe) -> NDArray[np.float64]:
        """Compute the camera neutral of a recipe.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.float64]
            Camera neutral of a recipe.
        """
        if recipe.raw_neutral is not None:
            found = np.clip(np.array(recipe.raw_neutral), 1e-3, None)
            return found / found[1]
        if recipe.temperature is None and recipe.tint is None:
            return self.source.neutral
        kelvin, duv = self.as_shot()
        xy = xy_of(
            recipe.temperature if recipe.temperature is not None else kelvin,
            recipe.tint if recipe.tint is not None else duv,
        )
        return xy_to_neutral(self.source.meta, *xy)

    def _color(self, recipe: Recipe) -> tuple[NDArray[np.float64], float, ProfileLook | None]:
        """Matrix from balanced camera RGB to working space, baseline exposure (EV) and look.

        Those of the latest white and profile are kept, as they take longer than all else that comes before the
        pixels.
        """
        key = _values(_WHITE_FIELDS, recipe)
        if self._colors is None or self._colors[0] != key:
            profile, _ = chosen(self.source.meta, recipe.profile)
            meta = with_profile(self.source.meta, profile)
            neutral = self.neutral(recipe)
            look = None
            if profile is not None:
                look = look_of(profile, hue_sat_for(profile, meta, neutral), meta, recipe.base_look)
            self._colors = (key, (self.balanced_matrix(neutral, meta), meta.baseline_exposure, look))
        return self._colors[1]

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

    def _stage(self, key: tuple[Any, ...], make: Callable[[], NDArray[np.float32]]) -> NDArray[np.float32]:
        if key in self._stages:
            self._stages.move_to_end(key)
        else:
            self._stages[key] = make()
            while len(self._stages) > CACHED_STAGES or (
                len(self._stages) > LEAST_STAGES and sum(s.nbytes for s in self._stages.values()) > MOST_STAGES
            ):
                self._stages.popitem(last=False)
        return self._stages[key]

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

    def _is_idle(self, step: RawStep, recipe: Recipe, factor: float) -> bool:
        """Whether a raw step has nothing to do in a view; one that fails is reported when it is run."""
        try:
            return step.prepare(recipe, self, factor, False) is None
        except Exception:
            return False

    def _raw_step(
        self, step: RawStep, rgb: NDArray[np.float32], recipe: Recipe, place: RawPosition, file: bool,
        areas: Sequence[Area] = (),
    ) -> NDArray[np.float32]:  # fmt: skip
        """One raw step on a tile; where areas have other values, those weighed by their masks."""
        prepared = step.prepare(recipe, self, place.factor, file)
        out = rgb if prepared is None else step.apply(rgb, prepared, place)
        for area in areas:
            values = area.values.effective()
            weight = area.over_tile(place, *rgb.shape[:2])[..., None]
            if not differs(step.fields, recipe, values) or not weight.any():
                continue
            prepared = step.prepare(values, self, place.factor, file)
            other = rgb if prepared is None else step.apply(rgb, prepared, place)
            out = out + weight * (other - out)
        return out

    def _after(
        self, count: int, recipe: Recipe, tile: _TileRun, areas: Sequence[Area], check: Callable[[], None]
    ) -> NDArray[np.float32]:
        """Compute a view's tile after the first `count` raw steps; each one's result is kept."""
        check()
        if count == 0:
            return tile.light()
        step, place = RAW_STEPS[count - 1], tile.place
        if self._is_idle(step, recipe, place.factor) and not any(differs(step.fields, recipe, a.values) for a in areas):
            return self._after(count - 1, recipe, tile, areas, check)

        def work() -> NDArray[np.float32]:
            before = self._after(count - 1, recipe, tile, areas, check)
            return self._unless_it_fails(
                step.name, lambda: self._raw_step(step, before, recipe, place, False, areas), lambda: before
            )  # fmt: skip

        read = _values(_fields_of(RAW_STEPS[:count]), recipe)
        return self._stage((step.name, *tile.key, read, *map(id, areas)), work)

    def after_step(
        self, step: RawStep, rgb: NDArray[np.float32], rectangle: Rectangle, inset: tuple[int, int], recipe: Recipe
    ) -> NDArray[np.float32]:
        """Compute a piece of a rectangle (see `piece`) after one raw step.

        Parameters
        ----------
        step
            The step.
        rgb
            Linear RGB (H, W, 3), float32, 1 = sensor saturation.
        rectangle
            Rectangle in stored pixels.
        inset
            Of the rectangle in it.
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.float32]
            A piece of a rectangle (see `piece`) after one raw step.
        """
        return self._raw_step(step, rgb, recipe, self._place_of(rgb, rectangle, inset), False)

    def _place_of(self, rgb: NDArray[Any], rectangle: Rectangle, inset: tuple[int, int]) -> RawPosition:
        w, h = self.source.size
        x, y = (rectangle.x - inset[0]) / w, (rectangle.y - inset[1]) / h
        return RawPosition(1, (x, y, x + rgb.shape[1] / w, y + rgb.shape[0] / h))

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
                tile = _TileRun((factor, None), lambda: self.level(factor), RawPosition(factor, (0, 0, 1, 1)))
            else:
                part = shape.source_area(area)
                if self._piece is None or self._piece[0] != part:
                    self._piece = (part, self.piece(part))
                whole, dx, dy = self._piece[1]
                origin = (part.x - dx, part.y - dy)
                tile = _TileRun((1, part), lambda: whole, self._place_of(whole, part, (dx, dy)))
            marks = tuple(map(id, areas))

            def framed() -> NDArray[np.float32]:
                done = self._after(len(RAW_STEPS), recipe, tile, areas, check)
                check()
                return done if factor > 1 and shape.whole else shape.resampled(done, area, factor, origin)

            read = _values(_fields_of(RAW_STEPS), recipe)
            rgb = self._stage(("framed", _frame_key(recipe, uncropped), area, factor, read, marks), framed)
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
                place = self._place_of(rgb, rect, (dx, dy))
                for step in RAW_STEPS:
                    rgb = self._raw_step(step, rgb, recipe, place, True, areas)
            return rgb[dy : dy + rect.height, dx : dx + rect.width]

        with reused():  # each tile in the memory of the one before
            recorded: NDArray[np.float32] | None = None
            part = shape.source_area(Rectangle(0, 0, w, h))
            done, todo = 0, h
            if shape.offset is None:  # a turned picture reads across tiles: what it needs of the frame is kept whole
                recorded = np.empty((part.height, part.width, 3), np.float32)
                todo += part.height
                for top in range(0, part.height, TILE):
                    check()
                    n = min(TILE, part.height - top)
                    recorded[top : top + n] = detail(Rectangle(part.x, part.y + top, part.width, n))
                    done += n
                    if progress is not None:
                        progress(done / todo)
            for top in range(0, h, TILE):
                check()
                rect = Rectangle(0, top, w, min(TILE, h - top))
                if recorded is not None:
                    rgb = shape.resampled(recorded, rect, 1, (part.x, part.y))
                else:
                    rgb = np.ascontiguousarray(detail(shape.source_area(rect)))
                if linear:
                    out[top : top + rect.height] = to_working(rgb, matrix)
                else:
                    place, clipped = self._placed(shape, rect, 1)
                    out[top : top + rect.height] = run(plan, rgb, clipped, place, bits)
                del rgb  # the next tile's
                done += rect.height
                if progress is not None:
                    progress(done / todo)
        return np.ascontiguousarray(orient(out, self.source.meta.orientation))


def _fields_of(steps: Sequence[RawStep]) -> tuple[str, ...]:
    """Fields that steps read, each once."""
    return tuple(dict.fromkeys(name for step in steps for name in step.fields))


def _values(fields: Sequence[str], recipe: Recipe) -> tuple[Any, ...]:
    return tuple(getattr(recipe, name) for name in fields)


def _frame_key(recipe: Recipe, uncropped: bool) -> tuple[Any, ...]:
    """Find what a geometry depends on."""
    left_out = ("crop", "aspect") if uncropped else ()
    return (uncropped, *(getattr(recipe, name) for name in FRAME_FIELDS if name not in left_out))
