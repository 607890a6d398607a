"""The engine: from a source and a recipe to pictures, as views on a screen or as whole files.

Order of steps and what runs again when a ledger row changes:

    step                         light, white, tone, colour, finish   noise   sharpness, fine and medium relief
    decode, linearise            -                                    -       -
    demosaic / bin               -                                    -       -
    noise                        -                                    again   -
    fine relief, sharpness       -                                    again   again
    frame (one resampling)       -                                    again   again
    point pass (colour, tone)    again                                again   again

Level, verticals and crop run the last two again.

A view is the picture at any smaller size, made from the next larger power-of-two one, or a rectangle of it at 1:1. The
tone base is computed once for the whole frame from a small picture and shared by all views, so a view and the final
file agree. Whole files are made in bands, so memory does not grow with the frame.
"""

from __future__ import annotations

import math
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.color.temperature import xy_of
from bruto.container.colour_model import xy_to_neutral
from bruto.container.orientation import orient
from bruto.develop.frame import Area, Geometry, full_or_near, geometry_of
from bruto.develop.profiles import chosen, hue_sat_for, with_profile
from bruto.develop.recipe import FRAME_FIELDS, NEUTRAL_FIELDS, Recipe
from bruto.develop.recorded import Recorded
from bruto.develop.source import Source, as_asked
from bruto.develop.steps import noise as noise_step
from bruto.develop.steps import sharpness as sharp_step
from bruto.develop.steps.colour import Placement, PointParams, point_pass, to_working
from bruto.develop.steps.finish import curve_tables
from bruto.develop.steps.lab import lab_stage
from bruto.develop.steps.look import Look, gains_over, look_of
from bruto.develop.steps.relief import DIAGONAL_12MP, fine_relief
from bruto.develop.steps.tone import Base, colour_table, neutral_tables, tables
from bruto.develop.values import Balance, Tone
from bruto.errors import BrutoError, Cancelled
from bruto.logged import unexpected

BAND = 1536
"""Rows developed at a time for whole files."""
CACHED_STAGES, LEAST_STAGES, MOST_STAGES = 7, 3, 400_000_000
"""Results of steps that are kept: how many, how many in any case (those of one view), and bytes beyond those."""
KEPT_GEOMETRIES = 6
SURROUND = 0x6C
"""Code of the neutral surround of pictures, for what lies outside of the recorded frame."""
_PLAIN_COLOUR = (1.0, 1.0, False, (), Balance())


Rect = Area
"""A rectangle in full-size pixels, unoriented."""


