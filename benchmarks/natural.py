"""What the picture does on photographs that nobody here rendered: `./run bench --quality`, or `python -m
benchmarks.natural` for these figures alone.

scikit-image's photographs are sent through a sensor (`tests.photographs`), demosaiced and denoised, and compared with
what they were.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data
from tests.photographs import KINDS, LIGHT, Sensor, light_of, noisy, seen, source_of

from benchmarks.white import angle
from bruto.color.difference import delta_e00
from bruto.color.spaces import decode_srgb, picture_to_lab, space, xyz_to_lab
from bruto.develop.analysis.white_estimate import estimate_white, grey_places, likely_neutral
from bruto.develop.demosaic import demosaic
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.steps.haze import AIRLIGHT
from bruto.develop.steps.noise import reduce_noise
from bruto.develop.suggest.detail import suggest_noise
from bruto.develop.suggest.look import suggest_haze
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.simphone.sensor_model import sensor_for

NAMES = ("chelsea", "astronaut", "rocket", "coffee")
HIGH_ISO = 6400.0
BORDER = 16
REFERENCE = Path(__file__).with_name("block_matching.json")
"""a*b* errors of block matching (bm3d 4.0, with the same stabilisation, before demosaicing or after it: whichever is
better), made once by `tools/block_matching.py`.
"""


def high_iso(iso: float = HIGH_ISO) -> tuple[float, float]:
    """Noise of the simulated phone, at ISO 6400 or another."""
    a, b = sensor_for(12).noise(iso)
    return float(a), float(b)


def levels() -> dict[str, tuple[float, float]]:
    """a, b of the noise that pictures are tried at."""
    lower = {"5e-4": (5e-4, 5e-7), "2e-3": (2e-3, 2e-6), "4e-3": (4e-3, 4e-6)}
    return lower | {"ISO 6400": high_iso(), "ISO 12800": high_iso(2 * HIGH_ISO)}


def balanced_mosaic(light: NDArray[Any], sensor: Sensor, seed: int) -> NDArray[np.float32]:
    """A noisy mosaic of balanced light (H, W)."""
    plane = noisy(seen(light, sensor), sensor, seed)
    for k, color in enumerate(sensor.cfa):
        plane[k // 2 :: 2, k % 2 :: 2] *= sensor.gains["RGB".index(color)]
    return plane.astype(np.float32)


def denoised(
    light: NDArray[Any], sensor: Sensor, seed: int, best: bool = False, strength: tuple[float, float] = (1.0, 1.0)
) -> NDArray[np.float32]:
    """Balanced light (H, W, 3) after demosaicing and noise reduction."""
    noise = np.array([[sensor.a * g, sensor.b * g * g] for g in sensor.gains])
    rgb = demosaic(balanced_mosaic(light, sensor, seed), sensor.cfa, noise=noise)
    return reduce_noise(rgb, noise, *strength, "mosaic", np.ones((1, 1), np.float32), best)


def lab(light: NDArray[Any]) -> NDArray[np.float64]:
    """L*a*b* of light, white = `LIGHT`."""
    inner = np.clip(light[BORDER:-BORDER, BORDER:-BORDER] / LIGHT, 0, 1)
    return xyz_to_lab(inner @ space("srgb").to_xyz().T)


def color_errors(found: NDArray[Any], truth: NDArray[Any]) -> list[float]:
    """Root mean square of the error of (a*, b*), of single pixels and of means of 2 x 2 and 4 x 4."""
    difference = (lab(found) - lab(truth))[..., 1:]
    errors = []
    for n in (1, 2, 4):
        h, w = (size // n * n for size in difference.shape[:2])
        means = difference[:h, :w].reshape(h // n, n, w // n, n, 2).mean(axis=(1, 3))
        errors.append(float(np.sqrt((means**2).sum(axis=-1).mean())))
    return errors


def slopes(found: NDArray[Any]) -> float:
    """How much fine a* and b* follow fine L* where there should be no colour: the larger of both slopes."""
    star = lab(found).astype(np.float32)
    fine = star - cv2.GaussianBlur(star, (0, 0), 2.0)
    l, a, b = (fine[..., k] for k in range(3))
    return float(max(abs((a * l).sum()), abs((b * l).sum())) / (l * l).sum())


def _grade(best: bool) -> str:
    return "best" if best else "quick"


def chroma_noise() -> dict[str, Any]:
    """Errors of colour on photographs, and those of block matching."""
    reference = json.loads(REFERENCE.read_text()) if REFERENCE.is_file() else {}
    result: dict[str, Any] = {}
    for name in NAMES:
        light = light_of(name)
        for title, (a, b) in levels().items():
            rows = [color_errors(denoised(light, Sensor(a, b), seed), light * LIGHT) for seed in (1, 2, 3)]
            best = color_errors(denoised(light, Sensor(a, b), 1, best=True), light * LIGHT)
            key = f"{name}, {title}"
            result[key] = {
                "ab_rmse": np.median(rows, axis=0).round(2).tolist(), "worst": np.max(rows, axis=0).round(2).tolist(),
                "best": np.round(best, 2).tolist(), "block_matching": reference.get(key),
            }  # fmt: skip
    return result


def grey() -> dict[str, Any]:
    """Photographs without colour: slopes, and errors."""
    result: dict[str, Any] = {}
    for name in ("grey chelsea", "grey rocket"):
        light = light_of(name)
        for title, (a, b) in levels().items():
            for best in (False, True):
                found = denoised(light, Sensor(a, b), 1, best)
                errors = np.round(color_errors(found, light * LIGHT), 2).tolist()
                result[f"{name}, {title}, {_grade(best)}"] = {"slope": round(slopes(found), 4), "ab_rmse": errors}
    return result


def dark(percents: tuple[float, ...] = (0.5, 1.0, 2.0, 5.0), size: tuple[int, int] = (2000, 3000)) -> dict[str, Any]:
    """Flat dark grey at ISO 6400: red and blue over green, and the level, in percent off."""
    a, b = high_iso()
    result: dict[str, Any] = {}
    for percent in percents:
        light = np.full((*size, 3), percent / 100 / LIGHT, np.float32)
        for best in (False, True):
            mean = denoised(light, Sensor(a, b), 5, best)[BORDER:-BORDER, BORDER:-BORDER].mean(axis=(0, 1))
            off = 100 * (mean[[0, 2]] / mean[1] - 1)
            level = 100 * (mean[1] / (percent / 100) - 1)
            result[f"{percent:g} %, {_grade(best)}"] = [round(float(v), 2) for v in (*off, level)]
    return result


def kept(a: float, b: float, strength: tuple[float, float], best: bool = False) -> list[float]:
    """Share of true detail that is left, of 1 to 2 and of 2 to 4 px, and the error of L*; mean over photographs."""
    rows = []
    for name in NAMES:
        light = light_of(name)
        found, truth = (
            lab(p)[..., 0].astype(np.float32) for p in (denoised(light, Sensor(a, b), 1, best, strength), light * LIGHT)
        )
        row = []
        for fine, coarse in ((0.5, 1.0), (1.0, 2.0)):
            of_truth, of_found = (
                cv2.GaussianBlur(p, (0, 0), fine) - cv2.GaussianBlur(p, (0, 0), coarse) for p in (truth, found)
            )
            row.append(float((of_truth * of_found).sum() / (of_truth * of_truth).sum()))
        rows.append([*row, float(np.sqrt(((found - truth) ** 2).mean()))])
    return np.mean(rows, axis=0).round(3).tolist()


PAINTS = ((30, 60, 160), (160, 30, 40), (20, 110, 60), (60, 30, 90), (12, 25, 60), (190, 140, 20), (100, 60, 40))
"""sRGB codes of flat patches on a white wall."""


def wall() -> tuple[NDArray[np.float32], list[tuple[slice, slice]]]:
    """Light of a white wall that grows darker to one side, with the patches on it, and where they are."""
    light = np.full((900, 1200, 3), 0.86, np.float32) * np.linspace(1.0, 0.8, 1200, dtype=np.float32)[None, :, None]
    places = []
    for k, paint in enumerate(PAINTS):
        y, x = 120 + k // 4 * 380, 60 + k % 4 * 290
        light[y : y + 280, x : x + 200] = decode_srgb(np.array(paint) / 255.0)
        places.append((slice(y + 6, y + 274), slice(x + 6, x + 194)))
    return cv2.GaussianBlur(light, (0, 0), 0.8), places


def patches(folder: Path) -> dict[str, Any]:
    """Flat saturated patches beside white, with the suggested recipe and with haze at 60 %: widest spread of hue inside
    a patch (95 %, degrees) and largest Delta E 2000 from its median (95 %), without noise finer than 2 px.
    """
    light, places = wall()
    developer = Developer(source_of(folder, light, Sensor(a=2e-4, b=2e-7)))
    suggested = take_all(Recipe(), suggest_all(developer))
    result: dict[str, Any] = {"suggested_haze": suggested.haze}
    for title, recipe in (("suggested", suggested), ("haze 60 %", suggested.changed(haze=60.0))):
        star = cv2.GaussianBlur(picture_to_lab(developer.render(recipe)).astype(np.float32), (0, 0), 2.0)
        spreads, errors = [], []
        for place in places:
            pixels = star[place].reshape(-1, 3)
            middle = np.median(pixels, axis=0)
            errors.append(float(np.percentile(delta_e00(pixels, np.broadcast_to(middle, pixels.shape)), 95)))
            hue = (pixels[:, 1] + 1j * pixels[:, 2]) / complex(middle[1], middle[2])
            spreads.append(float(np.ptp(np.percentile(np.degrees(np.angle(hue)), [2.5, 97.5]))))
        result[title] = {"hue_spread_deg": round(max(spreads), 2), "delta_e00_p95": round(max(errors), 2)}
    return result


AIR = np.array([0.8, 0.82, 0.85], np.float32)


def hazy_photograph(thickness: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The motorcycle behind air, by its depth (light goes to AIR by the law of Koschmieder), and the veil's share."""
    light = light_of("stereo_motorcycle")
    near = np.asarray(data.stereo_motorcycle()[2], float)[: light.shape[0], : light.shape[1]]
    near[~np.isfinite(near) | (near <= 0)] = np.min(near[np.isfinite(near) & (near > 0)])
    depth = 1 / near
    depth = np.minimum(depth / np.percentile(depth, 95), 1.2)
    through = np.exp(-thickness * depth).astype(np.float32)[..., None]
    return light * through + AIR * (1 - through), 1 - through[..., 0]


