"""The places of Orrin Saltern, an invented tidal salt works: geometry, light and camera of each scene.

Light is in photometric units: illuminance in lux, luminance in cd/m2, as three coefficients of the reflectance basis
(`spectral.reflectance_basis`) under the scene's one reference illuminant.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bruto.errors import BrutoError
from bruto.simphone import texture as tx
from bruto.simphone.geometry import Builder, Mesh, rotation


@dataclass(frozen=True)
class Scene:
    """One place: what stands there, how it is lit, and from where it is taken.

    `sun_lux`: illuminance on a surface facing the sun, (3,). `sky`: the 25 numbers of `texture.sky_radiance`.
    `lamps`: rows of position (3), intensity in candela (3), for small lamps. `ambient`: (3,) illuminance in lux used
    where the baked light does not reach (inside mirror images). `kelvin`: correlated colour temperature of the
    reference illuminant; `tungsten` takes a Planckian radiator instead of a daylight phase.
    """

    name: str
    title: str
    mesh: Mesh
    eye: tuple[float, float, float]
    target: tuple[float, float, float]
    sun_direction: NDArray[np.float64]
    sun_lux: NDArray[np.float64]
    sky: NDArray[np.float64]
    ambient: NDArray[np.float64]
    kelvin: float
    key_lux: float
    tungsten: bool = False
    haze_distance: float = 0.0
    ripple: float = 0.02
    brine: tuple[float, float, float] = (0.020, 0.032, 0.030)
    lamps: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 6)))
    patches: NDArray[np.float64] | None = None  # corners of the chart's patches in the world, (P, 4, 3)


def _direction(azimuth: float, elevation: float) -> NDArray[np.float64]:
    """Unit vector; azimuth in degrees from +z to +x, elevation in degrees."""
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
    """Clay dykes around the pans: ridges along given lines, with a lumpy surface; the pans' floors lie below the
    brine.
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


