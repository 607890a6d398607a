"""Nights of another phone: stars, ground, weather and clocks made here alone, with nothing of the simulated phone.

Stars lie evenly on a sphere, in magnitudes as the sky's (their count grows by 10^0.5 each), and are drawn as points
that move during the exposure; the sky glows, brighter towards one side; ground is a jagged line. What happens to a
frame (clouds that drift, dew, a push, a lamp, another scene) is asked for by its number.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tests.again import write_dng
from tests.photographs import Sensor, seen, tags_of

DAY_S = 86164.1
"""Of the sky's turn."""
STEPS = 5
"""Moments at which a moving star is drawn in an exposure."""


SENSOR = Sensor(a=1.6e-3, b=6e-6, gains=(1.9, 1.0, 1.8))


@dataclass(frozen=True)
class Night:
    """What a sequence is like; numbers of frames in `clouded`, `dewed`, `pushed`, `lit` are 0-based."""

    frames: int = 24
    size: tuple[int, int] = (1512, 1134)
    focal_px: float = 1150.0
    pole: tuple[float, float] = (0.5, -0.35)
    """Where the pole stands, shares of the width and the height from the upper left."""
    stars: int = 700
    """In the frame, about, up to the faintest."""
    distortion: float = 0.0
    """Share by which a corner lies farther out."""
    exposure_s: float = 15.0
    pace_s: float = 16.5
    iso: float = 1600.0
    psf_px: float = 0.9
    sky: float = 0.03
    """Of saturation."""
    glow: float = 0.5
    """Times the sky that is added towards the left."""
    twilight: float = 0.0
    """Times the sky that is added at the beginning and falls away."""
    moonrise: float = 0.0
    """Times the sky that is added until the end."""
    ground: bool = True
    lamp: bool = False
    """A lamp that shines all the time, at the ground."""
    lit: tuple[int, ...] = ()
    clouded: dict[int, float] | None = None
    """Share of the sky that is covered, by frame."""
    dewed: tuple[int, ...] = ()
    pushed: tuple[int, ...] = ()
    clock: str = "seconds"
    """"exact", "seconds", "equal", "none", "wrong", or "no exif"."""
    sensor: Sensor = SENSOR
    seed: int = 1

    @property
    def bad(self) -> set[int]:
        """Frames that must not be used."""
        clouds = {k for k, share in (self.clouded or {}).items() if share >= 0.6}
        return clouds | set(self.dewed) | set(self.pushed)

    @property
    def doubtful(self) -> set[int]:
        """Frames of which either is right."""
        return {k for k, share in (self.clouded or {}).items() if 0.2 <= share < 0.6} | set(self.lit)


