"""Meshes of the simulated scenes, built from a few parts: boxes, tubes, height fields, heaps, plank walls, roofs.

World axes: x to the right, y up, z away from the camera, in metres (a left-handed frame; only directions matter here).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.simphone import texture as tx
from bruto.simphone.scene import FLAT, GIVEN, GRID, SMOOTH, Mesh, grid_faces, grid_normals, shape_normals


@dataclass(frozen=True)
class BuiltMesh(Mesh):
    """A mesh with what each part is: vertices, faces, how its normals come about, rows and columns (P, 5)."""

    shapes: NDArray[np.int32]


def rotation(yaw: float = 0.0, pitch: float = 0.0, roll: float = 0.0) -> NDArray[np.float64]:
    """Compute the rotation matrix: roll about z, then pitch about x, then yaw about y (radians).

    Parameters
    ----------
    yaw
        Rotation about the vertical, radians.
    pitch
        Rotation up, radians.
    roll
        Rotation about the view, radians.

    Returns
    -------
    NDArray[np.float64]
        Rotation matrix.
    """
    cy, sy, cp, sp, cr, sr = (
        math.cos(yaw),
        math.sin(yaw),
        math.cos(pitch),
        math.sin(pitch),
        math.cos(roll),
        math.sin(roll),
    )
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_x = np.array([[1, 0, 0], [0, cp, -sp], [0, sp, cp]])
    about_z = np.array([[cr, -sr, 0], [sr, cr, 0], [0, 0, 1]])
    return about_y @ about_x @ about_z


_BOX = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)])
_BOX_QUADS = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]


class Builder:
    """Collects parts into one mesh."""

    def __init__(self, seed: int) -> None:
        self.random = np.random.default_rng(seed)
        self._vertices: list[NDArray[Any]] = []
        self._faces: list[NDArray[Any]] = []
        self._normals: list[NDArray[Any]] = []
        self._part: list[NDArray[Any]] = []
        self._looks: list[tuple[int, tuple[Any, ...], tuple[Any, ...], int]] = []
        self._shapes: list[tuple[int, int, int, int, int]] = []
        self._count = 0

    def add(
        self,
        vertices,
        faces,
        material: int,
        *,
        axis=(0, 1, 0),
        tint=(1, 1, 1),
        seed: int | None = None,
        normals=None,
        kind: int | None = None,
        rows: int = 0,
        columns: int = 0,
    ) -> None:
        """Add one part; without `normals` its faces are flat.

        Parameters
        ----------
        vertices
            Vertices (N, 3), metres.
        faces
            Faces (N, 3), indices of vertices.
        material
            Index of the material.
        axis
            Axis of the texture.
        tint
            Colour of the surface.
        seed
            Seed of the random generator.
        normals
            Normals of the vertices.
        """
        vertices = np.asarray(vertices, np.float32)
        faces = np.asarray(faces, np.int32)
        self._vertices.append(vertices)
        self._faces.append(faces + self._count)
        self._normals.append(np.zeros_like(vertices) if normals is None else np.asarray(normals, np.float32))
        self._part.append(np.full(len(faces), len(self._looks), np.int32))
        seed = int(self.random.integers(1, 1 << 20)) if seed is None else seed
        self._looks.append((material, tuple(axis), tuple(tint), seed))
        kind = kind if kind is not None else FLAT if normals is None else GIVEN
        self._shapes.append((len(vertices), len(faces), kind, rows, columns))
        self._count += len(vertices)

    def mesh(self) -> BuiltMesh:
        """Return all parts as one mesh."""
        material, axis, tint, seed = zip(*self._looks, strict=True)
        return BuiltMesh(
            np.concatenate(self._vertices),
            np.concatenate(self._faces),
            np.concatenate(self._normals),
            np.concatenate(self._part),
            np.array(material, np.int32),
            np.array(axis, np.float32),
            np.array(tint, np.float32),
            np.array(seed, np.int32),
            np.array(self._shapes, np.int32),
        )

    def box(self, centre, size, material: int, *, turn=None, grain: int = 1, **look) -> None:
        """Return a box; `grain` is the local axis (0, 1, 2) along which wood runs.

        Parameters
        ----------
        centre
            Centre, metres.
        size
            Size.
        material
            Index of the material.
        turn
            Rotation, radians.
        grain
            Direction of the grain.
        **look
            Look that the camera profile brings.
        """
        turn = np.eye(3) if turn is None else turn
        vertices = (_BOX * np.asarray(size)) @ turn.T + np.asarray(centre)
        faces = [t for a, b, c, d in _BOX_QUADS for t in ((a, b, c), (a, c, d))]
        self.add(vertices, faces, material, axis=turn[:, grain], **look)

    def beam(self, start, end, width: float, height: float, material: int, **look) -> None:
        """Return a squared timber from start to end.

        Parameters
        ----------
        start
            Start point, metres.
        end
            End of the span.
        width
            Width, metres.
        height
            Height, metres.
        material
            Index of the material.
        **look
            Look that the camera profile brings.
        """
        start, end = np.asarray(start, float), np.asarray(end, float)
        along = end - start
        length = float(np.linalg.norm(along))
        along /= length
        side = np.cross([0, 1, 0], along)
        side = np.array([1.0, 0, 0]) if np.linalg.norm(side) < 1e-6 else side / np.linalg.norm(side)
        turn = np.stack([side, np.cross(along, side), along], axis=1)
        self.box((start + end) / 2, (width, height, length), material, turn=turn, grain=2, **look)

    def tube(
        self, start, end, radius: float, material: int, *, top: float | None = None, sides: int = 20, **look
    ) -> None:
        """Return a closed round post; `top` is the radius at the end.

        Parameters
        ----------
        start
            Start point, metres.
        end
            End of the span.
        radius
            Radius, pixels.
        material
            Index of the material.
        top
            First row.
        sides
            Number of sides.
        **look
            Look that the camera profile brings.
        """
        start, end = np.asarray(start, float), np.asarray(end, float)
        top = radius if top is None else top
        along = (end - start) / np.linalg.norm(end - start)
        u = np.cross(along, [0.31, 0.17, 0.93])
        u /= np.linalg.norm(u)
        w = np.cross(along, u)
        angle = np.linspace(0, 2 * np.pi, sides, endpoint=False)
        ring = np.cos(angle)[:, None] * u + np.sin(angle)[:, None] * w
        vertices = np.concatenate([start + ring * radius, end + ring * top, [end]])
        i, j = np.arange(sides), (np.arange(sides) + 1) % sides
        faces = np.concatenate(
            [
                np.stack([i, j, i + sides], 1),
                np.stack([j, j + sides, i + sides], 1),
                np.stack([i + sides, j + sides, np.full(sides, 2 * sides)], 1),
            ]
        )
        self.add(vertices, faces, material, axis=along, normals=np.concatenate([ring, ring, [along]]), **look)

    def ground(self, x, z, height, material: int, **look) -> None:
        """Return a height field on the grid of x (n,) and z (m,); `height` (m, n).

        Parameters
        ----------
        x
            First plane or horizontal position, changed or read by the kernel.
        z
            Third plane, changed or read by the kernel.
        height
            Height.
        material
            Index of the material.
        **look
            Look that the camera profile brings.
        """
        gx, gz = np.meshgrid(x, z)
        vertices = np.stack([gx, height, gz], -1).reshape(-1, 3).astype(np.float32)
        rows, columns = gx.shape
        self.add(
            vertices, grid_faces(rows, columns), material, normals=grid_normals(vertices, rows, columns),
            kind=GRID, rows=rows, columns=columns, **look,
        )  # fmt: skip

    def heap(self, centre, radius: float, height: float, material: int = tx.SALT, **look) -> None:
        """Return a raked heap: a slumped cone with lumps and gullies.

        Parameters
        ----------
        centre
            Centre, metres.
        radius
            Radius, pixels.
        height
            Height, metres.
        material
            Index of the material.
        **look
            Look that the camera profile brings.
        """
        n = 90
        r = np.linspace(0, 1.25, n)
        a = np.linspace(0, 2 * np.pi, 2 * n)
        rr, aa = np.meshgrid(r, a)
        phase = self.random.uniform(0, 6.28, 6)
        lumps = sum(np.cos((k + 2) * aa + phase[k]) * 0.05 / (1 + 0.4 * k) for k in range(6))
        reach = rr / (1 + lumps)
        slope = np.maximum(0, 1 - np.sqrt(reach**2 + 0.02) + 0.14) / 1.0
        gully = 0.02 * np.cos(17 * aa + 9 * np.sin(3 * aa + phase[0])) * reach * (reach < 1)
        y = height * (slope + gully) - 1.6 * height * np.maximum(0, reach - 0.98)
        vertices = np.stack(
            [centre[0] + radius * rr * np.cos(aa), centre[1] + y, centre[2] + radius * rr * np.sin(aa)], -1
        )
        i = np.arange(rr.size).reshape(rr.shape)
        p, q, s, t = i[:-1, :-1].ravel(), i[:-1, 1:].ravel(), i[1:, :-1].ravel(), i[1:, 1:].ravel()
        faces = np.concatenate([np.stack([p, q, s], 1), np.stack([q, t, s], 1)])
        flat = vertices.reshape(-1, 3).astype(np.float32)
        self.add(flat, faces, material, normals=shape_normals(SMOOTH, flat, faces), kind=SMOOTH, **look)

    def plank_wall(
        self,
        corner,
        along,
        length: float,
        height: float,
        *,
        width: float = 0.18,
        thick: float = 0.03,
        material: int = tx.WOOD,
        tint=(1, 1, 1),
        gable: float = 0.0,
        holes=(),
        gap: float = 0.003,
    ) -> None:
        """Return the standing planks from a lower corner along a direction; `gable` adds a peak.

        Holes are (from, to, low, high); `gap` in m.

        Parameters
        ----------
        corner
            Corner, metres.
        along
            Direction of the wall.
        length
            Length.
        height
            Height, metres.
        width
            Width, metres.
        thick
            Thickness, metres.
        material
            Index of the material.
        tint
            Colour of the surface.
        gable
            Height of the gable, metres.
        holes
            Openings: left, bottom, right, top.
        gap
            Gap between planks, metres.
        """
        corner, along = np.asarray(corner, float), np.asarray(along, float) / np.linalg.norm(along)
        out = np.cross(along, [0, 1, 0])
        turn = np.stack([along, [0, 1, 0], out], axis=1)
        count = max(1, round(length / width))
        step = length / count
        for k in range(count):
            s = (k + 0.5) * step
            peak = height + gable * (1 - abs(2 * s / length - 1))
            spans = [(0.0, peak)]
            for a, b, low, high in holes:
                if a < s < b:
                    spans = [(0.0, low), (high, peak)]
            shade = self.random.uniform(0.72, 1.2)
            look = tuple(np.asarray(tint) * shade)
            for low, high in spans:
                if high - low < 0.02:
                    continue
                wobble = self.random.normal(0, 0.004)
                centre = (
                    corner
                    + along * s
                    + np.array([0, (low + high) / 2 + self.random.normal(0, 0.006), 0])
                    + out * wobble
                )
                lean = rotation(roll=self.random.normal(0, 0.0012))
                self.box(
                    centre,
                    (step - gap * float(self.random.exponential(1.0)), high - low, thick),
                    material,
                    turn=turn @ lean,
                    tint=look,
                )

    def corrugated_roof(
        self, ridge_a, ridge_b, eave_a, eave_b, *, wave: float = 0.076, depth: float = 0.018, material: int = tx.RUST
    ) -> None:
        """Return a roof slope of corrugated sheet between a ridge and an eave.

        Parameters
        ----------
        ridge_a
            First end of the ridge, metres.
        ridge_b
            Second end of the ridge, metres.
        eave_a
            First end of the eave, metres.
        eave_b
            Second end of the eave, metres.
        wave
            Wavelength of the corrugation, metres.
        depth
            Depth.
        material
            Index of the material.
        """
        ridge_a, ridge_b, eave_a, eave_b = (np.asarray(p, float) for p in (ridge_a, ridge_b, eave_a, eave_b))
        length = float(np.linalg.norm(ridge_b - ridge_a))
        n = int(length / wave * 8)
        s = np.linspace(0, 1, n)
        up = np.cross(ridge_b - ridge_a, eave_a - ridge_a)
        up /= np.linalg.norm(up)
        if up[1] < 0:
            up = -up
        rows = 9
        vertices = []
        sag = self.random.normal(0, 0.012, (rows, 1))
        for r in range(rows):
            t = r / (rows - 1)
            start, end = ridge_a + (eave_a - ridge_a) * t, ridge_b + (eave_b - ridge_b) * t
            ripple = depth * np.cos(2 * np.pi * s * length / wave) + sag[r] * np.sin(5 * s + r)
            vertices.append(start + (end - start) * s[:, None] + up * ripple[:, None])
        flat = np.concatenate(vertices).astype(np.float32)
        i = np.arange(rows * n).reshape(rows, n)
        a, b, c, d = i[:-1, :-1].ravel(), i[:-1, 1:].ravel(), i[1:, :-1].ravel(), i[1:, 1:].ravel()
        faces = np.concatenate([np.stack([a, c, b], 1), np.stack([b, c, d], 1)])
        normals = shape_normals(SMOOTH, flat, faces)
        slope = (eave_a - ridge_a) / np.linalg.norm(eave_a - ridge_a)
        self.add(flat, faces, material, axis=slope, normals=normals, kind=SMOOTH)

    def shed(
        self, centre, size, *, yaw: float = 0.0, gable: float = 1.2, material: int = tx.WOOD, tint=(1, 1, 1), door=True
    ) -> None:
        """Return a gabled shed of planks with a corrugated roof; its front (gable) faces -z before the yaw.

        Parameters
        ----------
        centre
            Centre, metres.
        size
            Size.
        yaw
            Rotation about the vertical, radians.
        gable
            Height of the gable, metres.
        material
            Index of the material.
        tint
            Colour of the surface.
        door
            Position of the door.
        """
        w, h, d = size
        turn = rotation(yaw=yaw)
        base = np.asarray(centre, float)

        def at(x, y, z):
            return base + turn @ np.array([x, y, z])

        holes = [(w * 0.36, w * 0.64, 0.0, 2.05)] if door else []
        self.plank_wall(
            at(-w / 2, 0, -d / 2), turn @ [1, 0, 0], w, h, gable=gable, material=material, tint=tint, holes=holes
        )
        self.plank_wall(at(-w / 2, 0, d / 2), turn @ [1, 0, 0], w, h, gable=gable, material=material, tint=tint)
        window = [(d * 0.42, d * 0.58, 1.1, 1.9)]
        self.plank_wall(at(-w / 2, 0, -d / 2), turn @ [0, 0, 1], d, h, material=material, tint=tint, holes=window)
        self.plank_wall(at(w / 2, 0, -d / 2), turn @ [0, 0, 1], d, h, material=material, tint=tint, holes=window)
        for x in (-w / 2, w / 2):
            self.box(at(x, h / 2, -d / 2), (0.13, h, 0.13), tx.WOOD, turn=turn, tint=(0.7, 0.7, 0.7))
        over = 0.35
        drop = gable * (w / 2 + over) / (w / 2)
        for side in (-1, 1):
            self.corrugated_roof(
                at(0, h + gable + 0.06, -d / 2 - over),
                at(0, h + gable + 0.06, d / 2 + over),
                at(side * (w / 2 + over), h + gable - drop + 0.06, -d / 2 - over),
                at(side * (w / 2 + over), h + gable - drop + 0.06, d / 2 + over),
            )
        self.box(at(0, h + gable + 0.08, 0), (0.24, 0.05, d + 2 * over), tx.RUST, turn=turn, grain=2)
        if door:
            self.box(at(0, 1.0, -d / 2 + 0.12), (w * 0.28, 2.05, 0.04), tx.PAINT, turn=turn, tint=(0.10, 0.22, 0.20))
            for y in (0.35, 1.75):
                self.box(
                    at(0, y, -d / 2 + 0.09),
                    (w * 0.26, 0.14, 0.03),
                    tx.PAINT,
                    turn=turn,
                    grain=0,
                    tint=(0.10, 0.22, 0.20),
                )