def pans() -> Scene:
    """The pans at noon: hard sun, broken cloud, dykes, salt heaps, sheds, the wind pump and hills beyond."""
    b = Builder(11)
    cross = [
        (2.9, 0.42, 0.16),
        (9.3, 0.45, 0.17),
        (17.0, 0.5, 0.18),
        (27.5, 0.6, 0.2),
        (41.0, 0.8, 0.24),
        (60, 1.0, 0.3),
        (86, 1.6, 0.34),
    ]
    along = [
        (-13.5, 0.6, 0.2),
        (-4.6, 0.5, 0.18),
        (2.4, 0.62, 0.22),
        (10.5, 0.5, 0.18),
        (21, 0.6, 0.2),
        (36, 0.8, 0.24),
        (-26, 0.8, 0.24),
        (-44, 1, 0.26),
    ]
    near_x, near_z = np.arange(-9, 9, 0.035), np.arange(0.6, 15, 0.035)
    far_x, far_z = np.arange(-70, 70, 0.22), np.arange(15 - 0.22, 120, 0.22)
    b.ground(near_x, near_z, _pans_ground(near_x, near_z, 3, cross, along, 0.16), tx.CLAY, seed=101)
    b.ground(far_x, far_z, _pans_ground(far_x, far_z, 3, cross, along, 0.16), tx.CLAY, seed=101)
    for x0, x1 in ((-70, -8.9), (8.9, 70)):
        x, z = np.arange(x0, x1, 0.22), np.arange(0.5, 15, 0.22)
        b.ground(x, z, _pans_ground(x, z, 3, cross, along, 0.16), tx.CLAY, seed=101)
    x, z = np.linspace(-900, 900, 300), np.linspace(118, 360, 60)
    b.ground(x, z, 0.25 + _waves(x, z, 8, [(60, 0.3), (20, 0.12)]), tx.GRASS)
    _water(b, -80, 80, -2, 119)
    _hills(b, 21)
    for cx, cz, r, h in (
        (2.3, 6.6, 0.72, 0.62),
        (2.5, 8.3, 0.62, 0.5),
        (-4.5, 12.0, 0.95, 0.8),
        (-4.7, 14.2, 0.8, 0.66),
        (3.0, 15.6, 0.9, 0.75),
        (2.6, 19.6, 1.0, 0.85),
        (10.4, 20.0, 1.1, 0.9),
        (10.6, 23.2, 1.1, 0.95),
        (-4.4, 23, 1.1, 0.9),
        (-13.4, 21, 1.2, 1.0),
        (2.5, 25.5, 1.0, 0.9),
    ):
        b.heap((cx, 0.14, cz), r, h)
    b.shed((-8.8, 0.3, 37.5), (5.6, 2.7, 8.4), yaw=0.42, gable=1.7)
    b.shed((-17.5, 0.3, 44), (4.6, 2.4, 6.5), yaw=-0.2, gable=1.5, material=tx.LIMEWASH, tint=(1, 1, 1))
    b.shed((7.8, 0.35, 45), (4.4, 2.3, 6.0), yaw=-0.5, gable=1.4, material=tx.PAINT, tint=(0.30, 0.075, 0.05))
    b.shed((15.5, 0.35, 52), (6.4, 2.9, 9.5), yaw=-0.3, gable=1.9, tint=(0.9, 0.85, 0.8))
    _wind_pump(b, (12.2, 0.3, 33.5), 8.6, 0.5)
    for k, z in enumerate(np.arange(5.2, 40, 3.6).tolist()):
        lean = b.random.normal(0, 0.05, 2)
        b.tube(
            (-4.6 + lean[0], -0.2, z),
            (-4.6 + 3 * lean[0], 0.95 + 0.1 * (k % 3), z + 2 * lean[1]),
            0.055,
            tx.WOOD,
            top=0.045,
        )
    b.tube((-1.35, -0.3, 5.2), (-1.32, 0.75, 5.2), 0.065, tx.WOOD, top=0.055)
    for x in np.arange(0.1, 2.0, 0.24).tolist():
        b.beam((x, 0.13 + 0.01 * math.sin(40 * x), 9.0), (x + 0.05, 0.14, 9.75), 0.2, 0.04, tx.WOOD)
    _clutter(b, lambda x, z: 0.02)
    sun = _direction(-62, 52)
    sky = _sky(
        (1500, 2900, 6000),
        (6400, 8200, 10400),
        sun,
        (9000, 8200, 7000),
        7.0,
        0.68,
        (25000, 25200, 25500),
        0.6,
        301,
        (2600, 2400, 2000),
        (7200, 8000, 9200),
    )
    return Scene(
        "pans",
        "Pans, noon",
        b.mesh(),
        (-0.15, 1.62, 0.0),
        (0.25, 1.35, 10.0),
        sun,
        np.array([80000.0, 76000, 69000]),
        sky,
        np.array([12000.0, 14500, 19000]),
        5600,
        80000,
        haze_distance=1500,
        ripple=0.012,
    )


