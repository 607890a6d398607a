"""The phone's look: known changes are found again, unknown processing is matched on places that no fit saw."""

from __future__ import annotations

import json
import unittest
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
from typer.testing import CliRunner

from bruto.align.registration import register_codes
from bruto.cli import app
from bruto.compare.match.parts import PARTS, mixed, parts_of
from bruto.compare.match.solver import Match, match
from bruto.compare.match.tone import match_exposure
from bruto.container.picture import read_picture
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_files import load_recipe
from bruto.develop.recipe_values import LocalTone
from bruto.develop.source import open_source
from bruto.errors import BrutoError, Cancelled
from tests.extent import long, share
from tests.photographs import KINDS, light_of, source_of
from tests.processing import Processing, finished
from tests.shots import MIDDLE, SMALL, copy_of, raw_of, taken

LESS = (800, 600)
"""Size of captures whose own development is the picture: half of the work, and the changes are found as well."""


@cache
def developed(scene: str, size: tuple[int, int] = MIDDLE) -> Developer:
    return Developer(open_source(raw_of(scene, size=size, seed=2)))


def matched(developer: Developer, picture: np.ndarray, recipe: Recipe | None = None) -> Match:
    recipe = recipe or Recipe()
    return match(developer, picture, register_codes(developer.render(recipe), picture), recipe)


class KnownChanges(unittest.TestCase):
    """A raw developed with other values is the picture: those values are told, within 20 %."""

    def test_what_was_done_is_told(self) -> None:
        for scene in share(("pans", "crystals"), 2):
            developer = developed(scene, LESS)
            kelvin, _ = developer.as_shot()
            truth = {"contrast": 0.85, "exposure": 0.4, "chroma": 1.3, "temperature": round(1.09 * kelvin)}
            found = matched(developer, developer.render(Recipe(chroma=1.0).changed(**truth)))
            did = {d.what: d.value for d in found.did}
            with self.subTest(scene):
                self.assertAlmostEqual(did["exposure"], 0.4, delta=0.08)
                self.assertAlmostEqual(did["contrast"], -15, delta=3)
                self.assertAlmostEqual(did["white balance"], 0.09 * kelvin, delta=0.2 * 0.09 * kelvin)
                self.assertAlmostEqual(did["chroma"], 30, delta=6)
                self.assertLess(abs(did["local tone"]), 0.1)
                self.assertLess(abs(did["smoothing"]), 5)
                self.assertLess(found.after[0], 0.4)
                self.assertGreater(found.before[0], 5)

    def test_what_was_not_done_is_not_told(self) -> None:
        developer = developed("pans", LESS)
        found = matched(developer, developer.render(Recipe(chroma=1.0, sharpness=1.4)))
        did = {d.what: d.value for d in found.did}
        self.assertNotIn("white balance", did)
        self.assertGreater(did["sharpening"], 0)  # which alone was done
        self.assertGreater(found.recipe.sharpness, 1.2)
        self.assertLess(found.recipe.sharpness, 1.6)
        for what, least in (("exposure", 0.05), ("contrast", 2), ("chroma", 3), ("shadows", 0.05)):
            self.assertLess(abs(did[what]), least, what)

    @long
    def test_less_sharpness_is_found_again(self) -> None:
        developer = developed("pans", LESS)
        found = matched(developer, developer.render(Recipe(sharpness=0.2)))
        self.assertGreater(found.recipe.sharpness, 0.05)
        self.assertLess(found.recipe.sharpness, 0.4)
        self.assertLess(next(d.value for d in found.did if d.what == "sharpening"), 0)

    def test_a_local_field_is_found_again(self) -> None:
        """Light raised at the left and lowered at the right, more in the dark."""
        developer = developed("pans", LESS)
        gains = np.zeros((9, 12, 8))
        gains += np.linspace(0.6, -0.6, 12)[None, :, None] * np.linspace(1.2, 0.6, 8)[None, None]
        field = LocalTone(columns=12, rows=9, lights=8, gains=tuple(float(g) for g in gains.ravel()))
        found = matched(developer, developer.render(Recipe(chroma=1.0).changed(local_tone=field.model_dump())))
        self.assertLess(found.after[0], 0.6)
        got = np.array(found.recipe.local_tone.gains).reshape(9, 12, 8)
        self.assertGreater(got[:, :3].mean() - got[:, -3:].mean(), 0.5)
        local = next(d.value for d in found.did if d.what == "local tone")
        self.assertAlmostEqual(local, 0.9, delta=0.3)


