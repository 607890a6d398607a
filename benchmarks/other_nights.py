"""Nights of another generator (`tests.other_nights`), of every kind: `python -m benchmarks.other_nights [WORD]`.

For each sequence: bad frames that were used, good ones that were not with the reason, and, of star fields, how wide
stars are and how far noise falls.
"""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.other_nights import Night, save
from tests.photographs import Sensor

from bruto.errors import BrutoError
from bruto.merge.merger import merge

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


def main() -> None:
    """Print a line for each night whose name holds the word that is given."""
    word = sys.argv[1] if len(sys.argv) > 1 else ""
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