def boiling_house() -> Scene:
    """The boiling house: dark planks and brick around an iron pan, one bright window and a half-open door."""
    b = Builder(12)
    x, z = np.arange(-4.2, 4.2, 0.03), np.arange(-1.0, 8.2, 0.03)
    b.ground(x, z, _waves(x, z, 4, [(1.5, 0.012), (0.4, 0.008), (0.12, 0.004)]), tx.GRAVEL)
    b.plank_wall(
        (-4, 0, 8.0),
        (1, 0, 0),
        8.0,
        3.1,
        holes=[(1.55, 3.35, 1.15, 2.5), (5.9, 7.0, 0.0, 2.1)],
        gable=1.6,
        tint=(0.85, 0.8, 0.75),
        gap=0.0008,
    )
    b.plank_wall((-4, 0, -1.2), (0, 0, 1), 9.2, 3.1, tint=(0.8, 0.75, 0.7), gap=0.0008)
    b.plank_wall((4, 0, -1.2), (0, 0, 1), 9.2, 3.1, tint=(0.8, 0.75, 0.7), holes=[(2.4, 3.5, 1.2, 2.2)], gap=0.0008)
    b.plank_wall((-4, 0, -1.2), (1, 0, 0), 8.0, 3.1, gable=1.6, gap=0.0)
    for side in (-1, 1):
        b.add(
            [[0, 4.75, -1.6], [0, 4.75, 8.4], [side * 4.4, 3.0, -1.6], [side * 4.4, 3.0, 8.4]],
            [[0, 1, 2], [1, 3, 2]],
            tx.WOOD,
            axis=(0, 0, 1),
            tint=(0.55, 0.5, 0.45),
        )
    for zz in (0.8, 2.9, 5.0, 7.1):
        b.beam((-4, 3.05, zz), (4, 3.05, zz), 0.17, 0.22, tx.WOOD, tint=(0.75, 0.7, 0.62))
        b.beam((0, 3.1, zz), (0, 4.7, zz), 0.14, 0.14, tx.WOOD, tint=(0.7, 0.65, 0.6))
        for side in (-1, 1):
            b.beam((0, 4.62, zz), (side * 4.0, 3.02, zz), 0.12, 0.16, tx.WOOD, tint=(0.7, 0.65, 0.58))
            b.beam((side * 3.9, 0, zz), (side * 3.9, 3.0, zz), 0.17, 0.17, tx.WOOD, tint=(0.8, 0.75, 0.68))
            b.beam((side * 3.85, 2.2, zz), (side * 3.1, 3.0, zz), 0.1, 0.12, tx.WOOD, tint=(0.75, 0.7, 0.62))
    # the furnace of brick with the iron pan on it
    b.box((0.3, 0.36, 4.7), (3.1, 0.72, 2.2), tx.BRICK)
    for dz, size in ((-1.06, (3.3, 0.30, 0.05)), (1.06, (3.3, 0.30, 0.05))):
        b.box((0.3, 0.88, 4.7 + dz), size, tx.RUST)
    for dx in (-1.65, 1.65):
        b.box((0.3 + dx, 0.88, 4.7), (0.05, 0.30, 2.16), tx.RUST)
    b.box((0.3, 0.75, 4.7), (3.26, 0.03, 2.1), tx.RUST)
    b.add(
        [[-1.3, 0.93, 3.68], [1.9, 0.93, 3.68], [-1.3, 0.93, 5.72], [1.9, 0.93, 5.72]],
        [[0, 2, 1], [1, 2, 3]],
        tx.WATER,
        normals=[[0, 1, 0]] * 4,
    )
    b.box((-0.55, 0.34, 3.585), (0.62, 0.42, 0.03), tx.IRON)
    b.box((-0.55, 0.34, 3.56), (0.5, 0.03, 0.04), tx.IRON)
    b.heap((-2.75, 0.0, 5.9), 0.75, 0.8)
    b.heap((-2.9, 0.0, 4.6), 0.5, 0.42)
    for k, (bx, bz) in enumerate(((2.85, 3.2), (3.2, 4.0), (-2.6, 2.9))):
        b.tube((bx, 0, bz), (bx, 0.42, bz), 0.24, tx.CLOTH, top=0.30, tint=(0.34, 0.24, 0.13), sides=40)
        if k < 2:
            b.heap((bx, 0.36, bz), 0.27, 0.20)
    b.tube((2.5, 0, 2.3), (2.5, 0.85, 2.3), 0.31, tx.WOOD, top=0.31, tint=(0.9, 0.7, 0.5), sides=48)
    for yy in (0.12, 0.44, 0.74):
        b.tube((2.5, yy, 2.3), (2.5, yy + 0.05, 2.3), 0.317, tx.IRON, top=0.317, sides=48)
    for k in range(5):
        b.beam(
            (-3.8 + 0.12 * k, 0.0, 3.4 - 0.05 * k),
            (-3.88, 2.5 - 0.08 * k, 3.6 + 0.14 * k),
            0.035,
            0.035,
            tx.WOOD,
            tint=(1.1, 1.0, 0.85),
        )
    b.box((-3.7, 1.65, 6.6), (0.42, 0.04, 1.3), tx.WOOD, grain=2)
    for k in range(5):
        b.tube(
            (-3.68, 1.67, 6.15 + 0.22 * k),
            (-3.68, 1.67 + 0.13 + 0.05 * (k % 2), 6.15 + 0.22 * k),
            0.06,
            tx.PAINT,
            tint=((0.05, 0.12, 0.2), (0.4, 0.35, 0.28), (0.3, 0.1, 0.06))[k % 3],
        )
    # window: frame and bars; door leaf half open
    for px in (-2.45, -1.55, -0.65):
        b.beam((px, 1.12, 7.98), (px, 2.52, 7.98), 0.07, 0.07, tx.PAINT, tint=(0.45, 0.46, 0.44))
    for py in (1.15, 1.82, 2.5):
        b.beam((-2.48, py, 7.98), (-0.62, py, 7.98), 0.07, 0.06, tx.PAINT, tint=(0.45, 0.46, 0.44))
    b.box((3.02, 1.03, 7.55), (1.05, 2.05, 0.045), tx.PAINT, turn=rotation(yaw=1.25), tint=(0.12, 0.24, 0.22))
    # outside
    gx, gz = np.arange(-30, 30, 0.15), np.arange(8.3, 60, 0.15)
    b.ground(
        gx,
        gz,
        _pans_ground(
            gx,
            gz,
            6,
            [(12, 0.6, 0.2), (19, 0.6, 0.2), (30, 0.8, 0.2), (8.3, 1.5, 0.02)],
            [(-7, 0.6, 0.2), (1, 0.6, 0.2), (9, 0.6, 0.2)],
        ),
        tx.CLAY,
    )
    _water(b, -60, 60, 8.4, 100, -0.02)
    b.heap((-3.4, 0.1, 14.0), 1.2, 1.0)
    b.heap((-5.6, 0.1, 17.0), 1.3, 1.1)
    b.shed((-9.5, 0.2, 30), (4.5, 2.4, 6), yaw=0.5, gable=1.5, material=tx.PAINT, tint=(0.32, 0.08, 0.05))
    _hills(b, 33)
    sun = _direction(38, 40)
    sky = _sky(
        (1400, 2600, 5200),
        (6000, 7600, 9600),
        sun,
        (8000, 7300, 6000),
        6.0,
        0.5,
        (24000, 24200, 24500),
        0.5,
        77,
        (2600, 2400, 2000),
        (7000, 7800, 9000),
    )
    return Scene(
        "boiling-house",
        "Boiling house",
        b.mesh(),
        (0.25, 1.58, -0.55),
        (-0.12, 1.42, 5.0),
        sun,
        np.array([72000.0, 68000, 61000]),
        sky,
        np.array([60.0, 62, 60]),
        5400,
        260,
        haze_distance=1500,
        ripple=0.004,
        brine=(0.10, 0.09, 0.07),
    )


