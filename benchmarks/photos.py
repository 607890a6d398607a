"""Demosaicing and noise reduction on real photographs, against general-purpose libraries: `./run bench --quality`.

Photographs that scikit-image ships are taken as linear light after sRGB decoding; mosaics and noise are made from them.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from skimage import data
from skimage.restoration import denoise_wavelet

from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.develop.demosaic import demosaic
from bruto.develop.steps.noise import reduce_noise

PHOTOS = ("coffee", "chelsea", "rocket", "stereo_motorcycle")
LEVELS = ((2e-3, 2e-5), (8e-3, 2e-4))
"""Noise: a, b of variance a x + b."""
LIGHT = 0.6
"""Scale of the light before noise, so that little is full."""


def photo(name: str) -> NDArray[np.float32]:
    """Linear light (H, W, 3), even sizes."""
    found = getattr(data, name)()
    picture = found[0] if isinstance(found, tuple) else found
    h, w = picture.shape[0] // 2 * 2, picture.shape[1] // 2 * 2
    return decode_srgb(picture[:h, :w, :3] / 255.0).astype(np.float32)


def psnr(a: NDArray[Any], b: NDArray[Any], border: int = 8) -> float:
    """dB of two pictures 0..1, without their borders."""
    inner = (slice(border, -border), slice(border, -border))
    return float(-10 * np.log10(np.mean((np.clip(a[inner], 0, 1) - np.clip(b[inner], 0, 1)) ** 2)))


def mosaic_of(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """RGGB sites of a picture."""
    out = light[..., 1].copy()
    out[0::2, 0::2], out[1::2, 1::2] = light[0::2, 0::2, 0], light[1::2, 1::2, 2]
    return out


def demosaicing() -> dict[str, Any]:
    """PSNR in linear light of ours and of Menon 2007 as colour-demosaicing has it."""
    from colour_demosaicing import demosaicing_CFA_Bayer_Menon2007

    result = {}
    for name in PHOTOS:
        light = photo(name)
        mosaic = mosaic_of(light)
        theirs = demosaicing_CFA_Bayer_Menon2007(mosaic, "RGGB")
        result[name] = {"own": psnr(demosaic(mosaic, "RGGB"), light), "menon_2007": psnr(theirs, light)}
    return result


def _noisy(light: NDArray[Any], a: float, b: float, seed: int) -> NDArray[np.float32]:
    noise = np.random.default_rng(seed).standard_normal(light.shape)
    return (light + noise * np.sqrt(a * light + b)).astype(np.float32)


def wavelets(codes: NDArray[Any]) -> NDArray[Any]:
    """BayesShrink wavelets in YCbCr on the encoded picture, as scikit-image has them."""
    return denoise_wavelet(codes, channel_axis=-1, convert2ycbcr=True, method="BayesShrink", rescale_sigma=True)


def quick(light: NDArray[np.float32], a: float, b: float, kind: str = "plain") -> NDArray[np.float32]:
    """Our quick grade at 1.0 times the measured noise."""
    noise = np.array([[a, b]] * 3)
    return reduce_noise(light, noise, 1.0, 1.0, kind, np.ones((1, 1), np.float32))


def best(light: NDArray[np.float32], a: float, b: float, kind: str = "plain") -> NDArray[np.float32]:
    """Our best grade."""
    return reduce_noise(light, np.array([[a, b]] * 3), 1.0, 1.0, kind, np.ones((1, 1), np.float32), best=True)


def denoising(methods: dict[str, Callable[..., NDArray[Any]]], photos: tuple[str, ...] = PHOTOS) -> dict[str, Any]:
    """PSNR in sRGB encoding (light / LIGHT) of each method, of the noisy picture and of wavelets; `mosaic`: the same
    after a noisy mosaic is demosaiced.
    """
    result: dict[str, Any] = {}
    for name in photos:
        truth = photo(name) * LIGHT
        wanted = encode_srgb(truth)
        for k, (a, b) in enumerate(LEVELS):
            noisy = _noisy(truth, a, b, 3 + k)
            row = {"noisy": psnr(encode_srgb(noisy), wanted), "wavelet": psnr(wavelets(encode_srgb(noisy)), wanted)}
            for title, method in methods.items():
                row[title] = psnr(encode_srgb(method(noisy, a, b)), wanted)
            mosaic = demosaic(_noisy(mosaic_of(truth), a, b, 30 + k), "RGGB")
            row["mosaic_noisy"] = psnr(encode_srgb(mosaic), wanted)
            row["mosaic_wavelet"] = psnr(wavelets(encode_srgb(mosaic)), wanted)
            row["mosaic_quick"] = psnr(encode_srgb(quick(mosaic, a, b, "mosaic")), wanted)
            row["mosaic_best"] = psnr(encode_srgb(best(mosaic, a, b, "mosaic")), wanted)
            result[f"{name}, a = {a:g}"] = row
    return result


def seconds_per_mp(method: Callable[..., NDArray[Any]], megapixels: float = 3.0) -> float:
    """Best of three on a picture of that size."""
    light = photo("coffee")
    times = int(np.ceil(np.sqrt(megapixels * 1e6 / (light.shape[0] * light.shape[1]))))
    large = np.tile(light, (times, times, 1))
    took = []
    for _ in range(3):
        began = time.perf_counter()
        method(large, *LEVELS[0])
        took.append(time.perf_counter() - began)
    return min(took) / (large.shape[0] * large.shape[1] / 1e6)


if __name__ == "__main__":
    import json

    print(json.dumps(demosaicing(), indent=1))
    rows = denoising({"quick": quick, "best": best})
    for name, row in rows.items():
        gains = {k: round(row[k] - row["mosaic_wavelet" if k.startswith("mosaic") else "wavelet"], 2) for k in row}
        print(name, {k: round(v, 2) for k, v in row.items()}, "over wavelets:", gains)
    print("s/MP: quick", seconds_per_mp(quick), "best", seconds_per_mp(best))
