"""White balance and colour under other lights, against the simulated phone's own truth: `./run bench --quality`."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from tests.truth import chart_error, patch_masks

from bruto.color.temperature import xy_of
from bruto.container.color_model import xy_to_neutral
from bruto.develop.analysis.white_estimate import estimate_white, grey_places
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.develop.suggest.white import suggest_white
from bruto.simphone.capture import Phone
from bruto.simphone.capture_files import save

SCENES = ("pans", "boiling-house", "sluice", "crystals")
LIGHTS = (2400.0, 2856.0, 3400.0, 4000.0, 4700.0, 5500.0, 6500.0, 8000.0, 10000.0)
"""Planckian below 4000 K, daylight from there on."""
CHART_LIGHTS = {"daylight": 5500.0, "tungsten": 2856.0, "blue shade": 10000.0}
SIZE = (1008, 756)


def angle(a: NDArray[Any], b: NDArray[Any]) -> float:
    """Degrees between two whites in camera RGB, the usual angular error (Hordley, Finlayson 2006)."""
    return float(np.degrees(np.arccos(np.clip(a @ b / np.linalg.norm(a) / np.linalg.norm(b), -1, 1))))


def _developer(folder: Path, scene: str, kelvin: float, seed: int) -> tuple[Developer, Phone]:
    phone = Phone(scene, size=SIZE, kelvin=kelvin)
    path = folder / f"{scene}-{kelvin:g}-{seed}.dng"
    save(phone.shoot(seed=seed), path, datetime(2026, 5, 1), picture=False)
    return Developer(open_source(path)), phone


def white_balance(folder: Path) -> dict[str, Any]:
    """Angular error of the suggested white, of the phone's own and of the picture's grey surfaces alone, over all
    scenes under all lights.
    """
    errors: dict[str, list[float]] = {"suggested": [], "phone": [], "picture": []}
    for scene in SCENES:
        for k, kelvin in enumerate(LIGHTS):
            developer, phone = _developer(folder, scene, kelvin, 100 + k)
            kelvin_found, tint = (s.value for s in suggest_white(developer, developer.level(4)))
            found = xy_to_neutral(developer.source.meta, *xy_of(kelvin_found, tint))
            ratio = estimate_white(grey_places(developer.level(2))).ratio
            own = developer.source.neutral
            picture = own * np.exp([ratio[0], 0.0, ratio[1]])
            for name, neutral in (("suggested", found), ("phone", own), ("picture", picture)):
                errors[name].append(angle(np.asarray(neutral), phone.true_neutral))
    return {
        "pairs": len(errors["suggested"]),
        **{
            name: {"median_deg": float(np.median(v)), "p95_deg": float(np.percentile(v, 95)), "worst_deg": max(v)}
            for name, v in errors.items()
        },
    }


def charts(folder: Path) -> dict[str, Any]:
    """CIEDE2000 of the card's patches with the file's own matrices and the true white, under three lights."""
    result = {}
    for name, kelvin in CHART_LIGHTS.items():
        phone = Phone("card", size=(2016, 1512), kelvin=kelvin)
        path = folder / f"card-{kelvin:g}.dng"
        save(phone.shoot(seed=7), path, datetime(2026, 5, 1), picture=False)
        developer = Developer(open_source(path))
        working = developer.render(Recipe(), neutral_look=True, space="linear")
        error = chart_error(phone, working, patch_masks(phone, 6))
        result[name] = {"median": float(np.median(error)), "worst": float(error.max())}
    return result


if __name__ == "__main__":
    import json
    from tempfile import TemporaryDirectory

    with TemporaryDirectory() as name:
        print(json.dumps({"white_balance": white_balance(Path(name)), "charts": charts(Path(name))}, indent=1))
