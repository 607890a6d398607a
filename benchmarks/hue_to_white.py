"""How far hues turn on their way to white: `python -m benchmarks.hue_to_white`.

Tints are exposed more and more, by the exposure correction and in a ramp that fills the sensor, and the hue of what is
rendered (OKLab; Ottosson 2020) is compared with that of the darkest rendering or of L* 50, up to L* 95.
"""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from numpy.typing import NDArray
from skimage.color import rgb2lab
from tests.photographs import Sensor, source_of

from bruto.color.spaces import decode_srgb
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe

TINTS = {
    "yellow petal": (200, 150, 20), "orange": (190, 100, 40), "red": (150, 40, 40), "pink": (180, 110, 130),
    "skin": (180, 130, 105), "blue sky": (110, 140, 180), "deep blue": (40, 60, 140), "cyan": (60, 150, 160),
    "green": (60, 120, 60), "sunset": (200, 130, 90), "violet": (120, 80, 150),
}  # fmt: skip
"""SRGB codes."""
DARK = 0.06
"""Light of white on the sensor, so that nothing is full there."""
EXPOSURES = np.arange(2.5, 8.01, 0.25)
LIGHTEST, LEAST_CHROMA, SIDE = 95.0, 2.0, 60
TO_LMS = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]]
)  # fmt: skip
TO_AB = np.array([[1.9779984951, -2.4285922050, 0.4505937099], [0.0259040371, 0.7827717662, -0.8086757660]])


def hue(code: NDArray[np.float64]) -> float:
    """OKLab hue of an sRGB code, degrees."""
    a, b = TO_AB @ np.cbrt(TO_LMS @ decode_srgb(code / 255.0))
    return float(np.degrees(np.arctan2(b, a)))


def worst_of(codes: NDArray[np.float64], first: float) -> tuple[float, float, float]:
    """Largest turn from the hue `first` of codes (n, 3) up to `LIGHTEST`, degrees, with lightness and chroma there."""
    worst = (0.0, 0.0, 0.0)
    for code, (lightness, a, b) in zip(codes, rgb2lab(codes[None] / 255.0)[0], strict=True):
        turn, chroma = abs((hue(code) - first + 180) % 360 - 180), float(np.hypot(a, b))
        if lightness <= LIGHTEST and chroma > LEAST_CHROMA and turn > worst[0]:
            worst = (turn, float(lightness), chroma)
    return worst


def by_correction() -> dict[str, tuple[float, float, float]]:
    """What each tint turns by under more and more exposure correction."""
    light = np.zeros((160, SIDE * len(TINTS), 3), np.float32)
    for k, code in enumerate(TINTS.values()):
        light[:, SIDE * k : SIDE * (k + 1)] = decode_srgb(np.array(code) / 255.0)
    sensor = Sensor(a=1e-7, b=1e-10, bits=16, black=0.0, gains=(1.9, 1.0, 1.8))
    rows = []
    with TemporaryDirectory() as folder:
        developer = Developer(source_of(Path(folder), light, sensor, seed=-1, scale=DARK))
        for exposure in EXPOSURES:
            recipe = Recipe(exposure=float(exposure), sharpness=0.0, luminance_noise=0.0, chroma_noise=0.0)
            picture = developer.render(recipe).astype(float)[60:100]
            middles = range(SIDE // 2, light.shape[1], SIDE)
            rows.append([picture[:, m - 10 : m + 10].reshape(-1, 3).mean(axis=0) for m in middles])
    codes = np.array(rows)
    return {name: worst_of(codes[:, k], hue(codes[0, k])) for k, name in enumerate(TINTS)}


def by_clipping() -> dict[str, tuple[float, float, float]]:
    """What a ramp of each tint turns by, from dark to four times the light that fills the sensor."""
    stops = 2.0 ** np.linspace(-5.0, 2.2, 480)
    found = {}
    for name, code in TINTS.items():
        tint = decode_srgb(np.array(code) / 255.0)
        light = np.broadcast_to(stops[:, None] * (tint / tint.max()), (200, 480, 3)).astype(np.float32)
        with TemporaryDirectory() as folder:
            sensor = Sensor(a=2e-4, b=1e-7, gains=(1.9, 1.0, 1.8))
            developer = Developer(source_of(Path(folder), light, sensor, seed=-1))
        codes = developer.render(Recipe()).astype(float)[90:110].mean(axis=0)
        lightness = rgb2lab(codes[None] / 255.0)[0, :, 0]
        middle = np.abs(lightness - 50).argmin()
        found[name] = worst_of(codes[lightness >= 50], hue(codes[middle]))
    return found


def main() -> None:
    """Print the largest turn of each tint, with lightness and chroma there."""
    for title, found in (("by correction", by_correction()), ("through clipping", by_clipping())):
        for name, (turn, lightness, chroma) in found.items():
            print(f"{title}: {name:14} {turn:4.1f} degrees at L* {lightness:.0f}, chroma {chroma:.0f}")


if __name__ == "__main__":
    main()