def sluice() -> Scene:
    """The sluice at dusk: gate, posts and planks over the channel, a lantern, the last light on clouds."""
    b = Builder(13)
    x, z = np.arange(-12, 12, 0.05), np.arange(0.8, 26, 0.05)
    gx, gz = np.meshgrid(x, z)
    rough = _waves(x, z, 2, [(2.5, 0.06), (0.9, 0.03), (0.3, 0.015), (0.12, 0.006)])
    bank = np.clip((np.abs(gx - 0.3 - 0.4 * np.sin(gz * 0.22)) - 1.55) * 0.75, -0.6, 0.62)
    b.ground(x, z, bank + rough, tx.CLAY)
    fx, fz = np.arange(-90, 90, 0.3), np.arange(25.6, 140, 0.3)
    b.ground(
        fx,
        fz,
        _pans_ground(
            fx,
            fz,
            9,
            [(30, 0.8, 0.3), (42, 0.9, 0.3), (60, 1, 0.3), (90, 1.4, 0.3)],
            [(-16, 0.8, 0.3), (-5, 0.8, 0.3), (7, 0.8, 0.3), (20, 0.8, 0.3)],
        ),
        tx.CLAY,
    )
    _water(b, -95, 95, -2, 150, -0.05)
    wood = (0.85, 0.8, 0.72)
    for px in (-1.45, -0.45, 0.95, 1.95):
        b.box((px, 0.9, 6.4), (0.2, 2.9, 0.2), tx.WOOD, tint=wood)
    b.beam((-1.75, 2.28, 6.4), (2.25, 2.28, 6.4), 0.22, 0.2, tx.WOOD, tint=wood)
    b.beam((-1.75, 1.32, 6.55), (2.25, 1.32, 6.55), 0.12, 0.14, tx.WOOD, tint=wood)
    for k in range(5):
        b.box(
            (-0.34 + 0.26 * k, 0.55, 6.42),
            (0.245, 1.35, 0.06),
            tx.WOOD,
            tint=tuple(np.array(wood) * b.random.uniform(0.6, 1.0)),
        )
    for yy in (0.3, 0.95):
        b.box((0.2, yy, 6.37), (1.3, 0.08, 0.03), tx.RUST, grain=0)
    b.tube((0.22, 1.0, 6.36), (0.22, 2.75, 6.36), 0.035, tx.RUST)
    b.tube((-0.05, 2.62, 6.36), (0.5, 2.62, 6.36), 0.028, tx.IRON)
    for k in range(9):
        b.beam((-2.6 + 0.62 * k, 1.44, 6.62), (-2.6 + 0.62 * k + 0.6, 1.44, 6.63), 0.26, 0.05, tx.WOOD, tint=wood)
        b.beam(
            (-2.6 + 0.62 * k, 1.44, 6.92),
            (-2.6 + 0.62 * k + 0.6, 1.45, 6.92),
            0.26,
            0.05,
            tx.WOOD,
            tint=tuple(np.array(wood) * 0.9),
        )
    for k in range(7):
        for side in (-1, 1):
            px = 0.3 + side * (1.75 + 0.1 * math.sin(k))
            zz = 2.6 + 1.0 * k if k < 4 else 4.4 + k * 1.0
            b.tube(
                (px, -0.5, zz),
                (px + 0.03, 0.55 + 0.12 * math.sin(3 * k + side), zz),
                0.075,
                tx.WOOD,
                top=0.065,
                tint=(0.7, 0.65, 0.6),
            )
        b.beam((-1.5, 0.25, 2.4 + 0.5 * k), (-1.5, 0.25, 2.88 + 0.5 * k), 0.04, 0.2, tx.WOOD, tint=(0.7, 0.66, 0.6))
    b.shed((-6.4, 0.6, 13.0), (4.2, 2.3, 5.5), yaw=0.55, gable=1.5, tint=(0.9, 0.85, 0.8))
    b.shed((8.6, 0.5, 22.0), (4.6, 2.4, 6.0), yaw=-0.5, gable=1.5, material=tx.LIMEWASH)
    _wind_pump(b, (13.5, 0.3, 36.0), 8.2, 0.7)
    _hills(b, 41)
    for k in range(900):
        side = 1 if k % 2 else -1
        px = 0.3 + side * abs(b.random.normal(2.7, 0.5))
        zz = b.random.uniform(2.2, 13)
        if abs(zz - 6.6) < 0.8:
            continue
        h = b.random.uniform(0.2, 0.6)
        lean = b.random.normal(0, 0.10, 2)
        base = 0.75 * max(0.0, abs(px - 0.3 - 0.4 * math.sin(zz * 0.22)) - 1.55) - 0.06
        b.beam((px, min(base, 0.6), zz), (px + lean[0], min(base, 0.6) + h, zz + lean[1]), 0.008, 0.008, tx.REED)
    b.heap((4.2, 0.55, 7.5), 0.9, 0.75)
    lamp = np.array([-1.45, 2.05, 6.12])
    b.tube(lamp - [0, 0.13, 0], lamp + [0, 0.10, 0], 0.055, tx.LAMP, top=0.055, tint=(1.0, 0.55, 0.18))
    b.tube(lamp + [0, 0.10, 0], lamp + [0, 0.19, 0], 0.085, tx.IRON, top=0.02)
    b.tube(lamp - [0, 0.17, 0], lamp - [0, 0.13, 0], 0.08, tx.IRON, top=0.08)
    sun = _direction(16, 1.0)
    sky = _sky(
        (10.0, 18.0, 38.0),
        (105.0, 76.0, 66.0),
        sun,
        (170.0, 84.0, 30.0),
        10.0,
        0.72,
        (190.0, 92.0, 66.0),
        0.5,
        512,
        (14.0, 12.0, 11.0),
        (26.0, 27.0, 36.0),
    )
    return Scene(
        "sluice",
        "Sluice, dusk",
        b.mesh(),
        (0.55, 1.62, 0.2),
        (0.15, 1.25, 6.4),
        sun,
        np.zeros(3),
        sky,
        np.array([95.0, 88, 98]),
        6200,
        160,
        haze_distance=1400,
        ripple=0.006,
        brine=(0.02, 0.03, 0.032),
        lamps=np.array([[*lamp, 62.0, 34.0, 11.0]]),
    )


