"""The cosine filter against a plain version of it, block by block; coarse parts against OpenCV."""

from __future__ import annotations

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.fft import dctn, idctn

from bruto.develop.steps.dct import SIDE, THRESHOLD, WIENER, WINDOW, denoise_plane
from bruto.develop.steps.noise import COARSE, _add_coarse, _coarse_of


def plain_filter(plane: NDArray, sigma: NDArray, gain: NDArray, stride: int, pilot: NDArray | None) -> NDArray:
    """Every block by itself: a threshold, or Wiener's filter where there is a pilot."""
    pad = SIDE - stride
    h, w = plane.shape
    padded = [np.pad(p, ((pad, SIDE), (pad, SIDE)), "reflect") for p in (plane, plane if pilot is None else pilot)]
    total, weight = np.zeros((2, *padded[0].shape))
    for top in range(0, h + pad, stride):
        row = gain[min(max(top - pad + 4, 0) * gain.shape[0] // h, gain.shape[0] - 1)]
        for left in range(0, w + pad, stride):
            place = (slice(top, top + SIDE), slice(left, left + SIDE))
            c, p = (dctn(known[place].astype(float), norm="ortho") for known in padded)
            noise = sigma * row[min(max(left - pad + 4, 0), w - 1)]
            keep = (np.abs(c) > noise).astype(float) if pilot is None else p**2 / (p**2 + noise**2)
            keep[0, 0] = 1
            share = np.outer(WINDOW, WINDOW) / (keep**2).sum()
            total[place] += share * idctn(c * keep, norm="ortho")
            weight[place] += share
    inner = (slice(pad, pad + h), slice(pad, pad + w))
    return total[inner] / weight[inner]


class Filter(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(4)
        ramp = np.linspace(0, 30, 41)[:, None] + 10 * np.sin(np.arange(53) / 5)
        self.plane = (ramp + random.standard_normal(ramp.shape)).astype(np.float32)
        self.sigma = random.uniform(0.5, 1.5, (SIDE, SIDE)).astype(np.float32)
        self.gain = random.uniform(0.8, 1.3, (3, 53)).astype(np.float32)

    def test_wiener_with_the_threshold_as_pilot(self) -> None:
        for stride in (2, 4):
            found = denoise_plane(self.plane, self.sigma, 1.2, self.gain, stride)
            pilot = plain_filter(self.plane, self.sigma * 1.2 * THRESHOLD, self.gain, stride, None)
            wanted = plain_filter(self.plane, self.sigma * 1.2 * WIENER, self.gain, stride, pilot)
            np.testing.assert_allclose(found, wanted, atol=2e-4)

    def test_tiles_have_no_seams(self) -> None:
        plane = np.random.default_rng(5).standard_normal((150, 700)).astype(np.float32)
        sigma, gain = np.ones((SIDE, SIDE), np.float32), np.ones((1, 700), np.float32)
        for stride in (2, 4):
            whole = denoise_plane(plane, sigma, 1.0, gain, stride)
            part = denoise_plane(np.ascontiguousarray(plane[32:128, 240:640]), sigma, 1.0, gain[:, :400], stride)
            np.testing.assert_allclose(part[24:-24, 24:-24], whole[56:104, 264:616], atol=2e-5)


class Coarse(unittest.TestCase):
    def test_reduced_and_added_as_opencv_does(self) -> None:
        plane = np.random.default_rng(6).random((43, 61)).astype(np.float32)
        small = np.empty((10, 15), np.float32)
        _coarse_of(plane, small)
        whole = (slice(0, 10 * COARSE), slice(0, 15 * COARSE))
        np.testing.assert_allclose(small, cv2.resize(plane[whole], (15, 10), interpolation=cv2.INTER_AREA), atol=1e-6)
        wanted = plane.copy()
        wanted[whole] += cv2.resize(small, (15 * COARSE, 10 * COARSE), interpolation=cv2.INTER_LINEAR)
        _add_coarse(small, plane)
        np.testing.assert_allclose(plane, wanted, atol=1e-6)


if __name__ == "__main__":
    unittest.main()
