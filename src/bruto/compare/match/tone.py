"""Exposure and tone handles by which a raw becomes as light as a picture, over all."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import lightness
from bruto.compare.match.pair import SRGB_WEIGHTS, Pair
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import HANDLE_NAMES, Tone
from bruto.develop.steps.tone import curve

SHARES = (0.5, 12.0, 50.0, 85.0, 99.5)
"""Percent of the places that are darker than each handle."""
APART = 0.35
"""EV between neighbouring handles at least."""
MIDDLE = (25.0, 80.0)
"""L* within which the default handles tell the exposure."""
NEAR = 0.25
"""EV from a handle within which its first lightness is looked up."""
OUTLIER = 2.0
"""L* of error from which a place counts less."""


def match_exposure(pair: Pair, recipe: Recipe) -> tuple[Recipe, NDArray[np.float32]]:
    """Return the recipe with the exposure at which the default handles make the middle as light as in the picture.

    The scene's light (H, W; EV from grey) under it comes with it.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    tuple[Recipe, NDArray[np.float32]]
        The recipe with that exposure, and the scene's light (H, W) under it, EV from grey.
    """
    ev, star = pair.light(recipe), pair.lab[..., 0]
    ends = np.linspace(-9, 4, 1301)
    at = np.interp(star, curve(Tone())(ends), ends)
    middle = pair.used & (star > MIDDLE[0]) & (star < MIDDLE[1])
    where = middle if middle.sum() > 200 else pair.used
    exposure = round(float(np.clip(np.median((at - ev)[where]), -6, 6)), 3)
    return recipe.changed(exposure=exposure, tone=Tone().model_dump(), contrast=1.0), ev + np.float32(exposure)


def first_handles(pair: Pair, ev: NDArray[np.float32]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Compute the EV of five handles, spread over the scene's light, and the lightness that the picture has there.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    ev
        Scene light, EV from grey.

    Returns
    -------
    tuple[NDArray, NDArray]
        EV of five handles, spread over the scene's light, and the lightness that the picture has there.
    """
    used = pair.used
    light, star = ev[used], pair.lab[..., 0][used]
    places = np.percentile(light, SHARES)
    for k in range(1, 5):
        places[k] = max(places[k], places[k - 1] + APART)
    usual = curve(Tone())(places)
    near = [np.abs(light - p) < NEAR for p in places]
    stars = [float(np.median(star[n])) if n.sum() > 30 else float(u) for n, u in zip(near, usual, strict=True)]
    return np.clip(places, -13.9, 7.9), np.maximum.accumulate(np.clip(stars, 0, 100))


def with_handles(recipe: Recipe, places: NDArray[Any], stars: NDArray[Any]) -> Recipe:
    """Return the recipe with these handles.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.
    places
        Positions of the handles.
    stars
        Lightness L* of the picture.

    Returns
    -------
    Recipe
        The recipe with these handles.
    """
    return recipe.changed(
        tone={
            name: {"ev": round(float(e), 3), "lightness": round(float(l), 2)}
            for name, e, l in zip(HANDLE_NAMES, places, stars, strict=True)
        }
    )


def match_tone(
    pair: Pair, recipe: Recipe, ev: NDArray[np.float32], places: NDArray[Any], stars: NDArray[Any], rounds: int
) -> tuple[Recipe, NDArray[Any]]:
    """Move the handles' lightness until the developed raw is as light as the picture.

    Each round renders the raw and spreads the error over the handles by weighted least squares of hat functions.

    Parameters
    ----------
    pair
        Raw and picture on one small grid.
    recipe
        The edit, every value in its own unit.
    ev
        Scene light, EV from grey.
    places
        Positions of the handles.
    stars
        Lightness L* of the picture.
    rounds
        Number of refinements.

    Returns
    -------
    tuple[Recipe, NDArray]
        Move the handles' lightness until the developed raw is as light as the picture.
    """
    used = pair.used
    hats = np.stack([np.interp(np.clip(ev[used], places[0], places[-1]), places, row) for row in np.eye(5)])
    recipe = with_handles(recipe, places, stars)
    for _ in range(rounds):
        error = np.clip(pair.lab[..., 0] - lightness(pair.seen(recipe) @ SRGB_WEIGHTS), -30, 30)[used]
        weighted = hats / np.maximum(np.abs(error), OUTLIER)
        found = np.linalg.solve(weighted @ hats.T + 0.0005 * len(error) * np.eye(5), weighted @ error)
        stars = np.maximum.accumulate(np.clip(stars + 0.9 * found, 0, 100))
        recipe = with_handles(recipe, places, stars)
    return recipe, stars
