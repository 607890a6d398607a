"""Nights of another generator, `tests.other_nights`, of every kind: `python -m benchmarks.other_nights [WORD [SEEDS]]`.

For each sequence: bad frames that were used, good ones that were not with the reason. `python -m
benchmarks.other_nights fields`: how wide stars of star fields are over those of one frame, and how far noise falls over
the root of the frames; `gaps`: how far arcs dip where clouds were.
"""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from types import SimpleNamespace
from typing import Any, cast

import cv2
import numpy as np
from tests.other_nights import Night, Sky, save
from tests.photographs import Sensor

from benchmarks.nights import BRIGHTEST, dips, widths
from bruto.container.dng_reader import read_dng
from bruto.container.linearisation import linearise
from bruto.errors import BrutoError
from bruto.merge.frames import load_frame
from bruto.merge.merger import merge
from bruto.merge.planes import color_band

BRIGHT = 0.02
"""Share of the stars, the brightest, whose arcs and widths are measured."""
FIELDS = ("plain", "lamp", "no ground", "distortion", "strong distortion", "pole in the frame", "portrait",
          "other mosaic", "wide", "many stars", "no clock", "noisy")  # fmt: skip
GAPS = ("plain", "equal clocks", "no clock", "distortion", "pole in the frame", "portrait", "other mosaic", "lamp",
        "many stars", "narrow")  # fmt: skip
PORTRAIT = (1134, 1512)
KINDS: dict[str, Night] = {
    "plain": Night(),
    "exact clock": Night(clock="exact", seed=2),
    "equal clocks": Night(clock="equal", seed=3),
    "no clock": Night(clock="none", seed=4),
    "no Exif": Night(clock="no exif", seed=5),
    "wrong clock": Night(clock="wrong", seed=6),
    "moonrise": Night(moonrise=3.0, seed=7),
    "twilight": Night(twilight=8.0, seed=8),
    "lamp": Night(lamp=True, seed=9),
    "lamp switched on": Night(lit=(9, 10, 11), seed=10),
    "few stars": Night(stars=60, seed=11),
    "many stars": Night(stars=4000, seed=12),
    "no ground": Night(ground=False, seed=13),
    "distortion": Night(distortion=0.06, seed=14),
    "strong distortion": Night(distortion=-0.12, seed=15),
    "pole in the frame": Night(pole=(0.5, 0.35), seed=16),
    "pole in the frame, 3 MP": Night(pole=(0.45, 0.4), size=(2000, 1500), focal_px=1500.0, frames=20, seed=17),
    "wide": Night(focal_px=700.0, frames=20, seed=18),
    "narrow": Night(focal_px=3200.0, stars=200, seed=19),
    "portrait": Night(size=PORTRAIT, seed=20),
    "other mosaic": Night(sensor=Sensor(a=1.6e-3, b=6e-6, cfa="GBRG", bits=14, black=1024.0), seed=21),
    "three frames": Night(frames=3, seed=22),
    "six frames": Night(frames=6, seed=23),
    "dew": Night(dewed=(20, 21, 22, 23), seed=24),
    "clouds": Night(clouded={10: 0.8, 11: 0.9, 12: 0.95, 13: 0.7}, seed=25),
    "thin cloud": Night(clouded=dict.fromkeys(range(4, 12), 0.05), seed=26),
    "drifting cloud": Night(clouded={8: 0.3, 9: 0.5, 10: 0.7, 11: 0.9, 12: 0.7, 13: 0.4}, seed=27),
    "pushed": Night(pushed=(5, 17), seed=28),
    "noisy": Night(sensor=Sensor(a=6e-3, b=6e-5), iso=6400.0, seed=29),
    "bright sky": Night(sky=0.2, glow=2.0, seed=30),
}


def trial(night: Night, method: str = "trails") -> tuple[set[int], dict[int, str], str]:
    """Bad frames that were used, good ones that were not, and what went wrong."""
    with TemporaryDirectory() as folder:
        files = list(save(night, Path(folder)))
        try:
            result = merge(method, files, Path(folder) / "merged.dng")
        except BrutoError as error:
            return set(), {}, str(error)
        found = {Path(f.file).name: f for f in result.frames}
    verdicts = [found[f.name] for f in files]
    sure = set(range(night.frames)) - night.doubtful
    used = {k for k in night.bad if verdicts[k].used}
    lost = {k: verdicts[k].reason for k in sorted(sure - night.bad) if not verdicts[k].used}
    return used, lost, ""


class _Phone:
    """A night as `benchmarks.nights.dips` asks for it."""

    def __init__(self, night: Night) -> None:
        self._sky = Sky(night)
        self.places = self._sky.places
        self.width, self.height = night.size
        order = np.argsort(np.argsort(-self._sky.light))
        self.magnitudes = np.where(order < BRIGHT * len(order), BRIGHTEST - 1, BRIGHTEST + 1)


