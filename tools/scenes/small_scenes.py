"""Scenes within reach of the hand: crystals of salt, and a colour chart."""

from __future__ import annotations

import itertools
import math

import numpy as np

from bruto.simphone import texture as tx
from bruto.simphone.scene import SimulatedScene
from tools.scenes.geometry import Builder, rotation
from tools.scenes.scene_parts import (
    _direction,
    _sky,
    _waves,
)


def crystals() -> SimulatedScene:
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
    return SimulatedScene(
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


def card() -> SimulatedScene:
    """Return the grey card and a chart of twenty-four known patches on a bench in open shade."""
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
    return SimulatedScene(
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


FLOATS = (
    (0.015, 0.05, 0.30), (0.36, 0.02, 0.03), (0.02, 0.14, 0.05), (0.55, 0.16, 0.01), (0.60, 0.42, 0.03),
    (0.10, 0.02, 0.18), (0.004, 0.014, 0.05), (0.02, 0.20, 0.24),
)  # fmt: skip
"""Paints of the floats, reflectance of red, green, blue."""


def _net(b: Builder, left: float, right: float, high: float, low: float, z: float) -> None:
    """Return a hanging net with meshes of 5 cm."""
    steps = np.arange(left, right, 0.05)
    for k, x in enumerate(steps):
        for j in range(int((high - low) / 0.05)):
            y = high - 0.05 * j + 0.06 * math.sin(3.1 * (x - left))
            for side in (-1, 1):
                if 0 <= k + side < len(steps):
                    b.tube(
                        (x, y, z),
                        (steps[k + side], y - 0.05, z + 0.004 * side),
                        0.0014,
                        tx.ROPE,
                        sides=5,
                        tint=(0.10, 0.16, 0.13),
                    )


def net_loft() -> SimulatedScene:
    """Return a wall of the net loft in open shade.

    Floats painted in even colours on white boards, a net, ropes, a jacket, brooms with their bristles, a
    goatskin, a printed sheet of tide times.
    """
    b = Builder(16)
    b.box((0, 1.5, 1.62), (5.2, 3.0, 0.04), tx.FLAT, tint=(0.84, 0.83, 0.80))
    b.plank_wall((-2.6, 0, -2.2), (0, 0, 1), 3.8, 3.0, material=tx.LIMEWASH)
    for k in range(8):
        b.beam((-2.4, 0.55, 0.78 + 0.115 * k), (2.4, 0.55, 0.78 + 0.115 * k), 0.112, 0.04, tx.WOOD)
    for k, paint in enumerate(FLOATS):
        x, y = -0.95 + 0.21 * (k % 4), 1.55 - 0.34 * (k // 4)
        b.box((x, y, 1.585), (0.15, 0.24, 0.03), tx.FLAT, tint=paint)
        b.tube((x, y + 0.12, 1.57), (x, y + 0.17, 1.585), 0.008, tx.ROPE, sides=8, tint=(0.5, 0.42, 0.28))
    for k, paint in enumerate((FLOATS[1], FLOATS[3])):
        b.tube(
            (0.58 + 0.15 * k, 0.57, 1.05), (0.58 + 0.15 * k, 0.79, 1.05), 0.07, tx.FLAT, top=0.05, sides=48, tint=paint
        )
    _net(b, 0.02, 0.95, 1.78, 1.02, 1.54)
    for k in range(5):  # coils on the bench
        angles = np.linspace(0, 2 * np.pi, 40)
        ring = np.stack([0.16 * np.cos(angles) - 0.05, 0.59 + 0.026 * k + 0 * angles, 0.16 * np.sin(angles) + 1.02], 1)
        for start, end in itertools.pairwise(ring):
            b.tube(start, end, 0.014, tx.ROPE, sides=12, tint=(0.62, 0.50, 0.30))
    b.box((-0.62, 0.86, 1.40), (0.46, 0.56, 0.05), tx.CLOTH, turn=rotation(pitch=0.12), tint=(0.035, 0.06, 0.14))
    b.box((-0.30, 0.80, 1.30), (0.20, 0.44, 0.04), tx.CLOTH, turn=rotation(pitch=0.2), tint=(0.28, 0.05, 0.03))
    b.box((1.17, 1.40, 1.58), (0.36, 0.60, 0.03), tx.FUR, turn=rotation(roll=0.06), tint=(0.30, 0.27, 0.24))
    for k in range(2):
        x = 0.30 + 0.20 * k
        b.box((x, 0.66, 1.22), (0.15, 0.14, 0.05), tx.FUR, tint=((0.36, 0.24, 0.10), (0.10, 0.09, 0.085))[k])
        b.tube((x, 0.73, 1.22), (x + 0.05, 1.20, 1.42), 0.014, tx.WOOD, tint=(1.2, 1.0, 0.8))
    b.box((1.02, 0.80, 1.40), (0.34, 0.44, 0.002), tx.PRINT, turn=rotation(pitch=0.15), tint=(1.0, 0.99, 0.95))
    b.box((-1.15, 0.70, 1.15), (0.22, 0.22, 0.22), tx.FLAT, turn=rotation(yaw=0.5), tint=(0.80, 0.80, 0.78))
    sun = _direction(150, 50)
    sky = _sky(
        (2000, 2200, 2500), (3300, 3400, 3500), sun, (0, 0, 0), 5.0, 0.0, (1, 1, 1), 1, 3, (900, 880, 840), (1, 1, 1)
    )
    return SimulatedScene(
        "net-loft",
        "Net loft",
        b.mesh(),
        (0.08, 1.34, -0.50),
        (0.08, 1.12, 1.5),
        sun,
        np.zeros(3),
        sky,
        np.array([5000.0, 5200, 5500]),
        6200,
        4800,
    )
