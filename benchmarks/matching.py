"""The phone's look on pairs of known making: `./run bench --quality`, or `python -m benchmarks.matching` for these
figures alone.

Pairs of the simulated phone (all scenes, three styles, ISO 50 to 3200) and of photographs under a processing that is
not its own; how far apart raw and picture are before and after, on blocks that the match did not see.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from tests.photographs import KINDS, light_of, source_of
from tests.processing import Processing, finished

from bruto.align.registration import register_codes
from bruto.compare.match.solve import match
from bruto.compare.metrics import COMPARE_EDGE
from bruto.compare.sides import Developed
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.develop.suggest.suggesting import suggest_all, take_all
from bruto.simphone.capture import Exposure, Phone, picture_of, save
from bruto.simphone.finish import STYLES

SHOTS = (
    ("pans", 50.0), ("pans", 400.0), ("boiling-house", 50.0), ("boiling-house", 800.0), ("card", 50.0),
    ("card", 1600.0), ("sluice", 200.0), ("sluice", 3200.0),
)  # fmt: skip
"""Scenes and ISO, each in every style."""
PHOTOGRAPHS = ("coffee", "chelsea", "astronaut", "rocket", "stereo_motorcycle")
HOWS = (
    Processing(),
    Processing(lift=0.0, compress=0.2, slope=1.0, colour=1.5, warm=1.1, sharp=1.3, smear=18, turn=-0.6),
)


def as_file(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture as it comes out of a JPEG."""
    _, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 92])
    found = cv2.imdecode(data, cv2.IMREAD_COLOR)
    assert found is not None
    return np.ascontiguousarray(found[..., ::-1])


def simulated(megapixels: int = 3) -> Iterator[tuple[str, Developer, NDArray[np.uint8]]]:
    """Name, raw and picture of each pair."""
    with TemporaryDirectory() as name:
        for k, (scene, iso) in enumerate(SHOTS):
            phone = Phone(scene, megapixels)
            metered = phone.meter()
            light = metered.iso * metered.seconds
            capture = phone.shoot(Exposure(iso, light / iso), seed=10 + k)
            path = Path(name) / f"{scene}-{iso:.0f}.dng"
            save(capture, path, datetime(2026, 6, 21, 12), picture=False)
            developer = Developer(open_source(path))
            for style in STYLES:
                yield f"{scene}, ISO {iso:.0f}, {style}", developer, as_file(picture_of(capture, style))


def photographed() -> Iterator[tuple[str, Developer, NDArray[np.uint8]]]:
    """The same of photographs."""
    with TemporaryDirectory() as name:
        for k, photograph in enumerate(PHOTOGRAPHS):
            light = light_of(photograph)
            folder = Path(name) / photograph
            folder.mkdir()
            developer = Developer(source_of(folder, light, KINDS[k % len(KINDS)]))
            for n, how in enumerate(HOWS):
                yield f"{photograph}, processing {n + 1}", developer, as_file(finished(light, how))


def measured(pairs: Iterator[tuple[str, Developer, NDArray[np.uint8]]]) -> dict[str, Any]:
    """Figures of each pair."""
    result: dict[str, Any] = {}
    recipes: dict[int, Recipe] = {}
    for name, developer, picture in pairs:
        recipe = recipes.setdefault(id(developer), take_all(Recipe(), suggest_all(developer)))
        alignment = register_codes(Developed(developer, recipe).whole(COMPARE_EDGE), picture)
        began = time.perf_counter()
        found = match(developer, picture, alignment, recipe)
        result[name] = {
            "residual_px": round(alignment.residual_px, 2), "before": np.round(found.before, 2).tolist(),
            "after": np.round(found.after, 2).tolist(), "seconds": round(time.perf_counter() - began, 2),
            "did": [d.text for d in found.did],
        }  # fmt: skip
        told = {k: v for k, v in result[name].items() if k != "did"}
        print(name, told, file=sys.stderr, flush=True)
    return result


def matching() -> dict[str, Any]:
    """All pairs, with the medians over them."""
    result = {**measured(simulated()), **measured(photographed())}
    after = np.array([r["after"] for r in result.values()])
    return {
        "pairs": result,
        "residual_px": {"median": float(np.median([r["residual_px"] for r in result.values()])),
                        "worst": max(r["residual_px"] for r in result.values())},
        "median_at_most_2": int((after[:, 0] <= 2).sum()), "p95_at_most_6": int((after[:, 1] <= 6).sum()),
        "of": len(after),
    }  # fmt: skip


if __name__ == "__main__":
    print(json.dumps(matching(), indent=1, ensure_ascii=False))
