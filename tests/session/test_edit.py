"""The models behind the window, without a window."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from bruto.develop.recipe import Recipe
from bruto.develop.suggest.suggestion import Suggestion
from bruto.errors import BrutoError
from bruto.session.edit import Edit
from bruto.session.shoot import Shoot, shot_facts
from bruto.shoot.sidecar import load_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from tests.shots import SMALL, copy_of, raws_of, taken


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        (self.raw,) = copy_of(raws_of("card", size=SMALL)[:1], self.folder)
        self.edit = Edit(self.raw)
        self.events: list[str] = []
        self.messages: list[str] = []
        self.edit.changed.connect(lambda: self.events.append("changed"))
        self.edit.message.connect(self.messages.append)

    def test_a_drag_is_one_step(self) -> None:
        for value in (0.1, 0.2, 0.3):
            self.edit.change("exposure", final=False, exposure=value)
        self.edit.change("exposure", exposure=0.4)
        self.assertEqual(len(self.events), 4)
        self.assertEqual(self.edit.undo(), "exposure")
        self.assertEqual(self.edit.recipe, Recipe())
        self.assertEqual(self.edit.redo(), "exposure")
        self.assertEqual(self.edit.recipe.exposure, 0.4)

    def test_a_new_change_forgets_what_was_undone(self) -> None:
        self.edit.change("exposure", exposure=0.4)
        self.edit.undo()
        self.edit.change("chroma", chroma=1.2)
        self.assertFalse(self.edit.can_redo)

    def test_the_same_value_is_no_step(self) -> None:
        self.edit.change("exposure", exposure=0.0)
        self.assertFalse(self.edit.can_undo)

    def test_out_of_range_is_a_message(self) -> None:
        self.assertFalse(self.edit.change("exposure", exposure=99))
        self.assertIn("exposure", self.messages[0])
        self.assertEqual(self.edit.recipe, Recipe())

    def test_suggestions(self) -> None:
        tone = Suggestion("tone", Recipe().tone, "fits", 0.0)
        self.edit.set_suggestions({"exposure": Suggestion("exposure", 0.8, "dark", 1.0), "tone": tone})
        self.assertEqual(self.edit.open_suggestions(), ["exposure"])
        self.edit.take("exposure")
        self.assertEqual((self.edit.recipe.exposure, self.edit.open_suggestions()), (0.8, []))
        self.edit.reset()
        self.edit.take_all()
        self.assertEqual(self.edit.recipe.exposure, 0.8)
        self.assertEqual(self.edit.undo(), "all suggestions applied")

    def test_history_survives_saving(self) -> None:
        self.edit.change("exposure", exposure=0.4)
        self.edit.change("chroma", chroma=1.2)
        self.edit.undo()
        self.edit.save()
        again = Edit(self.raw)
        self.assertEqual((again.recipe.exposure, again.recipe.chroma), (0.4, Recipe().chroma))
        self.assertEqual((again.undo(), again.redo(), again.redo()), ("exposure", "exposure", "chroma"))

    def test_nothing_is_written_without_a_change(self) -> None:
        self.edit.save()
        self.assertFalse(sidecar_path(self.raw).exists())

    def test_another_writer_becomes_a_message_and_loses_nothing(self) -> None:
        self.edit.change("exposure", exposure=0.4)
        self.edit.save()
        other = Edit(self.raw)
        other.change("exposure", exposure=-1.0)
        other.save()
        self.edit.change("exposure", exposure=2.0)
        self.edit.save()
        self.assertIn("Both changed exposure", self.messages[-1])
        side = load_sidecar(self.raw)[0]
        self.assertEqual((side.recipe.exposure, self.edit.recipe.exposure, self.edit.not_saved), (2.0, 2.0, ""))
        self.assertEqual([side.version(name).exposure for name in side.versions], [-1.0])


class Shoots(unittest.TestCase):
    def test_facts_in_words(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            copy_of(taken("card", size=SMALL)[0]["files"], folder)
            copy_of(taken("pans", size=SMALL)[0]["files"][1:], folder)
            (folder / "broken.dng").write_bytes(b"x")
            shoot = Shoot()
            seen: list[str] = []
            shoot.opened.connect(lambda: seen.append("opened"))
            shoot.current_changed.connect(lambda: seen.append("current"))
            shoot.open([folder], "Day")
            facts = {s.name: shot_facts(s) for s in shoot.shots}
            self.assertRegex(facts["card-001"][0], r"^ISO \d+ · 1/\d+ s$")
            self.assertEqual(facts["card-001"][1], "raw + picture")
            self.assertEqual(facts["pans-001"][1], "picture only, no raw")
            self.assertEqual(facts["broken"][0], "cannot be opened")
            shoot.select(shoot.shots[0])
            shoot.select(shoot.shots[0])
            self.assertEqual(seen, ["opened", "current"])
            with self.assertRaises(BrutoError):
                shoot.open([folder / "none"])
            self.assertEqual(len(shoot.shots), 3)
