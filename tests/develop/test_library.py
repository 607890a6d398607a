"""Named recipes: saved_recipes, listed, used in part, deleted; damaged ones are told and left alone."""

from __future__ import annotations

import os
import tempfile
import unittest
from unittest import mock

from bruto.develop.recipe import Recipe
from bruto.develop.recipe_library import NamedRecipe, drop, folder, keep, saved_recipes
from bruto.errors import BrutoError


class Library(unittest.TestCase):
    def setUp(self) -> None:
        home = self.enterContext(tempfile.TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": home}))

    def test_round_trip_of_the_meant_fields(self) -> None:
        recipe = Recipe(chroma=1.3, exposure=2.0).changed(hue_nodes=[{"hue": 200, "shift": 12}])
        keep(NamedRecipe("Evening sky / 2", ("chroma", "hue_nodes"), recipe))
        found, problems = saved_recipes()
        self.assertEqual((problems, found[0].name, found[0].recipe), ([], "Evening sky / 2", recipe))
        other = Recipe(exposure=-1.0).changed(**found[0].values())
        self.assertEqual((other.exposure, other.chroma, other.hue_nodes), (-1.0, 1.3, recipe.hue_nodes))
        drop("Evening sky / 2")
        self.assertEqual(saved_recipes(), ([], []))

    def test_the_same_name_replaces(self) -> None:
        for chroma in (1.1, 1.2):
            keep(NamedRecipe("Soft", ("chroma",), Recipe(chroma=chroma)))
        self.assertEqual([n.recipe.chroma for n in saved_recipes()[0]], [1.2])

    def test_damaged_and_newer_ones_are_told_and_left(self) -> None:
        keep(NamedRecipe("Good", ("chroma",), Recipe()))
        for name, text in (
            ("a", "no json"), ("b", "{}"), ("c", '{"name": "c", "fields": ["chroma"], "recipe": {"schema": 99}}'),
            ("d", '{"name": "d", "fields": ["chroma"], "recipe": {"chroma": 88}}'), ("e", "[1, 2]"),
        ):  # fmt: skip
            (folder() / f"{name}.json").write_text(text)
        found, problems = saved_recipes()
        self.assertEqual([n.name for n in found], ["Good"])
        self.assertEqual(len(problems), 5)
        self.assertEqual((folder() / "a.json").read_text(), "no json")

    def test_names_that_are_none(self) -> None:
        for name in ("", "  ", "..", "x" * 61):
            with self.assertRaisesRegex(BrutoError, "name of 1 to 60"):
                keep(NamedRecipe(name, ("chroma",), Recipe()))


if __name__ == "__main__":
    unittest.main()
