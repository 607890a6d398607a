"""Scenes as files: what ships is what the tools build, and comes back as it was."""

from __future__ import annotations

import unittest
from importlib import resources

import numpy as np
from tools.scenes.build import scene_bytes
from tools.scenes.scenes import BUILDERS

from bruto.errors import BrutoError
from bruto.simphone.scene import GRID, grid_faces, load_scene, packed, shape_normals, unpacked, vertex_normals


class SceneFile(unittest.TestCase):
    def test_numbers_come_back(self) -> None:
        random = np.random.default_rng(3)
        for values in (
            random.normal(size=(500, 3)).astype(np.float32),
            random.integers(-(2**31), 2**31 - 1, (17, 2)).astype(np.int32),
            np.zeros((0, 3), np.float32),
        ):
            back = unpacked(packed(values), values.shape[1], values.dtype.type)
            np.testing.assert_array_equal(back, values)

    def test_what_ships_is_what_is_built(self) -> None:
        for name in ("card", "net-loft"):
            with self.subTest(name):
                shipped = resources.files("bruto.simphone").joinpath(f"data/{name}.scene").read_bytes()
                self.assertEqual(scene_bytes(BUILDERS[name]()), shipped)
                built, read = BUILDERS[name](), load_scene(name)
                for field in ("vertices", "faces", "normals", "part", "material", "axis", "tint", "seed"):
                    np.testing.assert_array_equal(getattr(read.mesh, field), getattr(built.mesh, field), field)
                self.assertEqual((read.title, read.eye, read.kelvin), (built.title, built.eye, built.kelvin))
                np.testing.assert_array_equal(read.lamps, built.lamps)

    def test_normals_of_a_slope(self) -> None:
        x, z = np.meshgrid(np.arange(4.0), np.arange(3.0))
        vertices = np.stack([x, 0.5 * x, z], -1).reshape(-1, 3).astype(np.float32)
        faces = grid_faces(3, 4)
        expected = np.array([-0.5, 1.0, 0.0]) / np.hypot(0.5, 1.0)
        np.testing.assert_allclose(shape_normals(GRID, vertices, faces, 3, 4), np.tile(expected, (12, 1)), atol=1e-6)
        np.testing.assert_allclose(vertex_normals(vertices, faces), np.tile(expected, (12, 1)), atol=1e-6)

    def test_an_unknown_scene_says_which_there_are(self) -> None:
        with self.assertRaisesRegex(BrutoError, "pans, boiling-house"):
            load_scene("moon")


if __name__ == "__main__":
    unittest.main()
