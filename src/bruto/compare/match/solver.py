"""The recipe that makes a raw look like the phone's picture, found part by part."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment
from bruto.catalog import tr
from bruto.compare.match.color import fit_color, fit_white, with_color, with_white
from bruto.compare.match.description import what_was_done
from bruto.compare.match.detail import match_detail
from bruto.compare.match.local_tone import match_local
from bruto.compare.match.pair import BLOCKS, Pair, pair_of
from bruto.compare.match.parts import PARTS, mixed
from bruto.compare.match.phone_change import PhoneChange
from bruto.compare.match.tone import first_handles, match_exposure, match_tone
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import FRAME_FIELDS, NOTHING, Recipe, unframed
from bruto.errors import Cancelled

PLAIN = (
    "haze", "local_contrast_broad", "local_contrast_medium", "local_contrast_fine", "vignette", "corner_color",
    "contrast", "chroma",
    "muted_chroma", "hue_nodes", "split_tint", "channel_matrix", "curves", "monochrome", "grain", "local_tone",
)  # fmt: skip
"""Fields that do nothing when the match begins."""


@dataclass(frozen=True)
class Match:
    """Values that make a raw look like the phone's picture, and how near they come."""

    recipe: Recipe
    """Of all parts, in the frame of the recipe that was given."""
    before: tuple[float, float]
    """Median and 95th percentile of CIEDE2000 over the blocks that no fit saw, between the picture and the default
    values, and the match.
    """
    after: tuple[float, float]
    """Median and 95th percentile of CIEDE2000 over the blocks that no fit saw, between the picture and the default
    values, and the match.
    """
    withheld: int
    """How many blocks that are."""
    did: tuple[PhoneChange, ...]
    """What the phone did, in words of one list."""
    without: dict[str, float] = field(default_factory=dict)
    """The median that is left where one part (of `match.parts`) is not taken."""

    def as_json(self) -> dict[str, Any]:
        """Find what the command line prints."""
        (before, before_high), (after, high) = self.before, self.after
        return {
            "delta_e00": {"before_median": before, "before_p95": before_high, "median": after, "p95": high},
            "did": [{"what": d.what, "value": d.value, "unit": d.unit} for d in self.did],
            "kept_out_blocks": self.withheld,
            "median_without": self.without,
        }


def _score(pair: Pair, recipe: Recipe) -> tuple[float, float]:
    errors = pair.errors(recipe)[pair.test_blocks & pair.usable]
    return float(np.median(errors)), float(np.percentile(errors, 95))


def match(
    developer: Developer,
    picture: NDArray[np.uint8],
    alignment: Alignment,
    recipe: Recipe,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Match:
    """Solve the recipe by which a raw looks like a picture (H, W, 3; sRGB codes, oriented) of the same scene.

    Exposure and tone handles first, then colour, then what is left of light as a field over place and light; both
    once more, as each changes what the other sees; then detail at full size. The picture is compared at the limit of
    its own texture, places that are clipped in either are left out, and so are blocks that the result is judged by.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    picture
        Picture (H, W, 3), 8-bit sRGB codes.
    alignment
        Where the raw's oriented frame lies in the picture, see `align.registration.register`.
    recipe
        The shot's values: noise reduction, profile and frame are taken from it.
    progress
        Called with a share 0..1, asked between parts.
    cancelled
        Called with a share 0..1, asked between parts.

    Returns
    -------
    Match
        The recipe and how close it comes.

    Raises
    ------
    BrutoError
        Where too little can be compared; `Cancelled`.
    """

    def step(share: float) -> None:
        if cancelled is not None and cancelled():
            raise Cancelled(tr("The search was stopped."))
        if progress is not None:
            progress(share)

    step(0.0)
    plain = unframed(recipe).model_copy(update={name: NOTHING[name] for name in PLAIN} | {"bypassed": ()})
    pair = pair_of(developer, picture, alignment, plain)
    default = plain.changed(
        exposure=0.0, temperature=None, tint=None, raw_neutral=None, tone=Recipe().tone.model_dump()
    )
    before = _score(pair, default)
    step(0.1)
    found, ev = match_exposure(pair, default)
    places, stars = first_handles(pair, ev)
    found, stars = match_tone(pair, found, ev, places, stars, 3)
    step(0.25)
    found = with_white(developer, found, fit_white(pair, found))
    colors = fit_color(pair, found)
    found = with_color(found, colors)
    found, stars = match_tone(pair, found, ev, places, stars, 2)
    step(0.45)
    shared = found
    for k in range(2):
        found = match_local(pair, found)
        step(0.55 + 0.15 * k)
        colors = fit_color(pair, found, colors)
        found = with_color(found, colors)
    step(0.8)
    found = match_local(pair, found)
    after = _score(pair, found)
    step(0.9)
    found, detail = match_detail(developer, picture, alignment, found)
    did = what_was_done(pair, default, shared, found, detail)
    as_shot = developer.as_shot()
    judged = [part for part in PARTS if part != "detail"]  # which is finer than what colours are compared at
    without = {
        part: _score(pair, mixed(default, found, [p for p in PARTS if p != part], 1.0, as_shot))[0] for part in judged
    }
    step(1.0)
    framed = found.model_copy(update={name: getattr(recipe, name) for name in FRAME_FIELDS})
    return Match(framed, before, after, _blocks(pair), did, without)


def _blocks(pair: Pair) -> int:
    rows, columns = (np.arange(b) * n // b for n, b in zip(pair.test_blocks.shape, BLOCKS, strict=True))
    return int(pair.test_blocks[rows[:, None], columns[None, :]].sum())
