"""The places of Orrin Saltern, an invented tidal salt works: what stands there, its light, and the camera.

Light is in photometric units: illuminance in lux, luminance in cd/m2, as three coefficients of the reflectance basis
(`spectral.reflectance_basis`) under the scene's one reference illuminant. Scenes are built by `tools/scenes` and ship
as files.
"""

from __future__ import annotations

import json
import lzma
from dataclasses import dataclass, field, replace
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import BrutoError

SCENES = ("pans", "boiling-house", "sluice", "crystals", "card", "net-loft")
"""Identifiers of the scenes."""
FLAT, GIVEN, SMOOTH, GRID = range(4)
"""How the normals of a part come about: none, stored, of the faces around each vertex, of a height field."""


@dataclass(frozen=True)
class Mesh:
    """All triangles of a scene with their look.

    World axes: x to the right, y up, z away from the camera, in metres (a left-handed frame; only directions matter
    here). `vertices` (V, 3) float32, `faces` (F, 3) int32, `normals` (V, 3) float32 (zero where the face's own is
    used), `part` (F,) int32 into the part arrays: `material` (P,), `axis` (P, 3) grain direction, `tint` (P, 3),
    `seed` (P,).
    """

    vertices: NDArray[np.float32]
    faces: NDArray[np.int32]
    normals: NDArray[np.float32]
    part: NDArray[np.int32]
    material: NDArray[np.int32]
    axis: NDArray[np.float32]
    tint: NDArray[np.float32]
    seed: NDArray[np.int32]


@dataclass(frozen=True)
class SimulatedScene:
    """One place: what stands there, how it is lit, and from where it is taken.

    `tungsten` takes a Planckian radiator instead of a daylight phase.
    """

    name: str
    title: str
    mesh: Mesh
    eye: tuple[float, float, float]
    target: tuple[float, float, float]
    sun_direction: NDArray[np.float64]
    sun_lux: NDArray[np.float64]
    """Illuminance on a surface facing the sun, (3,)."""
    sky: NDArray[np.float64]
    """The 25 numbers of `texture.sky_radiance`."""
    ambient: NDArray[np.float64]
    """(3,) illuminance in lux used where the baked light does not reach (inside mirror images)."""
    kelvin: float
    """Correlated colour temperature of the reference illuminant."""
    key_lux: float
    tungsten: bool = False
    haze_distance: float = 0.0
    ripple: float = 0.02
    brine: tuple[float, float, float] = (0.020, 0.032, 0.030)
    lamps: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 6)))
    """Rows of position (3), intensity in candela (3), for small lamps."""
    patches: NDArray[np.float64] | None = None
    """Corners of the chart's patches in the world, (P, 4, 3)."""


def vertex_normals(vertices: NDArray[Any], faces: NDArray[Any]) -> NDArray[np.float64]:
    """Compute the area-weighted vertex normals, (V, 3).

    Parameters
    ----------
    vertices
        Vertices (N, 3), metres.
    faces
        Faces (N, 3), indices of vertices.

    Returns
    -------
    NDArray[np.float64]
        Area-weighted vertex normals, (V, 3).
    """
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    face = np.cross(b - a, c - a)
    normals = np.zeros((len(vertices), 3))
    for k in range(3):
        for axis in range(3):
            normals[:, axis] += np.bincount(faces[:, k], face[:, axis], len(vertices))
    return normals / (np.linalg.norm(normals, axis=1, keepdims=True) + 1e-12)


def grid_faces(rows: int, columns: int) -> NDArray[np.int32]:
    """Return the triangles of a height field whose vertices lie row by row, (N, 3).

    Parameters
    ----------
    rows
        Vertices along z.
    columns
        Vertices along x.

    Returns
    -------
    NDArray[np.int32]
        Triangles, indices of vertices.
    """
    i = np.arange(columns * rows, dtype=np.int32).reshape(rows, columns)
    a, b, c, d = i[:-1, :-1].ravel(), i[:-1, 1:].ravel(), i[1:, :-1].ravel(), i[1:, 1:].ravel()
    return np.concatenate([np.stack([a, c, b], 1), np.stack([b, c, d], 1)])


def grid_normals(vertices: NDArray[Any], rows: int, columns: int) -> NDArray[np.float64]:
    """Compute the normals of a height field, (N, 3).

    Parameters
    ----------
    vertices
        Its vertices (N, 3), row by row, metres.
    rows
        Vertices along z.
    columns
        Vertices along x.

    Returns
    -------
    NDArray[np.float64]
        Unit vectors.
    """
    x, y, z = (np.asarray(vertices[:, k], float).reshape(rows, columns) for k in range(3))
    dz, dx = np.gradient(y, z[:, 0], x[0])
    normals = np.stack([-dx, np.ones_like(dx), -dz], -1)
    return (normals / np.linalg.norm(normals, axis=-1, keepdims=True)).reshape(-1, 3)