class Developer(Recorded):
    """Develops one source. Methods may be called from one thread at a time; `cancel` may be set from any.

    A step of a view that fails is left out, and `problems` says why by its name; files are not made without a step.
    """

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self._stages: OrderedDict[tuple, NDArray[np.float32]] = OrderedDict()
        self._piece: tuple[Rect, tuple[NDArray[np.float32], int, int]] | None = None
        self._geometries: OrderedDict[tuple, Geometry] = OrderedDict()
        self._fields: tuple[Geometry, dict[str, Any]] | None = None
        self._near: NDArray[np.uint8] | None = None
        self._colours: tuple[tuple, tuple[NDArray[np.float64], float, Look | None]] | None = None
        self.problems: dict[str, str] = {}
        self._lock = threading.Lock()

    def asked(self, recipe: Recipe) -> Developer:
        """The developer for the quarter turns and the area that a recipe asks for: itself where it is for those."""
        source = as_asked(self.source, recipe)
        return self if source is self.source else Developer(source)

    @property
    def held_bytes(self) -> int:
        """Memory that is held: the frame, its sizes, and kept results of steps, bytes."""
        kept = (self._levels, self._between, self._stages)  # they may grow on the render thread: copied at once
        parts: list[NDArray] = [self.source.linear.data, *(a for cache in kept for a in list(cache.values()))]
        if self.source.frame is not None:
            parts.append(self.source.frame.codes)
        if self.source.picture is not None:
            parts.append(self.source.picture.pixels)
        if self._piece is not None:
            parts.append(self._piece[1][0])
        return sum(p.nbytes for p in parts)

    # -- frame --------------------------------------------------------------------------------------------------------

    def geometry(self, recipe: Recipe, uncropped: bool = False) -> Geometry:
        """The mapping from the recorded frame to the recipe's picture; `uncropped`: to all that it covers."""
        recipe = recipe.effective()
        key = _frame_key(recipe, uncropped)
        if key not in self._geometries:
            self._geometries[key] = geometry_of(self.source.meta, recipe, uncropped)
            while len(self._geometries) > KEPT_GEOMETRIES:
                self._geometries.popitem(last=False)
        self._geometries.move_to_end(key)
        return self._geometries[key]

    def size(self, recipe: Recipe) -> tuple[int, int]:
        """Width and height of the recipe's picture at full size, unoriented."""
        return self.geometry(recipe).size

    def light(self, recipe: Recipe, factor: float, rect: Rect | None = None) -> NDArray[np.float32]:
        """Balanced camera RGB of the recipe's picture at 1/factor, or of a rectangle of it at full size, without any
        other correction.
        """
        shape = self.geometry(recipe)
        area = rect or Rect(0, 0, *shape.size)
        if factor > 1:
            return self.level(factor) if shape.whole else shape.resampled(self.level(factor), area, factor)
        part = shape.source_area(area)
        rgb, dx, dy = self.piece(part)
        return shape.resampled(rgb, area, 1, (part.x - dx, part.y - dy))

    def full_channels(self, recipe: Recipe) -> NDArray[np.uint8]:
        """Full channels (bits 1, 2, 4) of the recipe's picture at half the size."""
        shape = self.geometry(recipe)
        if shape.whole:
            return self.full
        return shape.clipped(self._near_full(), Rect(0, 0, *shape.size), 2)

    def _near_full(self) -> NDArray[np.uint8]:
        """Full channels of each quad of the frame and its neighbours."""
        if self._near is None:
            self._near = full_or_near(self.full)
        return self._near

    def _field(self, shape: Geometry, name: str, make: Callable[[], Any]) -> Any:
        """A coarse field over the picture of a geometry; those of the latest one are kept."""
        if self._fields is None or self._fields[0] is not shape:
            self._fields = (shape, {})
        kept = self._fields[1]
        if name not in kept:
            kept[name] = make()
        return kept[name]

    def _over_picture(self, params: PointParams, base: Base | None, shape: Geometry) -> tuple[PointParams, Base | None]:
        """Fields of the recorded frame as fields over the picture, where it was turned or warped."""
        if shape.offset is not None:
            return params, base
        look, haze, medium, ratios = params.look, params.haze, params.medium, params.ratios
        if base is not None:
            base = self._field(shape, "base", lambda: shape.base(self.base()))
        if medium is not None:
            medium = self._field(shape, "medium", lambda: shape.base(self.medium()))
        if haze is not None:
            known = haze
            haze = self._field(shape, "haze", lambda: known._replace(a=shape.field(known.a), b=shape.field(known.b)))
        if ratios is not None:
            ratios = self._field(shape, "ratios", lambda: shape.ratios(self.ratios()))
        if look is not None and look.gains.size:
            look = gains_over(look, shape.places, shape.size, shape.sensor_size)
        return replace(params, look=look, haze=haze, medium=medium, ratios=ratios), base

    def _placement(self, shape: Geometry, area: Rect, factor: float) -> tuple[Placement, NDArray[np.uint8]]:
        """Where an area at 1/factor lies, for the point pass, and the full channels it reads."""
        own = (area.x / factor, area.y / factor)
        if shape.offset is not None:
            at = (round((shape.offset[0] + area.x) / factor), round((shape.offset[1] + area.y) / factor))
            return (
                Placement(factor, at, shape.sensor_size, factor / 2, at, own, shape.size),
                self.full,
            )
        full = self.full
        if full.any():
            full = shape.clipped(self._near_full(), area, factor)
        else:
            full = np.zeros((1, 1), np.uint8)
        return Placement(factor, own, shape.size, min(factor, 2) / 2, (0, 0), own, shape.size), full

    # -- white
    # ----------------------------------------------------------------------------------------------------------

    def neutral(self, recipe: Recipe) -> NDArray[np.float64]:
        """Camera neutral of a recipe."""
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

    # -- steps
    # ----------------------------------------------------------------------------------------------------------

    def _cleaned(
        self,
        rgb: NDArray[np.float32],
        recipe: Recipe,
        factor: float,
        area: tuple[float, float, float, float],
        best: bool = False,
    ) -> NDArray[np.float32]:
        """Noise reduction on balanced camera RGB at a factor; `area` is its relative place in the frame."""
        mosaic = self.source.kind == "mosaic"
        kind = ("mosaic" if factor == 1 else "binned") if mosaic else "plain"
        noise = self._noise_at(factor)
        shading = self.source.shading
        gh, gw = shading.shape
        if gh > 1:
            rows = slice(int(area[1] * gh), max(int(area[1] * gh) + 1, int(np.ceil(area[3] * gh))))
            columns = slice(int(area[0] * gw), max(int(area[0] * gw) + 1, int(np.ceil(area[2] * gw))))
            shading = shading[rows, columns]
        # a view little smaller than the file shows colour as fine as the file has it
        half = factor == 1 or factor >= 4
        return noise_step.reduce_noise(
            rgb, noise, recipe.brightness_noise, recipe.colour_noise, kind, np.ascontiguousarray(shading), best, half
        )

    def cleaned(
        self, rgb: NDArray[np.float32], rect: Rect, inset: tuple[int, int], recipe: Recipe, best: bool = False
    ) -> NDArray[np.float32]:
        """A piece of a rectangle (see `piece`) after noise reduction; `inset`: of the rectangle in it."""
        w, h = self.source.size
        x, y = (rect.x - inset[0]) / w, (rect.y - inset[1]) / h
        return self._cleaned(rgb, recipe, 1, (x, y, x + rgb.shape[1] / w, y + rgb.shape[0] / h), best)

    def _noise_at(self, factor: float) -> NDArray[np.float64]:
        """a, b of each balanced channel at a factor."""
        mosaic = self.source.kind == "mosaic"
        noise = self.noise / ((factor / 2) ** 2 if mosaic and factor > 1 else float(factor**2))
        between = factor / 2 ** int(math.log2(factor))
        # a pixel made of parts of pixels shares noise with its neighbours: the fine half is less than of whole ones
        # (the mean of a box L wide, over its places among pixels, has a variance of (1 - 1 / 3 L) / L along an axis)
        return noise * (1 - 1 / (3 * between)) if between > 1 else noise

    def _sharpened(self, rgb: NDArray[np.float32], recipe: Recipe, factor: float) -> NDArray[np.float32]:
        """Sharpness after noise reduction, at a factor."""
        share = max(0.25, 1 - 0.7 * min(1.0, recipe.brightness_noise))
        a, b = (float(v) for v in self._noise_at(factor)[1])
        # the point pass raises everything below 16 px by the medium gain; what is finer has its own
        fine = recipe.relief_fine / max(recipe.relief_medium, 0.05)
        diagonal = math.hypot(*self.source.size) / factor
        rgb = fine_relief(rgb, fine, diagonal, (a * share**2, b * share**2))
        return sharp_step.sharpen(rgb, recipe.sharpness, recipe.sharpness_radius / factor, math.sqrt(a) / 2 * share)

    def _colour(self, recipe: Recipe) -> tuple[NDArray[np.float64], float, Look | None]:
        """Matrix from balanced camera RGB to working space, baseline exposure (EV) and look; those of the latest
        white and profile are kept, as they take longer than all else that comes before the pixels.
        """
        key = (recipe.temperature, recipe.tint, recipe.raw_neutral, recipe.profile, recipe.base_look)
        if self._colours is None or self._colours[0] != key:
            profile, _ = chosen(self.source.meta, recipe.profile)
            meta = with_profile(self.source.meta, profile)
            neutral = self.neutral(recipe)
            look = None
            if profile is not None:
                look = look_of(profile, hue_sat_for(profile, meta, neutral), meta, recipe.base_look)
            self._colours = (key, (self.balanced_matrix(neutral, meta), meta.baseline_exposure, look))
        return self._colours[1]

    def _params(self, recipe: Recipe, space: str, neutral_look: bool) -> PointParams:
        matrix, baseline, look = self._colour(recipe)
        if neutral_look:
            return PointParams(matrix, 0.0, *neutral_tables(), space, tone=False, ratios=self.ratios())
        ev = recipe.exposure + baseline
        # with a tone curve of its own the look is what the default handles stand for, and moved ones act on top of it
        reference = tables(Tone()) if look is not None and look.curve.size else None
        relief = (recipe.relief_broad, recipe.relief_medium)
        colour = (recipe.chroma, recipe.quiet_colours, recipe.monochrome, recipe.hue_nodes, recipe.balance)
        return PointParams(
            matrix * 2.0**ev,
            ev,
            *tables(recipe.tone, recipe.contrast),
            space,
            None if reference else colour_table(recipe.tone, recipe.contrast),
            lab=lab_stage(*colour) if colour != _PLAIN_COLOUR else None,
            look=look,
            reference=reference,
            user_exposure=recipe.exposure,
            medium=self.medium() if relief != (1.0, 1.0) else None,
            relief=relief,
            haze=self.haze() if recipe.haze else None,
            haze_amount=recipe.haze / 100,
            mixing=recipe.mixing,
            curves=curve_tables(recipe.curves),
            edge_light=recipe.edge_light,
            grain=recipe.grain,
            grain_size=recipe.grain_size * math.hypot(*self.source.size) / DIAGONAL_12MP,
            ratios=self.ratios(),
        )

    def _stage(self, key: tuple, make: Callable[[], NDArray[np.float32]]) -> NDArray[np.float32]:
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
        """What a step of a view gives, or what stands in for it."""
        try:
            found = work()
        except (BrutoError, MemoryError):
            raise
        except Exception as error:  # a picture without one step is worth more than none
            self.problems[name] = unexpected(error, f"making {name}")
            return otherwise()
        self.problems.pop(name, None)
        return found

    # -- results
    # --------------------------------------------------------------------------------------------------------

    def view(
        self,
        recipe: Recipe,
        factor: float,
        rect: Rect | None = None,
        space: str = "srgb",
        uncropped: bool = False,
        cancelled: Callable[[], bool] | None = None,
    ) -> NDArray[np.uint8]:
        """The recipe's picture at 1/factor, or a rectangle of it at full size (factor 1), unoriented, uint8.

        `factor`: 1, or any number from 2 on. `uncropped`: all that the recorded frame covers; what it does not cover is
        `SURROUND`. `cancelled` is asked before each step; raises `Cancelled`, and what was done so far is kept.
        """
        recipe = recipe.effective()

        def check() -> None:
            if cancelled is not None and cancelled():
                raise Cancelled("The picture is not wanted any more.")

        with self._lock:
            check()
            shape = self.geometry(recipe, uncropped)
            area = rect if rect is not None and factor == 1 else Rect(0, 0, *shape.size)
            noise_key = (recipe.brightness_noise, recipe.colour_noise)
            fine = round(recipe.relief_fine / max(recipe.relief_medium, 0.05), 6)
            detail_key = (*noise_key, recipe.sharpness, recipe.sharpness_radius, fine)
            place: tuple[float, Rect | None]
            if factor > 1:
                origin, place = (0, 0), (factor, None)

                def clean() -> NDArray[np.float32]:
                    return self._cleaned(self.level(factor), recipe, factor, (0, 0, 1, 1))
            else:
                part = shape.source_area(area)
                place = (1, part)
                if self._piece is None or self._piece[0] != part:
                    self._piece = (part, self.piece(part))
                whole, dx, dy = self._piece[1]
                origin = (part.x - dx, part.y - dy)

                def clean() -> NDArray[np.float32]:
                    return self.cleaned(whole, part, (dx, dy), recipe)

            def detail() -> NDArray[np.float32]:
                raw = self.level(factor) if factor > 1 else whole
                check()
                cleaned = self._stage(
                    (*place, *noise_key), lambda: self._unless_it_fails("noise reduction", clean, lambda: raw)
                )
                check()
                return self._unless_it_fails(
                    "sharpness and fine relief", lambda: self._sharpened(cleaned, recipe, factor), lambda: cleaned
                )

            def framed() -> NDArray[np.float32]:
                done = self._stage(("sharp", *place, *detail_key), detail)
                check()
                return done if factor > 1 and shape.whole else shape.resampled(done, area, factor, origin)

            rgb = self._stage(("framed", _frame_key(recipe, uncropped), area, factor, *detail_key), framed)
            placement, full = self._placement(shape, area, factor)
            check()

            def finished(chosen: Recipe) -> NDArray[np.uint8]:
                params, base = self._over_picture(self._params(chosen, space, False), self.base(), shape)
                return point_pass(rgb, full, base, params, placement)

            out = self._unless_it_fails(
                "profile, haze, relief or colour", lambda: finished(recipe),
                lambda: finished(Recipe(exposure=recipe.exposure, tone=recipe.tone, chroma=1.0, profile="matrix")),
            )  # fmt: skip
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
    ) -> NDArray:
        """The recipe's picture at full size, oriented: uint8 or uint16 encoded, or float32 linear Rec. 2020 for
        `space="linear"`.

        `neutral_look` is colour only: no noise reduction, sharpening, tone or exposure. Raises `Cancelled`.
        """
        recipe = recipe.changed(**NEUTRAL_FIELDS) if neutral_look else recipe.effective()
        shape = self.geometry(recipe)
        w, h = shape.size
        linear = space == "linear"
        out = np.empty((h, w, 3), np.float32 if linear else (np.uint8 if bits == 8 else np.uint16))
        base = None if neutral_look or linear else self.base()
        params = self._params(recipe, "rec2020" if linear else space, neutral_look or linear)
        params, base = self._over_picture(params, base, shape)

        def check() -> None:
            if cancelled is not None and cancelled():
                raise Cancelled("The development was stopped; nothing was written.")

        def detail(rect: Rect) -> NDArray[np.float32]:
            """An area of the recorded frame after noise reduction and sharpness."""
            rgb, dx, dy = self.piece(rect)
            if not neutral_look:
                rgb = self.cleaned(rgb, rect, (dx, dy), recipe, recipe.noise_best)
                rgb = self._sharpened(rgb, recipe, 1)
            return rgb[dy : dy + rect.height, dx : dx + rect.width]

        recorded: NDArray[np.float32] | None = None
        part = shape.source_area(Rect(0, 0, w, h))
        done, todo = 0, h
        if shape.offset is None:  # a turned picture reads across bands: what it needs of the frame is kept whole
            recorded = np.empty((part.height, part.width, 3), np.float32)
            todo += part.height
            for top in range(0, part.height, BAND):
                check()
                n = min(BAND, part.height - top)
                recorded[top : top + n] = detail(Rect(part.x, part.y + top, part.width, n))
                done += n
                if progress is not None:
                    progress(done / todo)
        for top in range(0, h, BAND):
            check()
            rect = Rect(0, top, w, min(BAND, h - top))
            if recorded is not None:
                rgb = shape.resampled(recorded, rect, 1, (part.x, part.y))
            else:
                rgb = np.ascontiguousarray(detail(shape.source_area(rect)))
            if linear:
                out[top : top + rect.height] = to_working(rgb, params.matrix)
            else:
                placement, full = self._placement(shape, rect, 1)
                out[top : top + rect.height] = point_pass(rgb, full, base, params, placement, bits=bits)
            done += rect.height
            if progress is not None:
                progress(done / todo)
        return np.ascontiguousarray(orient(out, self.source.meta.orientation))


def _frame_key(recipe: Recipe, uncropped: bool) -> tuple:
    """What a geometry depends on."""
    left_out = ("crop", "aspect") if uncropped else ()
    return (uncropped, *(getattr(recipe, name) for name in FRAME_FIELDS if name not in left_out))