class Pictures(unittest.TestCase):
    def test_the_simulated_phones_pictures(self) -> None:
        for scene in share(("boiling-house", "card", "pans"), 3):
            shot = taken(scene, size=MIDDLE, seed=2)[0]
            found = matched(developed(scene), read_picture(shot["files"][1]).pixels)
            with self.subTest(scene):
                self.assertLess(found.after[0], 2.0)
                self.assertLess(found.after[1], 6.0)
                self.assertLess(found.after[0], 0.35 * found.before[0])
                self.assertGreater(found.withheld, 60)
                did = {d.what: d.value for d in found.did}
                self.assertGreater(did["shadows"], 0.1)
                self.assertGreater(did["chroma"], 10)
                self.assertGreater(did["sharpening"], 5)

    def test_photographs_under_another_processing(self) -> None:
        warm = Processing(lift=0.1, compress=0.15, color=1.4, warm=1.12, sharp=0.5, smear=6.0)
        for name, how, sensor in share((("coffee", warm, KINDS[2]), ("chelsea", Processing(), KINDS[1])), 2):
            light = light_of(name)
            with TemporaryDirectory() as folder, self.subTest(name):
                developer = Developer(source_of(Path(folder), light, sensor))
                found = matched(developer, finished(light, how))
                self.assertLess(found.after[0], 2.0)
                self.assertLess(found.after[1], 6.0)
                did = {d.what: d.value for d in found.did}
                self.assertGreater(did["chroma"], 5)
                if how is warm:
                    self.assertGreater(did["white balance"], 150)

    def test_it_can_be_stopped(self) -> None:
        developer = developed("pans")
        picture = read_picture(taken("pans", size=MIDDLE, seed=2)[0]["files"][1]).pixels
        alignment = register_codes(developer.render(Recipe()), picture)
        notice: list[float] = []
        with self.assertRaises(Cancelled):
            match(developer, picture, alignment, Recipe(), notice.append, lambda: len(notice) > 2)
        self.assertEqual(notice, sorted(notice))
        self.assertLess(notice[-1], 0.9)

    def test_black_pictures_are_refused_in_words(self) -> None:
        developer = developed("pans")
        picture = read_picture(taken("pans", size=MIDDLE, seed=2)[0]["files"][1]).pixels
        alignment = register_codes(developer.render(Recipe()), picture)
        for value in (0, 255):
            with self.assertRaisesRegex(BrutoError, "oo little of both pictures"):
                match(developer, np.full_like(picture, value), alignment, Recipe())

    def test_frame_and_noise_of_the_shot_stay(self) -> None:
        developer = developed("card", LESS)
        own = Recipe(horizon=1.5, crop=(-0.3, -0.2, 0.2, 0.1), chroma_noise=1.7)
        picture = read_picture(taken("card", size=LESS, seed=2)[0]["files"][1]).pixels
        with mock.patch("bruto.compare.match.solver.match_detail", side_effect=lambda d, p, a, r: (r, None)):
            found = match(developer, picture, register_codes(developer.render(Recipe()), picture), own)
        for field in ("horizon", "crop", "chroma_noise"):
            self.assertEqual(getattr(found.recipe, field), getattr(own, field))

    def test_exposure_alone(self) -> None:
        """The closed part of the fit: a picture that is developed 0.7 EV brighter asks for 0.7 EV."""
        from bruto.compare.match.pair import pair_of

        developer = developed("card")
        picture = developer.render(Recipe(exposure=0.7))
        pair = pair_of(developer, picture, register_codes(picture, picture), Recipe())
        found, _ = match_exposure(pair, Recipe())
        self.assertAlmostEqual(found.exposure, 0.7, delta=0.05)


class InPart(unittest.TestCase):
    def setUp(self) -> None:
        self.start = Recipe(exposure=0.2, chroma=1.0, temperature=5000.0, sharpness=0.5)
        gains = tuple([0.5] * 8)
        self.found = Recipe(
            exposure=1.0, chroma=1.5, temperature=6250.0, sharpness=1.0, local_strength=1.0,
            local_tone=LocalTone(columns=1, rows=1, lights=8, gains=gains),
            hue_nodes=({"hue": 90.0, "shift": 10.0, "chroma": 1.4, "lightness": 4.0},),  # type: ignore[arg-type]
        )  # fmt: skip

    def test_parts(self) -> None:
        tone = mixed(self.start, self.found, ("tone",))
        self.assertEqual((tone.exposure, tone.chroma, tone.temperature), (1.0, 1.0, 5000.0))
        self.assertEqual(tone.local_tone, LocalTone())
        everything = mixed(self.start, self.found)
        for field in (f for _, fields in PARTS.values() for f in fields):
            self.assertEqual(getattr(everything, field), getattr(self.found, field), field)
        self.assertEqual(parts_of("tone, local"), ("tone", "local"))
        with self.assertRaisesRegex(BrutoError, "no part 'mood'"):
            parts_of("mood")

    def test_strength(self) -> None:
        half = mixed(self.start, self.found, strength=0.5)
        self.assertAlmostEqual(half.exposure, 0.6)
        self.assertAlmostEqual(half.chroma, 1.25)
        self.assertEqual(half.temperature, 5556)  # half way in mired
        self.assertEqual(half.local_strength, 0.5)
        self.assertEqual((half.hue_nodes[0].shift, half.hue_nodes[0].chroma), (5.0, 1.2))
        none = mixed(self.start, self.found, strength=0.0)
        self.assertEqual((none.exposure, none.chroma, none.temperature), (0.2, 1.0, 5000))
        as_shot = mixed(Recipe(), self.found, ("white",), 0.5, (6250.0, 0.001))
        self.assertEqual(as_shot.temperature, 6250)


class CommandLine(unittest.TestCase):
    def test_match_writes_a_recipe_and_says_what_the_phone_did(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            raw, phone = copy_of(taken("pans", size=SMALL, seed=2)[0]["files"], folder)
            out = folder / "look.json"
            done = CliRunner().invoke(app, ["match", str(raw), str(phone), "-o", str(out), "--json"])
            self.assertEqual(done.exit_code, 0, done.output)
            text = json.loads(done.stdout)
            self.assertLess(text["delta_e00"]["median"], 2)
            self.assertGreater(text["delta_e00"]["before_median"], text["delta_e00"]["median"])
            self.assertEqual({"what", "value", "unit"}, set(text["did"][0]))
            self.assertGreater(len(load_recipe(out).local_tone.gains), 100)
            again = CliRunner().invoke(app, ["match", str(raw), str(phone), "-o", str(out)])
            self.assertEqual(again.exit_code, 1)
            swapped = CliRunner().invoke(app, ["match", str(phone), str(raw), "-o", str(folder / "b.json")])
            self.assertEqual(swapped.exit_code, 1)
            self.assertFalse((folder / "b.json").exists())