class Sky:
    """The light of a night's frames."""

    def __init__(self, night: Night) -> None:
        self.night = night
        random = np.random.default_rng(night.seed)
        w, h = night.size
        pole = self._ray(np.array([night.pole[0] * w, night.pole[1] * h]))
        self.pole = pole / np.linalg.norm(pole)
        count = int(night.stars / (4 * np.arctan(w / 2 / night.focal_px) * np.arctan(h / 2 / night.focal_px) / 12.57))
        rays = random.normal(size=(count, 3))
        self.rays = rays / np.linalg.norm(rays, axis=1)[:, None]
        self.light = 10 ** (0.8 * -np.log10(np.maximum(random.random(count), 1e-6)))  # N(> light) as light^-1.25
        self.light *= 0.12  # the faintest, of saturation and of one second's sum at the reference sky
        tint = random.normal(0, 0.12, (count, 1)) * np.array([[1.0, 0.0, -1.0]])
        self.tint = np.exp(tint)
        x = np.linspace(0, 1, w)
        ridge = (
            0.82
            + 0.05 * np.sin(5 * x + night.seed)
            + 0.02 * np.sin(23 * x)
            + 0.01 * random.normal(size=w).cumsum() / 30
        )
        self.ground = np.arange(h)[:, None] > (ridge * h)[None, :] if night.ground else np.zeros((h, w), bool)
        self.texture = cv2.GaussianBlur(random.random((h, w)).astype(np.float32), (0, 0), 1.2)
        self.cover = cv2.resize(
            random.normal(size=(24, 96)).astype(np.float32), (w * 4, h), interpolation=cv2.INTER_CUBIC
        )
        self.random = random

    def _ray(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        w, h = self.night.size
        x, y = (places[..., 0] - w / 2) / self.night.focal_px, (places[..., 1] - h / 2) / self.night.focal_px
        return np.stack([x, y, np.ones_like(x)], axis=-1)

    def places(self, at_s: float) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        """Where the stars stand, pixels, and which are in front."""
        turn, axis = 2 * np.pi * at_s / DAY_S, self.pole
        along = self.rays @ axis
        rays = (
            self.rays * np.cos(turn) + np.cross(axis, self.rays) * np.sin(turn)
            + along[:, None] * axis * (1 - np.cos(turn))
        )  # fmt: skip
        w, h = self.night.size
        ahead = rays[:, 2] > 0.2
        flat = rays[:, :2] / np.where(ahead, rays[:, 2], 1)[:, None]
        corner = np.hypot(w, h) / 2 / self.night.focal_px
        flat *= 1 + self.night.distortion * (flat**2).sum(axis=1, keepdims=True) / corner**2
        return flat * self.night.focal_px + [w / 2, h / 2], ahead

    def frame(self, number: int) -> NDArray[np.float32]:
        """Light (H, W, 3) of a frame, of saturation."""
        night = self.night
        w, h = night.size
        part = number / max(night.frames - 1, 1)
        start = number * night.pace_s
        points = np.zeros((h, w, 3), np.float32)
        psf = 3.0 if number in night.dewed else night.psf_px
        for step in range(STEPS):
            places, ahead = self.places(start + night.exposure_s * (step + 0.5) / STEPS)
            inside = ahead & (places > 0).all(axis=1) & (places < [w - 2, h - 2]).all(axis=1)
            x, y = places[inside].T
            i, j = np.floor(y).astype(int), np.floor(x).astype(int)
            fy, fx = y - i, x - j
            light = (self.light[inside, None] * self.tint[inside]) / STEPS
            for dy, wy in ((0, 1 - fy), (1, fy)):
                for dx, wx in ((0, 1 - fx), (1, fx)):
                    np.add.at(points, (i + dy, j + dx), light * (wy * wx)[:, None])
        points = cv2.GaussianBlur(points, (0, 0), psf)
        level = night.sky * (1 + night.twilight * np.exp(-6 * part) + night.moonrise * part)
        glow = level + night.sky * night.glow * np.linspace(1, 0, w, dtype=np.float32)[None, :] ** 2
        sky = glow[..., None] * np.array([0.9, 1.0, 1.15], np.float32)
        covered = (night.clouded or {}).get(number, 0.0)
        light = np.broadcast_to(sky, (h, w, 3)) + points
        if covered > 0:
            drift = self.cover[:, (number * 97) % (3 * w) :][:, :w]
            edge = np.quantile(drift, 1 - covered)
            cloud = np.clip((drift - edge) * 4 + 0.5, 0, 1)[..., None] * 0.97
            light = light * (1 - cloud) + cloud * sky * 1.8
        ground = 0.25 * night.sky * (0.4 + self.texture[..., None]) * np.array([1.1, 1.0, 0.8], np.float32)
        if number in night.lit:
            ground = ground * 12
        light = np.where(self.ground[..., None], ground, light)
        if night.lamp:
            y, x = np.mgrid[:h, :w]
            light = light + (1.5 * np.exp(-((x - 0.8 * w) ** 2 + (y - 0.85 * h) ** 2) / 18))[..., None]
        if number in night.pushed:  # all of it moves
            path = np.cumsum(np.random.default_rng(number).normal(0, 2.5, (2 * STEPS, 2)), axis=0) + [2, 0]
            moved = [cv2.warpAffine(light, np.float32([[1, 0, x], [0, 1, y]]), (w, h), borderMode=1) for x, y in path]
            light = np.mean(moved, axis=0)
        if number in night.dewed:
            light = cv2.GaussianBlur(light, (0, 0), 2.0)
        return light.astype(np.float32)


def taken(night: Night, number: int) -> str:
    """What the file says of its time."""
    begin = datetime(2031, 5, 4, 22, 0, 0)
    moment = begin + timedelta(seconds=number * night.pace_s)
    if night.clock in ("none", "no exif"):
        return ""
    if night.clock == "equal":
        moment = begin
    if night.clock == "wrong" and number >= night.frames // 2:
        moment += timedelta(hours=1)
    return f"{moment:%Y:%m:%d %H:%M:%S}"


def save(night: Night, folder: Path) -> Iterator[Path]:
    """Write the frames as raws, one after the other."""
    sky = Sky(night)
    sensor = replace(night.sensor, iso=night.iso, exposure_s=night.exposure_s)
    known = {"make": "Korvan", "model": "Korvan L5"}
    if night.clock == "no exif":
        known = dict.fromkeys(("iso", "exposure_s", "f_number", "focal_mm", "focal_35mm")) | {"make": "", "model": ""}
    for number in range(night.frames):
        light = sky.frame(number)
        plane = seen(light, sensor, scale=1.0).astype(float)
        random = np.random.default_rng(1000 * night.seed + number)
        plane = plane + random.standard_normal(plane.shape) * np.sqrt(sensor.a * plane + sensor.b)
        codes = np.clip(np.round(plane * (sensor.white - sensor.black) + sensor.black), 0, sensor.white).astype(
            np.uint16
        )
        tags = replace(tags_of(sensor), taken=taken(night, number), **known)
        preview = np.clip(255 * np.clip(light[::2, ::2] * 4, 0, 1) ** 0.45, 0, 255).astype(np.uint8)
        path = folder / f"N{number:04d}.dng"
        write_dng(path, codes, tags, preview)
        yield path
