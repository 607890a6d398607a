"""Recipes as data: ranges, unknown fields, files, clear refusals."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

from bruto.develop.field_ui import shown
from bruto.develop.recipe import SCHEMA, Recipe, recipe_from
from bruto.develop.recipe_files import load_recipe, save_recipe
from bruto.develop.recipe_values import HANDLE_NAMES, Tone
from bruto.errors import BrutoError
from bruto.session.edit import Edit
from bruto.shoot.sidecar_places import sidecar_path


class Values(unittest.TestCase):
    def test_every_number_has_range_unit_and_description(self) -> None:
        for name, info in Recipe.model_fields.items():
            if info.annotation not in (float, float | None):
                continue
            text = shown(info)
            assert text is not None
            row = text.unit and text.title and (text.step or name == "aspect") and text.group
            self.assertTrue(info.description and row, name)
            self.assertTrue(any(hasattr(m, "ge") for m in info.metadata), name)
            self.assertTrue(any(hasattr(m, "le") for m in info.metadata), name)

    def test_left_out_fields_do_nothing_and_keep_their_values(self) -> None:
        recipe = Recipe(exposure=1.0, chroma=1.4, bypassed=("exposure", "no such field"))
        used = recipe.effective()
        self.assertEqual((used.exposure, used.chroma, recipe.exposure), (0.0, 1.4, 1.0))

    def test_parts_are_checked(self) -> None:
        for field, value in (
            ("hue_nodes", [{"hue": 400}]),
            ("hue_nodes", [{"hue": 10}] * 9),
            ("curves", {"joint": [[0, 0]]}),
            ("curves", {"red": [[0.5, 0], [0.5, 1]]}),
            ("curves", {"blue": [[0, 0], [1, 2]]}),
            ("split_tint", {"shadows": {"hue": 10, "amount": 3}}),
            ("channel_matrix", [1, 2, 3]),
        ):
            with self.subTest(f"{field} {value}"), self.assertRaisesRegex(BrutoError, field):
                Recipe().changed(**{field: value})
        good = Recipe().changed(hue_nodes=[{"hue": 250, "shift": -12}], curves={"joint": [[0, 0.1], [1, 0.9]]})
        self.assertEqual(recipe_from(json.loads(json.dumps(good.model_dump(by_alias=True)))), good)

    def test_out_of_range_names_the_field(self) -> None:
        for field, value in (("exposure", 99), ("temperature", 10), ("sharpness", "much"), ("chroma", float("nan"))):
            with self.assertRaisesRegex(BrutoError, field):
                Recipe().changed(**{field: value})

    def test_recipes_do_not_change(self) -> None:
        recipe = Recipe()
        with self.assertRaises(ValueError):
            recipe.exposure = 1.0  # type: ignore[misc]
        self.assertEqual(recipe.changed(exposure=1).exposure, 1)
        self.assertEqual(recipe.exposure, 0)

    def test_handles_must_rise(self) -> None:
        values = Tone().model_dump()
        for name in HANDLE_NAMES[1:]:
            wrong = {**values, name: {"ev": -8.0, "lightness": 50.0}}
            with self.assertRaisesRegex(BrutoError, "tone"):
                Recipe().changed(tone=wrong)

    def test_unknown_fields_are_kept(self) -> None:
        recipe = recipe_from({"exposure": 0.5, "later_invention": {"a": 1}})
        self.assertEqual(recipe.changed(chroma=1.2).model_dump()["later_invention"], {"a": 1})


class Files(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_round_trip(self) -> None:
        path = self.folder / "r.json"
        recipe = Recipe(exposure=0.8, temperature=5200.0, tint=-0.003)
        save_recipe(recipe, path)
        self.assertEqual(load_recipe(path), recipe)
        self.assertEqual(json.loads(path.read_text())["schema"], SCHEMA)

    def test_a_sidecar_is_a_recipe_too(self) -> None:
        path = self.folder / "s.json"
        path.write_text(json.dumps({"recipe": {"exposure": 0.3}, "pick": True}))
        self.assertEqual(load_recipe(path).exposure, 0.3)

    def test_what_is_not_a_recipe(self) -> None:
        for name, text, pattern in (
            ("a.json", "{", "not a recipe"), ("b.json", "[1]", "not a JSON object"), ("c.json", "", "empty"),
            ("d.json", '{"schema": 999}', "newer Bruto"), ("e.json", '{"exposure": 1e9}', "exposure"),
        ):  # fmt: skip
            path = self.folder / name
            path.write_text(text)
            with self.assertRaisesRegex(BrutoError, pattern) as caught:
                load_recipe(path)
            self.assertIn(name, str(caught.exception))
        with self.assertRaisesRegex(BrutoError, "does not exist"):
            load_recipe(self.folder / "none.json")


class EarlierSchemas(unittest.TestCase):
    """What was written before fields had their names of today."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_recipes(self) -> None:
        dark = {"dark": {"hue": 40.0, "amount": 0.08}}
        path = self.folder / "r.json"
        path.write_text(json.dumps({"schema": 1, "level": -1.5, "balance": dark, "bypassed": ["level", "chroma"]}))
        found = load_recipe(path)
        self.assertEqual(
            (found.horizon, found.split_tint.shadows.amount, found.bypassed), (-1.5, 0.08, ("horizon", "chroma"))
        )
        self.assertEqual(found.effective().horizon, 0.0)
        self.assertEqual(found.model_dump(by_alias=True)["schema"], SCHEMA)

    def test_sidecars_and_their_history(self) -> None:
        raw = self.folder / "a.dng"
        raw.write_bytes(b"raw")
        sidecar_path(raw).write_text(
            json.dumps(
                {
                    "revision": 3,
                    "recipe": {"schema": 1, "level": 2.0},
                    "history": [["level", {"level": 0.5}], ["exposure", {"exposure": 0.0}]],
                }
            )
        )
        edit = Edit(raw)
        self.assertEqual((edit.problem, edit.recipe.horizon), ("", 2.0))
        edit.undo()
        edit.undo()
        self.assertEqual(edit.recipe.horizon, 0.5)

    def test_a_newer_schema_is_not_taken_for_this_one(self) -> None:
        with self.assertRaisesRegex(BrutoError, "newer Bruto"):
            recipe_from({"schema": SCHEMA + 1, "level": 2.0})


class Schema(unittest.TestCase):
    def test_the_published_schema_is_current(self) -> None:
        from tools.recipe_schema import OUT, schema_text

        self.assertEqual(OUT.read_text("utf-8"), schema_text())

    def test_defaults_and_written_recipes_satisfy_it(self) -> None:
        from tools.recipe_schema import schema_text

        schema = json.loads(schema_text())
        values = Recipe(exposure=1.0).model_dump(by_alias=True)
        for name, rule in schema["properties"].items():
            value = values[name]
            if isinstance(value, float) and "minimum" in rule:
                self.assertLessEqual(rule["minimum"], value)
                self.assertGreaterEqual(rule["maximum"], value)
