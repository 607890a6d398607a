"""The places of Orrin Saltern, an invented tidal salt works: geometry, light and camera of each scene.

Light is in photometric units: illuminance in lux, luminance in cd/m2, as three coefficients of the reflectance basis
(`spectral.reflectance_basis`) under the scene's one reference illuminant.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from bruto.simphone import texture as tx
from bruto.simphone.scene import SimulatedScene
from tools.scenes.geometry import Builder, rotation
from tools.scenes.scene_parts import (
    _clutter,
    _direction,
    _hills,
    _pans_ground,
    _sky,
    _water,
    _waves,
    _wind_pump,
)
from tools.scenes.small_scenes import card, crystals, net_loft


def pans() -> SimulatedScene:
    """Return the pans at noon: hard sun, broken cloud, dykes, salt heaps, sheds, the wind pump and hills beyond."""
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
    return SimulatedScene(
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


def boiling_house() -> SimulatedScene:
    """Return the boiling house: dark planks and brick around an iron pan, one bright window and a half-open door."""
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
    return SimulatedScene(
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


def sluice() -> SimulatedScene:
    """Return the sluice at dusk: gate, posts and planks over the channel, a lantern, the last light on clouds."""
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
    return SimulatedScene(
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


BUILDERS: dict[str, Callable[[], SimulatedScene]] = {
    "pans": pans,
    "boiling-house": boiling_house,
    "sluice": sluice,
    "crystals": crystals,
    "card": card,
    "net-loft": net_loft,
}
