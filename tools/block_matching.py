"""Colour errors of block matching on the photographs of `benchmarks.natural`: writes benchmarks/block_matching.json.

Needs the package bm3d, which is not among the project's: `pip install bm3d`. It takes about an hour and need not be
run again unless the photographs, the noise or the demosaicing change. Noise is stabilised (generalised Anscombe
transform, closed form of its exact unbiased inverse), and taken out of the four sites of the mosaic before it is
demosaiced, or of the colours after it; the better of both counts.
"""

from __future__ import annotations

import json
import sys

import numpy as np
from benchmarks.natural import NAMES, REFERENCE, balanced_mosaic, color_errors, levels
from bm3d import bm3d, bm3d_rgb
from numpy.typing import NDArray
from tests.photographs import LIGHT, Sensor, light_of

from bruto.develop.demosaic import demosaic


def to_stable(x: NDArray, a: float, b: float) -> NDArray:
    return 2 / a * np.sqrt(np.maximum(a * x + 0.375 * a * a + b, 0))


def from_stable(d: NDArray, a: float, b: float, variance: float = 1.0) -> NDArray:
    d = np.maximum(d, 0)
    return a * d * d / 4 - (0.375 - variance / 4) * a - b / a


def after(mosaic: NDArray, sensor: Sensor) -> NDArray:
    noise = np.array([(sensor.a * g, sensor.b * g * g) for g in sensor.gains])
    rgb = demosaic(mosaic, sensor.cfa, noise=noise)
    stable = np.stack([to_stable(rgb[..., c], *noise[c]) for c in range(3)], axis=-1)
    flat = np.random.default_rng(1).standard_normal((512, 512)).astype(np.float32)
    sigma = np.sqrt(noise[:, 0] * 0.1 + noise[:, 1])
    for k, color in enumerate(sensor.cfa):
        flat[k // 2 :: 2, k % 2 :: 2] *= sigma["RGB".index(color)]
    known = np.stack([np.zeros(3), sigma**2], axis=1)
    spread = (demosaic(flat, sensor.cfa, noise=known) / sigma).std(axis=(0, 1))
    clean = bm3d_rgb(stable / spread, 1.0) * spread
    return np.stack([from_stable(clean[..., c], *noise[c], spread[c] ** 2) for c in range(3)], axis=-1)


def before(mosaic: NDArray, sensor: Sensor) -> NDArray:
    out = np.empty_like(mosaic)
    for k, color in enumerate(sensor.cfa):
        g = sensor.gains["RGB".index(color)]
        a, b = sensor.a * g, sensor.b * g * g
        plane = to_stable(mosaic[k // 2 :: 2, k % 2 :: 2], a, b)
        out[k // 2 :: 2, k % 2 :: 2] = from_stable(bm3d(plane, 1.0), a, b)
    return demosaic(out, sensor.cfa)


def main() -> int:
    found = json.loads(REFERENCE.read_text()) if REFERENCE.is_file() else {}
    for name in NAMES:
        for title, (a, b) in levels().items():
            key = f"{name}, {title}"
            if key in found:
                continue
            sensor = Sensor(a, b)
            mosaic = balanced_mosaic(light_of(name), sensor, 1)
            both = [color_errors(how(mosaic, sensor), light_of(name) * LIGHT) for how in (before, after)]
            found[key] = np.min(both, axis=0).round(2).tolist()
            sys.stderr.write(f"{key} {both}\n")
            REFERENCE.write_text(json.dumps(found, indent=1) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