def gap(night: Night) -> tuple[list[float], list[float]]:
    """Dips of whole arcs and of the gap where frames were left out."""
    with TemporaryDirectory() as folder:
        files = list(save(night, Path(folder)))
        result = merge("trails", files, Path(folder) / "merged.dng")
        names = {f.name: k for k, f in enumerate(files)}
        used = {names[Path(f.file).name] for f in result.frames if f.used}
        light = linearise(read_dng(Path(folder) / "merged.dng")).data
    frames: Any = [SimpleNamespace(bad="", start=k * night.pace_s, number=k) for k in range(night.frames)]
    return dips(light, cast(Any, _Phone(night)), frames, used)


def star_field(night: Night) -> tuple[int, float, float]:
    """Frames used, median width of stars over that in one frame, fall of noise over the root of the frames used."""
    with TemporaryDirectory() as folder:
        files = list(save(night, Path(folder)))
        result = merge("sky", files, Path(folder) / "merged.dng")
        own = {Path(f.file).name for f in result.frames if f.used and f.shift_px == (0.0, 0.0) and f.turn_deg == 0.0}
        middle = next((k for k, f in enumerate(files) if f.name in own), len(files) // 2)
        merged = linearise(read_dng(Path(folder) / "merged.dng")).data
        one = color_band(load_frame(files[middle]), 0, night.size[1])
    sky = Sky(night)
    truth = sky.frame(middle)
    places, ahead = sky.places(middle * night.pace_s + night.exposure_s / 2)
    w, h = night.size
    bright = np.argsort(np.argsort(-sky.light)) < BRIGHT * len(sky.light)
    good = ahead & bright & (places > 40).all(axis=1) & (places < [w - 40, 0.7 * h]).all(axis=1)
    ratio = widths(merged, places[good]) / widths(one, places[good])
    level = cv2.blur(truth, (41, 41))
    even = (np.abs(truth - level) < 0.007 * level).all(axis=2) & ~sky.ground
    even[:60], even[int(0.7 * h) :], even[:, :60], even[:, -60:] = False, False, False, False
    fine = [cv2.GaussianBlur(p - truth, (0, 0), 1.5) - cv2.GaussianBlur(p - truth, (0, 0), 6) for p in (one, merged)]
    noise = [np.median(np.abs(p[even])) for p in fine]  # faint stars weigh nothing in a median
    gain = float(noise[0] / noise[1])
    used = sum(f.used for f in result.frames)
    return used, float(np.nanmedian(ratio)), gain / used**0.5


def fields() -> None:
    """Print a line for each star field of ten frames."""
    for name in FIELDS:
        night = replace(KINDS[name], frames=10, pace_s=60.0)
        used, width, gain = star_field(night)
        print(f"{name:26} {used} of {night.frames} used, width {width:.3f}, noise {gain:.3f} of the root", flush=True)


def gaps() -> None:
    """Print a line for each sequence with clouds."""
    for name in GAPS:
        night = replace(KINDS[name], frames=64, clouded=dict.fromkeys((31, 32, 33), 0.9))  # arcs long enough
        whole, bridged = gap(night)
        if not bridged:
            print(f"{name:26} no bright arc is long enough", flush=True)
            continue
        print(
            f"{name:26} {len(whole)} arcs dip by {np.median(whole):.3f}; {len(bridged)} gaps by "
            f"{np.median(bridged):.3f} in the median, {np.percentile(bridged, 90):.3f} (90 %)",
            flush=True,
        )


def main() -> None:
    """Print a line for each night whose name holds the word that is given."""
    word = sys.argv[1] if len(sys.argv) > 1 else ""
    if word in ("fields", "gaps"):
        fields() if word == "fields" else gaps()
        return
    seeds = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    good = bad = used_bad = lost_good = 0
    for name, night in KINDS.items():
        if word not in name:
            continue
        for extra in range(seeds):
            one = replace(night, seed=night.seed + 100 * extra)
            began = time.perf_counter()
            used, lost, problem = trial(one)
            good += one.frames - len(one.bad | one.doubtful)
            bad += len(one.bad)
            used_bad, lost_good = used_bad + len(used), lost_good + len(lost)
            reasons = "; ".join(f"{k}: {why}" for k, why in lost.items())
            took = time.perf_counter() - began
            print(f"{name:26} {took:5.1f} s  bad used {sorted(used)}  lost {reasons} {problem}", flush=True)
    share = round(100 * lost_good / max(good, 1), 1)
    print(f"bad frames used: {used_bad} of {bad}; good frames lost: {lost_good} of {good} ({share} %)")


if __name__ == "__main__":
    main()