def crystals() -> Scene:
    """Rake and crystals close up: coarse salt in low sun with a worn wooden rake lying on it."""
    b = Builder(14)
    x, z = np.arange(-1.3, 1.3, 0.005), np.arange(0.05, 2.4, 0.005)
    waves = [(0.9, 0.030), (0.3, 0.015), (0.1, 0.007), (0.04, 0.003)]
    height = _waves(x, z, 5, waves)
    b.ground(x, z, height, tx.SALT)
    wide_x, wide_z = np.arange(-12, 12, 0.06), np.arange(-3, 24, 0.06)
    hollow = ((np.abs(wide_x)[None] < 1.2) & (wide_z[:, None] > 0.15) & (wide_z[:, None] < 2.3)) * 0.12
    b.ground(
        wide_x, wide_z, _waves(wide_x, wide_z, 6, [(1.6, 0.05), (0.5, 0.03), (0.2, 0.02)]) - 0.02 - hollow, tx.SALT
    )
    for _ in range(15000):
        px, pz = b.random.uniform(-1.1, 1.1), 0.12 + 2.1 * b.random.uniform() ** 1.4
        i, j = int((pz - 0.05) / 0.005), int((px + 1.3) / 0.005)
        size = float(np.exp(b.random.normal(-5.05, 0.42)))
        turn = rotation(*(b.random.uniform(0, 6.28, 3)))
        shade = b.random.uniform(0.92, 1.08)
        b.box(
            (px, height[i, j] + size * b.random.uniform(-0.1, 0.4), pz),
            (size, size * b.random.uniform(0.8, 1.2), size),
            tx.CRYSTAL,
            turn=turn,
            tint=(shade, shade * 0.99, shade * b.random.uniform(0.94, 1.0)),
        )
    head = rotation(yaw=0.42)
    c = np.array([-0.06, 0.085, 0.70])
    b.box(c, (0.56, 0.055, 0.045), tx.WOOD, turn=head, grain=0, tint=(1.15, 1.0, 0.85))
    for k in range(9):
        b.tube(
            c + head @ [-0.24 + 0.06 * k, 0.0, 0.0],
            c + head @ [-0.24 + 0.06 * k, -0.10, 0.015],
            0.009,
            tx.WOOD,
            top=0.006,
            tint=(1.1, 1.0, 0.85),
        )
    for side in (-0.09, 0.09):
        b.beam(c + head @ [side, 0.01, 0], c + head @ [0, 0.12, 0.33], 0.018, 0.018, tx.IRON)
    b.tube(
        c + head @ [0, 0.02, -0.01],
        c + head @ [0, 0.36, 1.15],
        0.019,
        tx.WOOD,
        top=0.017,
        tint=(1.2, 1.02, 0.84),
        sides=36,
    )
    b.tube((0.42, 0.0, 0.98), (0.44, 0.21, 0.99), 0.12, tx.PAINT, top=0.14, tint=(0.05, 0.13, 0.24), sides=48)
    b.tube((0.436, 0.185, 0.988), (0.44, 0.212, 0.99), 0.142, tx.IRON, top=0.146, sides=48)
    b.heap((0.44, 0.19, 0.99), 0.115, 0.07)
    sun = _direction(-68, 27)
    sky = _sky(
        (1500, 2600, 5000),
        (5200, 6000, 6800),
        sun,
        (7000, 5600, 4200),
        6.0,
        0.0,
        (1, 1, 1),
        1,
        3,
        (2600, 2400, 2000),
        (1, 1, 1),
    )
    return Scene(
        "crystals",
        "Rake and crystals",
        b.mesh(),
        (0.05, 0.62, 0.02),
        (0.02, 0.02, 0.86),
        sun,
        np.array([62000.0, 53000, 41000]),
        sky,
        np.array([9000.0, 10500, 14500]),
        5000,
        42000,
        brine=(0, 0, 0),
    )