def haze(folder: Path) -> dict[str, Any]:
    """What is suggested against haze: in clear air, and share of the true veil that it takes in the haziest third."""
    result: dict[str, Any] = {}
    for name in ("chelsea", "astronaut", "coffee", "rocket", "stereo_motorcycle", "page", "brick", "moon"):
        developer = Developer(source_of(folder, light_of(name)))
        result[f"clear, {name}"] = suggest_haze(developer).value
    for thickness in (1.0, 1.5):
        light, veil = hazy_photograph(thickness)
        developer = Developer(source_of(folder, light))
        taken = suggest_haze(developer).value / 100 * developer.coarse(AIRLIGHT).typical
        true = float(np.median(np.sort(veil, axis=None)[-veil.size // 3 :]))
        result[f"motorcycle behind air, {thickness:g}"] = {"true_veil": round(true, 2), "of_it": round(taken / true, 2)}
    return result


def told_wrongly(true: NDArray[Any], degrees: float, direction: float) -> NDArray[np.float64]:
    """A neutral that lies so many degrees from the true one, in a direction 0..2 pi."""
    axis = true / np.linalg.norm(true)
    across = np.cross(axis, [0.0, 1.0, 0.0])
    across /= np.linalg.norm(across)
    side = np.cos(direction) * across + np.sin(direction) * np.cross(axis, across)
    found = np.cos(np.radians(degrees)) * axis + np.sin(np.radians(degrees)) * side
    return found / found[1]


def white(folder: Path) -> dict[str, Any]:
    """Angular error of the suggested white where the file tells it wrongly: median, 90 %, and how much worse than the
    file at worst, in degrees.
    """
    rows: dict[float, list[tuple[float, float]]] = {0.0: [], 1.5: [], 3.0: []}
    for name in (*NAMES, "stereo_motorcycle"):
        for sensor in (KINDS[0], KINDS[3]):
            source, true = source_of(folder, light_of(name), sensor), 1 / np.array(sensor.gains)
            for degrees, found in rows.items():
                for k in range(8 if degrees else 1):
                    own = told_wrongly(true, degrees, np.pi * k / 4)
                    developer = Developer(replace(source, meta=replace(source.meta, as_shot_neutral=own)))
                    neutral = likely_neutral(source.meta, own, estimate_white(grey_places(developer.level(4))))
                    found.append((angle(neutral, true), angle(own, true)))
    result = {}
    for degrees, found in rows.items():
        error, own = np.array(found).T
        result[f"file wrong by {degrees:g}"] = {
            "median": round(float(np.median(error)), 2), "p90": round(float(np.percentile(error, 90)), 2),
            "most_worse": round(float((error - own).max()), 2),
        }  # fmt: skip
    return result


def suggested_strengths(iso: float) -> tuple[float, float]:
    """Suggested noise reduction of brightness and colour for a grey photograph at that ISO."""
    a, b = sensor_for(12).noise(iso)
    with TemporaryDirectory() as folder:
        found = suggest_noise(Developer(source_of(Path(folder), light_of("chelsea"), Sensor(float(a), float(b)))), 0.0)
    return float(found[0].value), float(found[1].value)


def texture() -> dict[str, Any]:
    """Share of detail kept (1 to 2 px, 2 to 4 px) and error of L*, at the strength suggested, in both grades."""
    result: dict[str, Any] = {}
    for iso in (400.0, 1600.0, HIGH_ISO):
        strength = suggested_strengths(iso)
        a, b = (float(v) for v in sensor_for(12).noise(iso))
        grades = {"quick": kept(a, b, strength), "best": kept(a, b, strength, best=True)}
        result[f"ISO {iso:g}"] = {"strength": strength, **grades}
    return result


def natural() -> dict[str, Any]:
    """All figures as one object."""
    with TemporaryDirectory() as name:
        folder = Path(name)
        return {
            "chroma_noise": chroma_noise(), "grey": grey(), "dark": dark(), "texture": texture(),
            "patches": patches(folder), "haze": haze(folder), "white": white(folder),
        }  # fmt: skip


if __name__ == "__main__":
    for title, rows in natural().items():
        for key, value in rows.items():
            print(title, "|", key, value, flush=True)
