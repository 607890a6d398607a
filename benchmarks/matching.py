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

from bruto.align.registration import Alignment, register_codes
from bruto.compare.match.solver import match
from bruto.compare.metrics import COMPARE_EDGE
from bruto.compare.sources import Developed
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.simphone.capture import Exposure, Phone, picture_of
from bruto.simphone.capture_files import save
from bruto.simphone.phone_processing import STYLES, phone_map

SHOTS = (
    ("pans", 50.0), ("pans", 400.0), ("boiling-house", 50.0), ("boiling-house", 800.0), ("card", 50.0),
    ("card", 1600.0), ("crystals", 100.0), ("sluice", 200.0), ("sluice", 3200.0),
)  # fmt: skip
"""Scenes and ISO, each in every style."""
PHOTOGRAPHS = ("coffee", "chelsea", "astronaut", "rocket", "stereo_motorcycle")
HOWS = (
    Processing(),
    Processing(lift=0.0, compress=0.2, slope=1.0, color=1.5, warm=1.1, sharp=1.3, smear=18, turn=-0.6),
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


def cut(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture whose borders are cut off, 4 % of each side."""
    h, w = (n * 4 // 100 for n in picture.shape[:2])
    return np.ascontiguousarray(picture[h:-h, w:-w])


def bent(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture through a lens that is corrected otherwise: corners move by 1.2 % of the half diagonal."""
    height, width = picture.shape[:2]
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    cy, cx = (height - 1) / 2, (width - 1) / 2
    squared = ((x - cx) ** 2 + (y - cy) ** 2) / (cx * cx + cy * cy)
    scale = (1 - 0.012 * squared).astype(np.float32)
    mapped = (cx + (x - cx) * scale).astype(np.float32), (cy + (y - cy) * scale).astype(np.float32)
    return cv2.remap(picture, *mapped, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)


def quartered(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture of half the width, as a phone makes that joins four pixels into one."""
    return cv2.resize(picture, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)


FRAMED = (
    ("pans", 3, 50.0, "cut by 4 %", cut), ("boiling-house", 3, 50.0, "bent", bent), ("card", 3, 50.0, "bent", bent),
    ("sluice", 3, 200.0, "cut by 4 %", cut), ("crystals", 48, 50.0, "48 MP against 12", quartered),
)  # fmt: skip
"""Scene, megapixels, ISO and what was done to the picture's frame."""


def framed() -> Iterator[tuple[str, Developer, NDArray[np.uint8]]]:
    """Pairs whose pictures show another part, are bent otherwise, or have another number of pixels."""
    with TemporaryDirectory() as name:
        for k, (scene, megapixels, iso, what, how) in enumerate(FRAMED):
            phone = Phone(scene, megapixels)
            metered = phone.meter()
            capture = phone.shoot(Exposure(iso, metered.iso * metered.seconds / iso), seed=40 + k)
            path = Path(name) / f"{k}.dng"
            save(capture, path, datetime(2026, 6, 21, 12), picture=False)
            yield (
                f"{scene}, {what}",
                Developer(open_source(path)),
                as_file(how(picture_of(capture, tuple(STYLES)[k % len(STYLES)]))),
            )


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


def misplaced(alignment: Alignment, size: tuple[int, int]) -> float:
    """How far (rms over the frame, pixels of the raw, both axes) the simulated phone's picture lies from where an
    alignment says.
    """
    width, height = size
    ys, xs = (np.linspace(0.06 * n, 0.94 * n, 9).astype(int) for n in (height, width))
    mx, my = phone_map(width, height)
    places = np.stack([mx[ys[:, None], xs], my[ys[:, None], xs]], axis=2).reshape(-1, 2)
    picture = np.stack(np.broadcast_arrays(xs[None], ys[:, None]), axis=2).reshape(-1, 2)
    return float(np.sqrt(((alignment.apply(places) - picture) ** 2).sum(axis=1).mean()))


def measured(pairs: Iterator[tuple[str, Developer, NDArray[np.uint8]]]) -> dict[str, Any]:
    """Figures of each pair."""
    result: dict[str, Any] = {}
    recipes: dict[int, Recipe] = {}
    for name, developer, picture in pairs:
        recipe = recipes.setdefault(id(developer), take_all(Recipe(), suggest_all(developer)))
        alignment = register_codes(Developed(developer, recipe).whole(COMPARE_EDGE), picture)
        own = alignment.at_size(developer.source.meta.oriented_size, (picture.shape[1], picture.shape[0]))
        began = time.perf_counter()
        found = match(developer, picture, alignment, recipe)
        result[name] = {
            "residual_px": round(alignment.residual_px, 2), "before": np.round(found.before, 2).tolist(),
            "after": np.round(found.after, 2).tolist(), "seconds": round(time.perf_counter() - began, 2),
            "did": [d.text for d in found.did],
        }  # fmt: skip
        if ", ISO" in name:
            result[name]["misplaced_px"] = round(misplaced(own, developer.source.meta.oriented_size), 2)
        notice = {k: v for k, v in result[name].items() if k != "did"}
        print(name, notice, file=sys.stderr, flush=True)
    return result


def matching() -> dict[str, Any]:
    """All pairs, with the medians over them."""
    result = {**measured(simulated()), **measured(framed()), **measured(photographed())}
    after = np.array([r["after"] for r in result.values()])
    off = [r["misplaced_px"] for r in result.values() if "misplaced_px" in r]
    return {
        "pairs": result,
        "residual_px": {"median": float(np.median([r["residual_px"] for r in result.values()])),
                        "worst": max(r["residual_px"] for r in result.values())},
        "misplaced_px": {"median": float(np.median(off)), "worst": max(off)},
        "median_at_most_2": int((after[:, 0] <= 2).sum()), "p95_at_most_6": int((after[:, 1] <= 6).sum()),
        "of": len(after),
    }  # fmt: skip


if __name__ == "__main__":
    print(json.dumps(matching(), indent=1, ensure_ascii=False))
