"""Changes to many shots at once: written beside each, off the interface thread, none lost."""

from __future__ import annotations

import threading
from unittest import mock

from bruto.session.edit import Edit
from bruto.shoot.sidecar import load_sidecar
from tests.app.windows import WindowTest
from tests.shots import SMALL, copy_of, taken

SHOTS = 9


class ManyShots(WindowTest):
    def fill(self) -> None:
        shots = [*taken("sluice", size=SMALL, count=4, iso=800.0), *taken("card", size=SMALL, seed=3)]
        shots += [*taken("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0)), *taken("pans", size=SMALL)]
        self.raws = copy_of([s["files"][0] for s in shots], self.folder)
        self.assertEqual(len(self.raws), SHOTS)

    def setUp(self) -> None:
        super().setUp()
        self.choose("sluice-001-01")

    def recipes(self) -> list:
        return [load_sidecar(raw)[0].recipe for raw in self.raws]

    def test_two_requests_are_both_done(self) -> None:
        self.window.session.use_recipe({"exposure": 0.5}, "bright", "all")
        self.window.session.use_recipe({"chroma": 0.9}, "quiet", "all")
        self.settle()
        self.assertEqual({(r.exposure, r.chroma) for r in self.recipes()}, {(0.5, 0.9)})
        self.assertIn(str(SHOTS), self.window.message.text())
        side, _ = load_sidecar(self.raws[-1])
        self.assertEqual([what for what, _ in side.history], ["recipe:bright", "recipe:quiet"])

    def test_files_are_written_off_the_interface_thread(self) -> None:
        threads = []
        save = Edit.save

        def watched(edit: Edit) -> None:
            threads.append(threading.current_thread())
            save(edit)

        with mock.patch.object(Edit, "save", watched):
            self.window.session.use_recipe({"exposure": 0.5}, "bright", "all")
            self.settle()
        opened = len(self.window.session.opened.edits)  # those are this thread's own
        self.assertEqual(sum(t is threading.main_thread() for t in threads), opened)
        self.assertEqual(len(threads), SHOTS)
        self.assertLess(opened, 4)

    def test_what_goes_wrong_is_said(self) -> None:
        with mock.patch("bruto.session.edit.save_sidecar", side_effect=OSError("no room")):
            self.window.session.use_recipe({"exposure": 0.5}, "bright", "all")
            self.settle()
        self.assertIn("no room", self.window.message.text())

    def test_one_that_fails_does_not_stop_the_others(self) -> None:
        change = Edit.change
        broken = next(str(raw) for raw in self.raws if str(raw) not in self.window.session.opened.edits)

        def act(edit: Edit, what: str, **values: object) -> bool:
            if str(edit.path) == broken:
                raise OSError("cannot be read")
            return change(edit, what, **values)

        with mock.patch.object(Edit, "change", act):
            self.window.session.use_recipe({"exposure": 0.5}, "bright", "all")
            self.settle()
        self.assertEqual(sum(r.exposure == 0.5 for r in self.recipes()), SHOTS - 1)
        self.assertIn("cannot be read", self.window.message.text())

    def test_a_shot_opened_meanwhile_changes_in_the_window(self) -> None:
        """The writer leaves it to the window, which shows the new value and keeps it."""
        target = next(s for s in self.window.shoot.shots if str(s.main) not in self.window.session.opened.edits)
        edit = Edit(target.main)
        waiting = self.window.session.bulk
        ask = waiting._channel.ask

        def late(*arguments: object) -> None:
            self.window.session.opened.edits[str(target.main)] = edit
            ask(*arguments)

        with mock.patch.object(waiting._channel, "ask", late):
            self.window.session.use_recipe({"exposure": 0.5}, "bright", "all")
            self.settle()
        self.assertEqual(edit.recipe.exposure, 0.5)
        self.assertIn(str(SHOTS), self.window.message.text())

    def test_closing_waits_until_all_is_written(self) -> None:
        self.window.session.use_recipe({"exposure": -0.5}, "dark", "all")
        self.window.close()
        self.assertEqual({r.exposure for r in self.recipes()}, {-0.5})

    def test_gear_of_the_set(self) -> None:
        self.window.session.note_gear("wide add-on lens")
        self.settle()
        gear = [load_sidecar(raw)[0].gear for raw in self.raws]
        self.assertEqual(gear, ["wide add-on lens"] * 4 + [""] * 5)  # the burst's four alone
