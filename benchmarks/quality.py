"""The whole line at 12 MP by command line, against what is known of the scenes: `./run bench --quality`."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import rawpy
import tifffile
from tests.truth import chart_error, ideal_rgb, patch_masks, plain_linear, relative_sigma, true_noise

from benchmarks import photos
from benchmarks.logbook import pages
from benchmarks.matching import matching
from benchmarks.merging import merging
from benchmarks.natural import natural
from benchmarks.nights import field, nights
from benchmarks.white import charts, white_balance
from bruto.container.dng_reader import read_dng
from bruto.merge.frames import load_frame
from bruto.merge.methods.bracket import bracket_variance
from bruto.merge.planes import color_band
from bruto.simphone.capture import Exposure, Phone

PROGRAM = Path(sys.executable).with_name("bruto")
MEGAPIXELS = 12


def command(*arguments: object) -> dict[str, Any]:
    """Run `bruto … --json` in a process of its own."""
    done = subprocess.run([PROGRAM, *map(str, arguments), "--json"], capture_output=True, text=True)
    if done.returncode:
        raise RuntimeError(f"{arguments}: {done.stderr}")
    return json.loads(done.stdout)


def _phone(scene: str) -> Phone:
    return Phone(scene, MEGAPIXELS)


def chart(folder: Path) -> dict[str, Any]:
    """Decode, noise estimate and neutral colour of the card."""
    errors, own = [], []
    phone = _phone("card")
    masks = patch_masks(phone, 12)
    first: dict[str, Any] = {}
    for seed in (1, 2, 3):
        shot = command("simulate", "card", "-o", folder, "--seed", seed)["shots"][0]
        raw = Path(shot["files"][0])
        neutral_picture = folder / f"neutral-{seed}.tif"
        command("develop", raw, "-o", neutral_picture, "--neutral", "--space", "linear")
        errors.append(float(np.median(chart_error(phone, tifffile.imread(neutral_picture), masks))))
        true = np.array(shot["true_neutral"])
        neutral = np.array(command("inspect", raw)["as_shot_neutral"])
        cosine = (1 / true) @ (1 / neutral) / np.linalg.norm(1 / true) / np.linalg.norm(1 / neutral)
        own.append(float(np.degrees(np.arccos(min(1.0, cosine)))))
        if seed == 1:
            frame = read_dng(raw)
            with rawpy.imread(str(raw)) as other:
                difference = int(np.abs(frame.codes.astype(int) - other.raw_image).max())
            found = command("measure", raw)["noise"]
            ratios = {
                f"sigma_over_truth_at_{at}": relative_sigma(
                    np.array([found["measured_a"], found["measured_b"]]), *true_noise(shot["iso"]), at
                )
                for at in (0.02, 0.18)
            }
            first = {"rawpy_max_difference": difference, "noise": ratios}
    return {**first, "chart_delta_e00_median": errors, "as_shot_white_error_deg": own}


def burst(folder: Path) -> dict[str, Any]:
    """Eight frames at ISO 1600, on a tripod and by hand, against the noise-free light."""
    phone = _phone("sluice")
    result = {}
    for name, extra in (("static", ["--static"]), ("handheld", [])):
        made = command("simulate", "sluice", "-o", folder / name, "--count", 8, "--iso", 1600, *extra)["shots"]
        files = [s["files"][0] for s in made]
        merged = folder / f"{name}.dng"
        text = command("merge", "noise", *files, "-o", merged)
        ideal = ideal_rgb(phone.shoot(Exposure(made[0]["iso"], made[0]["exposure_s"]), seed=1000))
        inner = (slice(80, -80), slice(80, -80))
        good = (ideal[inner].max(axis=2) < 0.8) & (ideal[inner].min(axis=2) > 0.004)
        one = color_band(load_frame(files[0]), 0, phone.height)[inner][good] - ideal[inner][good]
        many = plain_linear(read_dng(merged))[inner][good] - ideal[inner][good]
        centre = np.array([(phone.width - 1) / 2, (phone.height - 1) / 2])
        off = []
        for shot, frame in zip(made[1:], text["registration"]["frames"][1:], strict=True):
            t = np.array(shot["transform"])
            off.append(np.array(frame["shift_px"]) - (t[:, :2] @ centre + t[:, 2] - centre))
        gain = float(one.std() / many.std())
        result[name] = {
            "frames_used": text["frames_used"], "gain": gain, "of_sqrt_8": gain / 8**0.5,
            "stated": text["gain"]["noise"],
            "shift_error_rms_px": float(np.sqrt(np.mean(np.square(off)))),
        }  # fmt: skip
        command("develop", merged, "-o", folder / f"{name}.jpg", "--auto")
    return result


def bracket(folder: Path) -> dict[str, Any]:
    """Three frames over 6 EV of the boiling house against the scene's radiance."""
    phone = _phone("boiling-house")
    result = {}
    for name, extra in (("static", ["--static"]), ("handheld", [])):
        made = command("simulate", "boiling-house", "-o", folder / f"b{name}", "--bracket", "-3,0,3", *extra)["shots"]
        merged = folder / f"b{name}.dng"
        text = command("merge", "exposure", *[s["files"][0] for s in made], "-o", merged)
        middle = made[1]
        capture = phone.shoot(
            Exposure(middle["iso"], middle["exposure_s"]), seed=1001, transform=np.array(middle["transform"])
        )
        ideal = ideal_rgb(capture)[80:-80, 80:-80, 1].astype(float) / 8
        found = plain_linear(read_dng(merged))[80:-80, 80:-80, 1]
        a, b = made[0]["noise"]["a"], made[0]["noise"]["b"]
        rows = {}
        for low, high in ((2e-4, 6e-4), (6e-4, 2e-3), (2e-3, 1.2e-2), (1.6e-2, 0.1), (0.13, 0.8)):
            here = (ideal > low) & (ideal < high)
            if here.sum() < 2000:
                continue
            bound = bracket_variance(ideal[here], np.array([1.0, 8.0, 64.0]), np.full(3, a), np.full(3, b))
            error = (found[here] - ideal[here]) / np.sqrt(bound)
            rows[f"{low:g}-{high:g}"] = {
                "robust_sigma_over_bound": 1.4826 * float(np.median(np.abs(error - np.median(error)))),
                "median_error_percent": 100 * float(np.median(np.abs(found[here] / ideal[here] - 1))),
            }
        result[name] = {"range_ev": text["range_ev"], "signals": rows}
        command("develop", merged, "-o", folder / f"b{name}.jpg", "--auto")
    return result


