"""Builds the scenes of the simulated phone and writes them where they ship: `python -m tools.scenes.build [NAME ...]`.

Vertices are stored as they are; faces and normals of height fields and of rounded heaps follow from them.
"""

from __future__ import annotations

import argparse
import json
import lzma
from dataclasses import fields
from pathlib import Path

import numpy as np

from bruto.simphone.scene import GIVEN, GRID, SimulatedScene, packed, read_scene
from tools.scenes.geometry import BuiltMesh
from tools.scenes.scenes import BUILDERS

OUT = Path(__file__).parents[2] / "src/bruto/simphone/data"


def scene_bytes(scene: SimulatedScene) -> bytes:
    """The file of a scene."""
    mesh = scene.mesh
    assert isinstance(mesh, BuiltMesh)
    shapes = mesh.shapes
    kinds = shapes[:, 2]
    start = np.concatenate([[0], np.cumsum(shapes[:, 0])])[:-1]
    of_face = np.repeat(np.arange(len(shapes)), shapes[:, 1])
    own = mesh.faces - start[of_face][:, None]
    of_vertex = np.repeat(np.arange(len(shapes)), shapes[:, 0])
    blocks = [
        np.column_stack([shapes, mesh.material, mesh.seed]).astype(np.int32),
        np.column_stack([mesh.axis, mesh.tint]).astype(np.float32),
        mesh.vertices,
        own[kinds[of_face] != GRID].astype(np.int32),
        mesh.normals[kinds[of_vertex] == GIVEN],
    ]
    body = [packed(b) for b in blocks]
    head: dict = {"blocks": [(len(d), b.shape[1], b.dtype.name) for d, b in zip(body, blocks, strict=True)]}
    for field in fields(scene):
        if field.name != "mesh":
            value = getattr(scene, field.name)
            head[field.name] = value.tolist() if isinstance(value, np.ndarray) else value
    text = json.dumps(head).encode()
    return lzma.compress(len(text).to_bytes(4, "little") + text + b"".join(body), preset=9)


def main() -> None:
    """Build and write scenes, and check that they are read as they were built."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", default=list(BUILDERS))
    for name in parser.parse_args().names:
        scene = BUILDERS[name]()
        data = scene_bytes(scene)
        back = read_scene(data).mesh
        np.testing.assert_array_equal(back.vertices, scene.mesh.vertices)
        np.testing.assert_array_equal(back.faces, scene.mesh.faces)
        off = np.abs(back.normals - scene.mesh.normals).max()
        (OUT / f"{name}.scene").write_bytes(data)
        print(f"{name}: {len(data) / 1e3:.0f} kB, {len(scene.mesh.faces)} triangles, normals within {off:.1e}")


if __name__ == "__main__":
    main()
