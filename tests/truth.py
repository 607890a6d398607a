"""What is known of the simulated scenes, and the measures taken against it (by tests and by the benchmarks)."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.color.adaptation import bradford
from bruto.color.difference import delta_e00
from bruto.color.spaces import D65_XYZ, working_to_xyz, xyz_to_lab
from bruto.container.linearisation import linearise
from bruto.container.raw_frame import RawFrame
from bruto.develop.demosaic import demosaic
from bruto.simphone import sensor_model as sm
from bruto.simphone import spectral
from bruto.simphone.capture import Capture, Phone
from bruto.simphone.scene import load_scene
from bruto.simphone.tracer import Tracer
from bruto.simphone.view import view_of

COLORS = 24
"""Patches of the chart: 18 colours and 6 neutrals (the grey card is patch 24)."""


def true_white(phone: Phone) -> NDArray[np.float64]:
    """XYZ of a perfect white under the scene's light, Y = 1."""
    light = spectral.illuminant(phone.scene.kelvin, phone.scene.tungsten)
    return spectral.tristimulus(np.ones((81, 1)), light)[0]


def patch_masks(phone: Phone, step: int = 4) -> dict[int, NDArray[np.int64]]:
    """Pixel positions (N, 2) as (y, x) well inside each chart patch, on a grid of `step` pixels."""
    view = view_of(phone.scene, phone.width, phone.height)
    tracer = Tracer(phone.scene)
    ys, xs = np.mgrid[step : phone.height - step : step, step : phone.width - step : step]
    seen = []
    for dy, dx in ((0, 0), (-step, -step), (-step, step), (step, -step), (step, step)):
        d = view.directions(xs.ravel() + dx + 0.5, ys.ravel() + dy + 0.5)
        _, patch, _ = tracer.radiance(np.broadcast_to(view.eye.astype(np.float32), d.shape), d, 1e-4)
        seen.append(patch)
    inside = np.all([p == seen[0] for p in seen[1:]], axis=0)
    return {
        k: np.stack([ys.ravel()[m], xs.ravel()[m]], axis=1)
        for k in range(25)
        if (m := inside & (seen[0] == k)).sum() >= 6
    }


def chart_error(
    phone: Phone, working: NDArray[np.float32], masks: dict[int, NDArray[Any]] | None = None
) -> NDArray[Any]:
    """CIEDE2000 of each patch of a linear Rec. 2020 picture against the scene, adapted to D65, at equal brightness."""
    masks = patch_masks(phone) if masks is None else masks
    m = round(0.02 * phone.width)
    adapt = bradford(true_white(phone), D65_XYZ)
    found, truth = [], []
    for k in range(COLORS):
        if k not in masks:
            continue
        y, x = masks[k].T
        truth.append(np.asarray(phone.truth[m + y, m + x], float).mean(axis=0) @ adapt.T)
        found.append(working[y, x].astype(float).mean(axis=0) @ working_to_xyz().T)
    found_xyz, true_xyz = np.array(found), np.array(truth)
    # white of the chart is 88 %; light over the chart is the scene's own, so only one factor is free
    scale = np.median(true_xyz[:, 1] / found_xyz[:, 1])
    unit = 0.88 / true_xyz[:, 1].max()
    return delta_e00(xyz_to_lab(found_xyz * scale * unit), xyz_to_lab(true_xyz * unit))


def ideal_rgb(capture: Capture) -> NDArray[np.float32]:
    """Camera RGB (H, W, 3) of a capture without noise, through the same demosaicing, before the shading gain."""
    if capture.ideal.ndim == 3:
        return capture.ideal
    gains = 1 / capture.neutral
    quad = np.array([gains[0], gains[1], gains[1], gains[2]], np.float32).reshape(2, 2)
    h, w = capture.ideal.shape
    balanced = capture.ideal * np.tile(quad, (h // 2, w // 2))
    return demosaic(balanced, "RGGB") * capture.neutral.astype(np.float32)


def plain_linear(frame: RawFrame) -> NDArray[np.float32]:
    """Linear light of a frame without its shading gain."""
    return linearise(RawFrame(frame.codes, replace(frame.meta, gain_maps=()))).data


def true_noise(iso: float, megapixels: int = 12) -> tuple[float, float]:
    """(a, b) of the simulated sensor."""
    return sm.sensor_for(megapixels).noise(iso)


def relative_sigma(found: NDArray[Any], a: float, b: float, at: float) -> float:
    """Standard deviation by found (a, b) over the true one, at a signal."""
    return float(np.sqrt((found[0] * at + found[1]) / (a * at + b)))


def scene_tilt(scene: str) -> float:
    """How far the simulated phone looks up in a scene, degrees."""
    found = load_scene(scene)
    x, y, z = np.asarray(found.target) - np.asarray(found.eye)
    return math.degrees(math.atan2(y, math.hypot(x, z)))