def shape_normals(
    kind: int, vertices: NDArray[Any], faces: NDArray[Any], rows: int = 0, columns: int = 0
) -> NDArray[np.float64]:
    """Compute the normals of a part that follow from its shape.

    Parameters
    ----------
    kind
        `SMOOTH` or `GRID`.
    vertices
        Its vertices (N, 3), metres.
    faces
        Its faces, indices of its vertices.
    rows
        Of a height field.
    columns
        Of a height field.

    Returns
    -------
    NDArray[np.float64]
        Normals (N, 3), upwards.
    """
    if kind == GRID:
        return grid_normals(vertices, rows, columns)
    normals = vertex_normals(vertices, faces)
    normals[normals[:, 1] < 0] *= -1
    return normals


def packed(values: NDArray[Any]) -> bytes:
    """Store numbers (N, K) of 32 bits as differences, byte by byte of each column, which packs well.

    Parameters
    ----------
    values
        Float32 or int32.

    Returns
    -------
    bytes
        As many bytes.
    """
    rows, columns = values.shape
    u: NDArray[Any] = np.ascontiguousarray(values).view(np.uint32).reshape(rows, columns)
    u = np.diff(u, axis=0, prepend=np.zeros((1, columns), np.uint32))
    planes = np.ascontiguousarray(u.T).view(np.uint8).reshape(columns, rows, 4)
    return np.ascontiguousarray(planes.transpose(0, 2, 1)).tobytes()


def unpacked(data: bytes, columns: int, kind: type) -> NDArray[Any]:
    """Read what `packed` stored.

    Parameters
    ----------
    data
        The bytes.
    columns
        Numbers in a row.
    kind
        Type of the numbers.

    Returns
    -------
    NDArray[Any]
        Numbers (N, columns).
    """
    planes = np.frombuffer(data, np.uint8).reshape(columns, 4, len(data) // (4 * columns)).transpose(0, 2, 1)
    differences = np.ascontiguousarray(planes).view(np.uint32)[..., 0]
    return np.ascontiguousarray(np.cumsum(differences, axis=1, dtype=np.uint32).T).view(kind)


def read_scene(data: bytes) -> SimulatedScene:
    """Read a scene as `tools/scenes` writes it.

    Parameters
    ----------
    data
        Bytes of the file.

    Returns
    -------
    SimulatedScene
        The scene.
    """
    raw = lzma.decompress(data)
    size = int.from_bytes(raw[:4], "little")
    head = json.loads(raw[4 : 4 + size])
    at, blocks = 4 + size, []
    for length, columns, kind in head.pop("blocks"):
        blocks.append(unpacked(raw[at : at + length], columns, np.dtype(kind).type))
        at += length
    parts, looks, vertices, stored_faces, stored_normals = blocks
    normals = np.zeros_like(vertices)
    faces, part = [], []
    v = f = n = 0
    for k, (count, face_count, kind, rows, columns) in enumerate(parts[:, :5].tolist()):
        mine = vertices[v : v + count]
        own = grid_faces(rows, columns) if kind == GRID else stored_faces[f : f + face_count]
        f += 0 if kind == GRID else face_count
        if kind == GIVEN:
            normals[v : v + count] = stored_normals[n : n + count]
            n += count
        elif kind != FLAT:
            normals[v : v + count] = shape_normals(kind, mine, own, rows, columns)
        faces.append(own + v)
        part.append(np.full(len(own), k, np.int32))
        v += count
    mesh = Mesh(
        vertices, np.concatenate(faces).astype(np.int32), normals, np.concatenate(part), parts[:, 5].copy(),
        looks[:, :3].copy(), looks[:, 3:].copy(), parts[:, 6].copy(),
    )  # fmt: skip
    arrays = {k: np.array(head[k], float) for k in ("sun_direction", "sun_lux", "sky", "ambient", "lamps")}
    arrays["lamps"] = arrays["lamps"].reshape(-1, 6)
    triples = {k: tuple(head[k]) for k in ("eye", "target", "brine")}
    patches = None if head["patches"] is None else np.array(head["patches"], float)
    return SimulatedScene(**{**head, **arrays, **triples, "patches": patches, "mesh": mesh})


@lru_cache(maxsize=2)
def _read(name: str) -> SimulatedScene:
    """One phone takes many shots of a scene."""
    return read_scene(resources.files("bruto.simphone").joinpath(f"data/{name}.scene").read_bytes())


def load_scene(name: str, kelvin: float | None = None) -> SimulatedScene:
    """Read the scene of that name, under another light where `kelvin` is given.

    Parameters
    ----------
    name
        Identifier of a scene.
    kelvin
        Colour temperature, kelvin.

    Returns
    -------
    SimulatedScene
        The scene of that name, under another light where `kelvin` is given.

    Raises
    ------
    BrutoError
        For an unknown one.
    """
    if name not in SCENES:
        raise BrutoError(
            tr("There is no scene called '{name}'. Scenes: {SCENES}.", name=name, SCENES=", ".join(SCENES))
        )
    scene = _read(name)
    return scene if kelvin is None else replace(scene, kelvin=kelvin, tungsten=kelvin < 4000)