def views(folder: Path) -> dict[str, Any]:
    """Whole views against the reduced file, 12 MP, with default and with suggested values."""
    from bruto.color.difference import delta_e00
    from bruto.color.spaces import picture_to_lab
    from bruto.develop.pipeline import Developer
    from bruto.develop.recipe import Recipe
    from bruto.develop.source import open_source
    from bruto.develop.suggest.suggester import suggest_all, take_all
    from bruto.export.encoders import resize_linear

    raw = command("simulate", "pans", "-o", folder)["shots"][0]["files"][0]
    developer = Developer(open_source(raw))
    result: dict[str, Any] = {}
    for title, recipe in (("default", Recipe()), ("suggested", take_all(Recipe(), suggest_all(developer)))):
        whole = developer.render(recipe)
        for factor in (4, 8):
            view = developer.view(recipe, factor)
            h, w = view.shape[:2]
            small = resize_linear(whole[: h * factor, : w * factor], w)
            difference = delta_e00(picture_to_lab(view), picture_to_lab(small))
            result[f"{title}, 1/{factor}"] = {
                "mean": float(difference.mean()), "p99": float(np.percentile(difference, 99)),
            }  # fmt: skip
    compared = command("compare", raw, Path(raw).with_suffix(".jpg"))
    result["compare_residual_px"] = compared["registration"]["model_px"]
    return result


def net_loft(folder: Path) -> dict[str, Any]:
    """Fur, rope, net, print, cloth and even paints at 12 MP: CIEDE2000 of the suggested picture from the same without
    noise, and spread of hue inside the paints.
    """
    from bruto.color.difference import delta_e00
    from bruto.color.spaces import picture_to_lab
    from bruto.develop.pipeline import Developer
    from bruto.develop.recipe import Recipe
    from bruto.develop.source import open_source
    from bruto.develop.suggest.suggester import suggest_all, take_all

    result: dict[str, Any] = {}
    for iso in (100.0, 1600.0, 6400.0):
        made = [
            command("simulate", "net-loft", "-o", folder / f"{iso:g}-{k}", "--iso", at, "--seed", 5)["shots"][0]
            for k, at in enumerate((iso, 50.0))
        ]
        noisy, quiet = (Developer(open_source(shot["files"][0])) for shot in made)
        recipe = take_all(Recipe(), suggest_all(noisy))
        clean = recipe.changed(luminance_noise=0.0, chroma_noise=0.0)
        difference = delta_e00(*(picture_to_lab(d.render(r)) for d, r in ((noisy, recipe), (quiet, clean))))
        result[f"ISO {iso:g}"] = {
            "strength": recipe.luminance_noise, "mean": float(difference.mean()),
            "p95": float(np.percentile(difference, 95)),
        }  # fmt: skip
    return result


def photographs() -> dict[str, Any]:
    """Demosaicing and noise reduction on photographs against general-purpose libraries."""
    return {
        "demosaic": photos.demosaicing(),
        "noise": photos.denoising({"quick": photos.quick, "best": photos.best}),
        "seconds_per_mp": {"quick": photos.seconds_per_mp(photos.quick), "best": photos.seconds_per_mp(photos.best)},
    }


def run_all(say: Callable[[str], None]) -> dict[str, Any]:
    """All figures as one object."""
    results: dict[str, Any] = {}
    say("quality: photographs …")
    results["photographs"] = photographs()
    say(f"  {json.dumps(results['photographs'])}")
    say("quality: photographs through a sensor …")
    results["natural"] = natural()
    for title, rows in results["natural"].items():
        say(f"  {title}: {json.dumps(rows)}")
    say("quality: the phone's look on pairs …")
    results["matching"] = matching()
    say(f"  {json.dumps({k: v for k, v in results['matching'].items() if k != 'pairs'})}")
    say("quality: a night …")
    results["night"], results["star_field"] = nights(), field()
    say(f"  {json.dumps(results['night'])} {json.dumps(results['star_field'])}")
    say("quality: the logbook of a million shots …")
    results["logbook"] = pages()
    say(f"  {json.dumps(results['logbook'])}")
    say("quality: bursts and brackets, beside OpenCV …")
    results["merging"] = merging(lambda text: say(f"  {text}"))
    with tempfile.TemporaryDirectory(prefix="bruto-quality-") as name:
        say("quality: white balance …")
        results["white_balance"], results["charts"] = white_balance(Path(name)), charts(Path(name))
        say(f"  {json.dumps({k: results[k] for k in ('white_balance', 'charts')})}")
        for key, work in (
            ("card", chart),
            ("burst_of_8", burst),
            ("bracket_of_3", bracket),
            ("views", views),
            ("net_loft", net_loft),
        ):
            say(f"quality: {key} …")
            results[key] = work(Path(name))
            say(f"  {json.dumps(results[key])}")
    return results
