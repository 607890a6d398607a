"""Shots that were never edited: they start with their suggestions, and are shown as they would be developed."""

from __future__ import annotations

import time
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
from PySide6.QtTest import QTest

from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.develop.suggest.suggestion import Suggestion
from bruto.develop.thumbnail import small_picture
from bruto.session.edit import Edit
from bruto.session.initial_edits import InitialPicture, find_start
from bruto.session.workers import AGAIN
from bruto.shoot.sidecar import load_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from bruto.storage import render_cache
from bruto.storage.settings import load_settings
from tests.app.windows import LEFT, WindowTest, pixels
from tests.shots import SMALL, copy_of, raws_of, taken


def suggested(path: Path) -> Recipe:
    """What a file's suggestions make, found without the window."""
    return take_all(Recipe(), suggest_all(Developer(open_source(path))))


class Starts(WindowTest):
    start = "suggestions"

    def fill(self) -> None:
        shots = [*taken("card", size=SMALL, seed=3), *taken("pans", size=SMALL)]
        shots += taken("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0))
        self.raws = copy_of([s["files"][0] for s in shots], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.wait(lambda: self.window.session.starting.worker.idle())
        self.choose("card-003")
        self.card = self.raws[0]

    def small(self, path: Path) -> np.ndarray:
        return pixels(self.window.shots.model.thumbs[str(path)][0]).astype(float)

    def test_it_is_in_force_and_nothing_is_written(self) -> None:
        edit, ledger = self.window.correct.edit, self.window.correct.ledger
        self.assertEqual(edit.recipe, suggested(self.card))
        self.assertNotEqual(edit.recipe, Recipe())
        self.assertFalse(edit.can_undo)
        self.assertEqual(ledger.head.all_button.text(), "Suggested")
        self.choose("pans-001")
        self.assertFalse(any(sidecar_path(raw).exists() for raw in self.raws))
        whole = Developer(open_source(self.card)).view(suggested(self.card), 4)
        self.choose("card-003")
        np.testing.assert_array_equal(self.picture(), whole)

    def test_a_change_stands_on_top_and_is_taken_back(self) -> None:
        start = self.window.correct.edit.recipe
        self.window.correct.edit.change("exposure", exposure=1.25)
        self.window.correct.save()
        side, _ = load_sidecar(self.card)
        self.assertEqual(side.recipe, start.changed(exposure=1.25))
        QTest.mouseClick(self.window.correct.ledger.head.undo_button, LEFT)
        self.assertEqual(self.window.correct.edit.recipe, start)

    def test_a_verdict_alone_writes_no_values(self) -> None:
        self.window.session.judge("keep")
        self.settle()
        side, _ = load_sidecar(self.card)
        self.assertEqual((side.verdict, side.recipe), ("keep", Recipe()))
        self.assertEqual(Edit(self.card).untouched, True)
        self.assertEqual(self.window.correct.edit.recipe, suggested(self.card))

    def test_shots_that_were_never_opened_are_shown_as_they_would_be_developed(self) -> None:
        thumbs = self.window.shots.model.thumbs
        self.wait(lambda: all(thumbs[str(raw)][1] == "developed" for raw in self.raws))
        for raw in self.raws[2:]:
            expected = small_picture(Developer(open_source(raw)), suggested(raw)).astype(float)
            self.assertLess(np.abs(self.small(raw) - expected).mean(), 3)  # a JPEG lies between
        board = self.window.intake.board.cards.thumbs
        self.assertTrue(all(board[str(raw)][1] == "developed" for raw in self.raws))

    def test_values_are_used_on_top_of_each_shots_own_start(self) -> None:
        closed = self.raws[-1]
        self.assertNotIn(str(closed), self.window.session.opened.edits)
        before = self.small(closed)
        self.window.session.use_recipe({"exposure": 2.5}, "bright", "all")
        self.settle()
        self.assertEqual(load_sidecar(closed)[0].recipe, suggested(closed).changed(exposure=2.5))
        self.wait(lambda: self.small(closed).mean() > before.mean() + 10)

    def test_what_leaves_is_what_is_seen(self) -> None:
        closed = self.raws[-1]
        out = self.folder.parent / "out"
        out.mkdir()
        page = self.window.export
        page.folder.setText(str(out))
        shot = next(s for s in self.window.shoot.shots if s.main == closed)
        self.window.session.export_shots(out, ".png", page.preset(), [shot])
        self.wait(lambda: not self.window.session.queue.unfinished())
        (job,) = self.window.session.queue.jobs
        self.assertEqual(job.recipe, suggested(closed))
        self.assertTrue((out / f"{shot.name}.png").is_file())

    def test_the_setting_changes_all_that_was_never_edited(self) -> None:
        closed, starting = self.raws[-1], self.window.session.starting
        ledger = self.window.correct.ledger
        ledger.head.starts[False].trigger()
        self.assertEqual(self.window.correct.edit.recipe, Recipe())
        self.wait(starting.worker.idle)
        self.app.processEvents()
        expected = small_picture(Developer(open_source(closed)), Recipe()).astype(float)
        self.wait(lambda: np.abs(self.small(closed) - expected).mean() < 3)
        self.assertEqual(load_settings().start, "defaults")
        ledger.head.starts[True].trigger()
        self.assertEqual(self.window.correct.edit.recipe, suggested(self.card))
        self.assertTrue(ledger.head.starts[True].isChecked() and not ledger.head.starts[False].isChecked())

    def test_the_preview_stays_until_the_suggestions_are_known(self) -> None:
        """Flat default values are never shown in between."""
        seen: list[Recipe] = []
        view = Developer.view

        def watched(developer: Developer, recipe: Recipe, *args: object, **more: object) -> object:
            seen.append(recipe)
            return view(developer, recipe, *args, **more)

        pans = self.raws[1]
        starting = self.window.session.starting
        starting.forget([pans])
        with (
            mock.patch("bruto.session.initial_edits.saved_start", return_value=None),
            mock.patch.object(Developer, "view", watched),
        ):
            self.choose("pans-001")
            self.settle()
        self.assertEqual(self.window.correct.edit.recipe, suggested(pans))
        self.assertNotIn(Recipe(), [r for r in seen if r == self.window.correct.edit.recipe or r == Recipe()])


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(self.enterContext(TemporaryDirectory()))
        (self.raw,) = copy_of(raws_of("card", size=SMALL)[:1], folder)
        self.begin = Recipe(exposure=1.0, chroma=1.1)

    def test_what_was_changed_meanwhile_stands_on_top(self) -> None:
        edit = Edit(self.raw)
        edit.awaits_start = True
        edit.change("exposure", exposure=2.0)
        edit.start_with(self.begin)
        self.assertEqual(edit.recipe, Recipe(exposure=2.0, chroma=1.1))
        edit.undo()
        self.assertEqual(edit.recipe, self.begin)

    def test_values_that_were_changed_once_are_never_replaced(self) -> None:
        edit = Edit(self.raw)
        edit.change("exposure", exposure=2.0)
        edit.reset()
        edit.save()
        for other in (edit, Edit(self.raw)):
            other.start_with(self.begin)
            self.assertEqual(other.recipe, Recipe())

    def test_what_is_in_force_is_written_once_it_is_taken(self) -> None:
        edit = Edit(self.raw)
        edit.start_with(self.begin)
        edit.set_suggestions(
            {"exposure": Suggestion("exposure", 1.0, "", 0.0), "chroma": Suggestion("chroma", 1.1, "", 0.0)}
        )
        edit.take_all()
        edit.save()
        self.assertEqual(load_sidecar(self.raw)[0].recipe, self.begin)
        edit.undo()
        self.assertEqual(edit.recipe, self.begin)

    def test_a_drag_that_ends_where_it_began_changes_nothing(self) -> None:
        edit = Edit(self.raw)
        edit.start_with(self.begin)
        edit.change("exposure", final=False, exposure=3.0)
        edit.change("exposure", exposure=1.0)
        self.assertTrue(edit.untouched)
        self.assertEqual((edit.recipe, edit.unsaved), (self.begin, False))


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        self.home = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict("os.environ", {"XDG_CACHE_HOME": str(self.home / "cache")}))
        (self.raw,) = copy_of(raws_of("card", size=SMALL)[:1], self.home)

    def small(self) -> np.ndarray:
        making = InitialPicture(self.raw, None, True)
        while (found := making.step()) is AGAIN:
            pass
        return found

    def test_what_is_kept_is_found_again_without_opening_the_file(self) -> None:
        first = self.small()
        with mock.patch("bruto.session.initial_edits.open_source", side_effect=AssertionError):
            again = self.small()
            self.assertEqual(find_start(self.raw), suggested(self.raw))
        self.assertLess(np.abs(first.astype(float) - again).mean(), 3)

    def test_a_damaged_entry_or_another_version_counts_as_none(self) -> None:
        start = find_start(self.raw)
        (entry,) = (p for p in (self.home / "cache/bruto/made/start").rglob("*") if p.is_file())
        entry.write_bytes(b"{")
        self.assertEqual(find_start(self.raw), start)
        beside = self.home / "cache/bruto/made/start/of-the-user"
        beside.mkdir()
        with mock.patch.object(render_cache, "makers", return_value="another"):
            self.assertIsNone(render_cache.load("start", entry.name))
            render_cache.store("start", entry.name, b"{}")
        self.assertFalse(entry.exists(), "what another version made is swept away")
        self.assertTrue(beside.is_dir())

    def test_a_full_disk_is_no_reason_to_fail(self) -> None:
        with mock.patch.object(render_cache, "write_own", side_effect=OSError("no room")):
            began = time.monotonic()
            self.assertEqual(find_start(self.raw), suggested(self.raw))
        self.assertLess(time.monotonic() - began, 60)
