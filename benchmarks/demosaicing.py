"""Demosaicing against other libraries, on photographs of any folder: `python -m benchmarks.demosaicing FOLDER`.

Each photograph is sent backwards through a sensor (`tests.photographs`) without noise and at ISO 100; ours, Menon 2007
(colour-demosaicing), AHD and DHT (LibRaw, by rawpy) read the same file. PSNR in linear light, dB.
"""

from __future__ import annotations

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import rawpy
from colour_demosaicing import demosaicing_CFA_Bayer_Menon2007
from numpy.typing import NDArray
from PIL import Image
from tests.hand import sensor_at
from tests.photographs import Sensor, write_photograph

from benchmarks.photos import psnr
from bruto.color.spaces import decode_srgb
from bruto.container.dng_reader import read_dng
from bruto.develop.demosaic import demosaic

BORDER = 16
SCALE = 0.8
"""White of a photograph on the sensor."""
LONGEST = 1600
"""Longest side in pixels; larger photographs are cut to their middle."""
NEUTRAL = (1.0, 1.0, 1.0)


def _light_of(path: Path) -> NDArray[np.float32]:
    codes = np.asarray(Image.open(path).convert("RGB"))
    for axis in (0, 1):
        size = min(codes.shape[axis], LONGEST) // 2 * 2
        codes = np.take(codes, np.arange(size) + (codes.shape[axis] - size) // 2, axis=axis)
    return decode_srgb(codes / 255.0).astype(np.float32)


def _by_libraw(path: Path, method: rawpy.DemosaicAlgorithm) -> NDArray[np.float32]:
    with rawpy.imread(str(path)) as raw:
        codes = raw.postprocess(
            demosaic_algorithm=method, gamma=(1, 1), no_auto_bright=True, output_bps=16, adjust_maximum_thr=0.0,
            user_wb=[1, 1, 1, 1], output_color=rawpy.ColorSpace.raw, user_flip=0,
            highlight_mode=rawpy.HighlightMode.Clip,
        )  # fmt: skip
    return codes.astype(np.float32) / 65535.0


def trial(light: NDArray[np.float32], sensor: Sensor, seed: int) -> dict[str, float]:
    """dB of each method on a shot of the light; `seed` -1: without noise."""
    with TemporaryDirectory() as folder:
        path = write_photograph(Path(folder) / "photograph.dng", light, sensor, seed, SCALE)
        frame = read_dng(path)
        plane = ((frame.codes - sensor.black) / (sensor.white - sensor.black)).astype(np.float32)
        found = {
            "own": demosaic(plane, sensor.cfa, noise=np.array([[sensor.a, sensor.b]] * 3)),
            "menon": demosaicing_CFA_Bayer_Menon2007(plane, sensor.cfa),
            "ahd": _by_libraw(path, rawpy.DemosaicAlgorithm.AHD),
            "dht": _by_libraw(path, rawpy.DemosaicAlgorithm.DHT),
        }
    return {name: psnr(picture, light * SCALE, BORDER) for name, picture in found.items()}


def main() -> None:
    """Print a line for each photograph, and on how many ours is behind the best of the others by more than 0.3 dB."""
    paths = sorted(p for p in Path(sys.argv[1]).iterdir() if p.suffix.lower() in (".png", ".jpg"))
    base = sensor_at(100.0)
    levels = {"without noise": (Sensor(1e-9, 1e-12, NEUTRAL, bits=16, black=0.0), -1),
              "ISO 100": (Sensor(base.a, base.b, NEUTRAL, bits=14), 1)}  # fmt: skip
    ahead: dict[str, list[float]] = {name: [] for name in levels}
    for path in paths:
        for title, (sensor, seed) in levels.items():
            found = trial(_light_of(path), sensor, seed)
            ahead[title].append(found["own"] - max(v for name, v in found.items() if name != "own"))
            rows = ", ".join(f"{name} {value:.1f}" for name, value in found.items())
            print(f"{path.name:32} {title:14} {rows}; ahead by {ahead[title][-1]:+.2f} dB", flush=True)
    for title, rows in ahead.items():
        late = sum(row < -0.3 for row in rows)
        print(f"{title}: ahead by {np.median(rows):+.2f} dB in the median; {late} of {len(rows)} behind by over 0.3")


if __name__ == "__main__":
    main()