_CHART_ORDER = [14, 3, 7, 10, 1, 12, 5, 16, 23, 21, 22, 19, 20, 18, 11, 9, 6, 13, 0, 17, 15, 8, 2, 4]
"""Patch numbers of `spectral.chart` from top left; the six neutrals stand in the middle row."""


def card() -> Scene:
    """The grey card and a chart of twenty-four known patches on a bench in open shade."""
    b = Builder(15)
    for k in range(9):
        b.beam(
            (-1.6, 0.78, 0.62 + 0.115 * k),
            (1.6, 0.78 + b.random.normal(0, 0.001), 0.62 + 0.115 * k),
            0.112,
            0.04,
            tx.WOOD,
            tint=tuple(np.array([1, 0.95, 0.88]) * b.random.uniform(0.8, 1.15)),
        )
    b.plank_wall((-2.2, 0, 1.75), (1, 0, 0), 4.4, 3.0, material=tx.PAINT, tint=(0.16, 0.27, 0.30), width=0.15)
    b.box((0, 1.5, 1.80), (4.4, 3.0, 0.02), tx.WOOD, tint=(0.2, 0.2, 0.2))
    b.plank_wall((-2.3, 0, -2), (0, 0, 1), 3.8, 3.0, material=tx.LIMEWASH)
    tilt = rotation(pitch=math.radians(-62))

    def panel(centre, w, h, material, tint, lift=0.0):
        at = np.asarray(centre)
        corners = [at + tilt @ [sx * w / 2, lift, sz * h / 2] for sx, sz in ((-1, -1), (1, -1), (-1, 1), (1, 1))]
        normal = tilt @ [0, 1, 0]
        b.add(corners, [[0, 2, 1], [1, 2, 3]], material, tint=tint, normals=[normal] * 4, axis=(1, 0, 0))
        return corners

    base = np.array([0.16, 1.02, 1.18])
    b.box(base, (0.64, 0.006, 0.39), tx.CLOTH, turn=tilt, tint=(0.03, 0.03, 0.032))
    corners = []
    for k in range(24):
        row, column = divmod(_CHART_ORDER.index(k), 8)
        at = base + tilt @ [(column - 3.5) * 0.076, 0.0, (1 - row) * 0.112]
        corners.append(panel(at, 0.062, 0.092, tx.CHART, (k, 0, 0), lift=0.0045))
    card_at = np.array([-0.40, 0.99, 1.12])
    corners.append(panel(card_at, 0.30, 0.36, tx.CHART, (24, 0, 0), lift=0.003))
    b.box(card_at, (0.30, 0.004, 0.36), tx.PAINT, turn=tilt, tint=(0.3, 0.3, 0.3))
    b.box((0.16, 0.815, 1.08), (0.66, 0.03, 0.03), tx.WOOD, grain=0)
    b.box((-0.40, 0.815, 1.03), (0.36, 0.03, 0.03), tx.WOOD, grain=0)
    b.box((0.16, 0.93, 1.33), (0.05, 0.30, 0.05), tx.WOOD)
    b.box((-0.40, 0.92, 1.28), (0.05, 0.28, 0.05), tx.WOOD)
    b.heap((0.66, 0.80, 0.98), 0.10, 0.085)
    b.tube((-0.78, 0.80, 1.22), (-0.78, 1.0, 1.22), 0.085, tx.RUST, top=0.10, sides=40)
    b.tube((0.78, 0.80, 1.42), (0.78, 1.14, 1.42), 0.05, tx.PAINT, top=0.042, tint=(0.02, 0.10, 0.07), sides=40)
    b.beam((-0.95, 0.83, 0.80), (-0.45, 0.83, 0.72), 0.03, 0.03, tx.WOOD, tint=(1.2, 1, 0.8))
    sun = _direction(150, 50)
    sky = _sky(
        (2100, 2250, 2500), (3400, 3450, 3500), sun, (0, 0, 0), 5.0, 0.0, (1, 1, 1), 1, 3, (900, 880, 840), (1, 1, 1)
    )
    return Scene(
        "card",
        "Grey card",
        b.mesh(),
        (0.0, 1.36, 0.16),
        (0.0, 0.99, 1.15),
        sun,
        np.zeros(3),
        sky,
        np.array([5000.0, 5200, 5500]),
        6500,
        5200,
        patches=np.array(corners),
    )


SCENES: dict[str, Callable[[], Scene]] = {
    "pans": pans,
    "boiling-house": boiling_house,
    "sluice": sluice,
    "crystals": crystals,
    "card": card,
}


@lru_cache(maxsize=2)
def _built(name: str) -> Scene:
    """Building takes a second or two, and one phone takes many shots of a scene."""
    return SCENES[name]()


def load_scene(name: str, kelvin: float | None = None) -> Scene:
    """The scene of that name, under another light where `kelvin` is given; raises `BrutoError` for an unknown one."""
    if name not in SCENES:
        raise BrutoError(f"There is no scene called '{name}'. Scenes: {', '.join(SCENES)}.")
    scene = _built(name)
    return scene if kelvin is None else replace(scene, kelvin=kelvin, tungsten=kelvin < 4000)
