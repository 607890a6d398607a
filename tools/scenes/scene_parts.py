"""What the scenes are built of: the scene itself, sky, water, ground, hills, things that stand about."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from bruto.simphone import texture as tx
from tools.scenes.geometry import Builder, rotation


def _direction(azimuth: float, elevation: float) -> NDArray[np.float64]:
    """Compute the unit vector; azimuth in degrees from +z to +x, elevation in degrees."""
    a, e = math.radians(azimuth), math.radians(elevation)
    return np.array([math.sin(a) * math.cos(e), math.sin(e), math.cos(a) * math.cos(e)])


def _sky(zenith, horizon, sun, glow, sharpness, cover, cloud, scale, seed, ground, shade) -> NDArray[np.float64]:
    return np.array([*zenith, *horizon, *sun, *glow, sharpness, cover, *cloud, scale, seed, *ground, *shade], float)


def _waves(x, z, seed, scales) -> NDArray[np.float64]:
    """Smooth random height from a sum of sines; (m, n) for grids x (n,), z (m,)."""
    random = np.random.default_rng(seed)
    gx, gz = np.meshgrid(x, z)
    total = np.zeros_like(gx)
    for wavelength, amplitude in scales:
        for _ in range(7):
            a, p = random.uniform(0, 2 * np.pi, 2)
            k = 2 * np.pi / wavelength * random.uniform(0.7, 1.4)
            total += amplitude / 2.6 * np.sin(k * (gx * math.cos(a) + gz * math.sin(a)) + p)
    return total


def _pans_ground(x, z, seed, cross, along, skew=0.0) -> NDArray[np.float64]:
    """Clay dykes around the pans: ridges along given lines, with a lumpy surface.

    The pans' floors lie below the brine.
    """
    gx, gz = np.meshgrid(x, z)
    rough = _waves(x, z, seed, [(2.3, 0.030), (0.9, 0.020), (0.35, 0.012), (0.14, 0.006)])
    wander = _waves(x, z, seed + 1, [(9.0, 0.14), (3.0, 0.05)])
    best = np.full_like(gx, -1.0)
    for position, width, height in cross:
        d = np.abs(gz + skew * gx + wander - position)
        best = np.maximum(best, height * np.clip(1.35 - d / width, -3, 1))
    for position, width, height in along:
        d = np.abs(gx + wander - position)
        best = np.maximum(best, height * np.clip(1.35 - d / width, -3, 1))
    return np.where(best > -0.5, np.maximum(best, -0.3) + rough * (best > -0.2), -0.3)


def _water(b: Builder, x0, x1, z0, z1, y=0.0) -> None:
    b.add(
        [[x0, y, z0], [x1, y, z0], [x0, y, z1], [x1, y, z1]],
        [[0, 2, 1], [1, 2, 3]],
        tx.WATER,
        normals=[[0, 1, 0]] * 4,
        seed=5,
    )


def _hills(b: Builder, seed: int) -> None:
    for distance, height, depth, k in ((330.0, 17.0, 60, 0), (620.0, 44.0, 160, 1)):
        x = np.linspace(-900, 900, 700)
        z = np.linspace(distance, distance + depth * 2, 60)
        shape = _waves(x, z, seed + k, [(420, 0.5), (170, 0.3), (70, 0.11), (24, 0.035), (9, 0.012)])
        profile = np.sin(np.clip((z - distance) / depth, 0, 1) * np.pi / 2)[:, None]
        b.ground(x, z, height * profile * np.maximum(0.05, 0.75 + shape) - 0.6, tx.GRASS)


def _wind_pump(b: Builder, base, height: float, yaw: float) -> None:
    base = np.asarray(base, float)
    turn = rotation(yaw=yaw)
    top = base + [0, height, 0]
    for sx, sz in ((-1, -1), (-1, 1), (1, -1), (1, 1)):
        b.beam(
            base + turn @ [0.9 * sx, 0, 0.9 * sz],
            top + turn @ [0.12 * sx, 0, 0.12 * sz],
            0.09,
            0.09,
            tx.WOOD,
            tint=(0.75, 0.75, 0.78),
        )
    for level in np.linspace(0.12, 0.88, 5):
        r = 0.9 + (0.12 - 0.9) * level
        y = height * level
        for (ax, az), (bx, bz) in (((-1, -1), (1, -1)), ((1, -1), (1, 1)), ((-1, 1), (1, 1)), ((-1, -1), (-1, 1))):
            b.beam(base + turn @ [r * ax, y, r * az], base + turn @ [r * bx, y, r * bz], 0.05, 0.05, tx.WOOD)
            if level < 0.8:
                r2 = 0.9 + (0.12 - 0.9) * (level + 0.19)
                b.beam(
                    base + turn @ [r * ax, y, r * az],
                    base + turn @ [r2 * bx, y + 0.19 * height, r2 * bz],
                    0.03,
                    0.03,
                    tx.IRON,
                )
    hub = top + turn @ [0, 0.25, -0.5]
    b.tube(hub, hub + turn @ [0, 0, 1.1], 0.09, tx.IRON)
    for k in range(14):
        a = 2 * math.pi * k / 14
        blade = turn @ rotation(roll=a)
        b.box(hub + blade @ [0, 0.98, 0], (0.27, 1.05, 0.02), tx.RUST, turn=blade @ rotation(yaw=0.5))
        b.beam(hub, hub + blade @ [0, 0.6, 0], 0.03, 0.03, tx.IRON)
    b.box(hub + turn @ [0, 0, 2.0], (0.02, 0.85, 1.1), tx.RUST, turn=turn)
    b.beam(hub, hub + turn @ [0, 0, 1.8], 0.05, 0.05, tx.IRON)


def _clutter(b: Builder, ground: Callable[[float, float], float]) -> None:
    """Traces of people: a rake, a barrow, baskets, a plank walk."""
    y = ground(-1.35, 4.6)
    b.beam((-1.9, y + 0.05, 4.3), (-0.75, y + 0.62, 6.2), 0.035, 0.035, tx.WOOD, tint=(1.1, 1.0, 0.9))
    b.box((-1.93, y + 0.05, 4.27), (0.7, 0.12, 0.03), tx.WOOD, turn=rotation(yaw=0.55), grain=0)
