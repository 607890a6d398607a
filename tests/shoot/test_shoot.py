"""Folders as shoots, and what is kept beside the files."""

from __future__ import annotations

import json
import os
import shutil
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np

from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError, FileProblem
from bruto.shoot.folder import open_shoot
from bruto.shoot.sets import find_sets
from bruto.shoot.shots import oriented_preview, read_shot
from bruto.shoot.sidecar import Sidecar, existing_sidecar, load_sidecar, save_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from tests.shots import SMALL, copy_of, raw_of, raws_of, taken


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder / "home")}))


class Shoots(Folder):
    def test_raw_and_picture_of_one_stem_are_one_shot(self) -> None:
        shot = taken("card", size=SMALL)[0]
        copy_of(shot["files"], self.folder)
        (found,) = open_shoot([self.folder])
        assert found.raw and found.picture and found.meta
        self.assertEqual((found.raw.suffix, found.picture.suffix), (".dng", ".jpg"))
        self.assertEqual(found.main, found.raw)
        self.assertEqual((found.meta.width, found.meta.height), SMALL)
        self.assertIsNotNone(found.preview)

    def test_a_broken_file_hides_nothing(self) -> None:
        copy_of([raw_of("card", size=SMALL)], self.folder)
        (self.folder / "broken.dng").write_bytes(b"no")
        (self.folder / "empty.jpg").touch()
        (self.folder / "notes.txt").write_text("x")
        shots = {s.name: s for s in open_shoot([self.folder])}
        self.assertEqual(set(shots), {"card-001", "broken", "empty"})
        self.assertEqual(shots["card-001"].problem, "")
        self.assertIn("broken.dng", shots["broken"].problem)
        self.assertIn("empty", shots["empty"].problem)

    def test_a_picture_alone_is_a_shot(self) -> None:
        copy_of([taken("card", size=SMALL)[0]["files"][1]], self.folder)
        (found,) = open_shoot([self.folder])
        self.assertIsNone(found.raw)
        assert found.meta
        self.assertEqual((found.meta.kind, found.meta.iso), ("picture", taken("card", size=SMALL)[0]["iso"]))

    def test_previews_are_the_right_way_up(self) -> None:
        shot = read_shot(raw_of("card", size=SMALL), None)
        assert shot.meta is not None
        self.assertEqual(oriented_preview(shot).shape, (SMALL[1] // 4, SMALL[0] // 4, 3))
        assert shot.seen is not None
        turned = replace(shot, seen=replace(shot.seen, orientation=6))
        self.assertEqual(oriented_preview(turned).shape, (SMALL[0] // 4, SMALL[1] // 4, 3))
        np.testing.assert_array_equal(np.rot90(oriented_preview(shot), 3), oriented_preview(turned))
        with self.assertRaisesRegex(BrutoError, "no embedded preview"):
            oriented_preview(read_shot(None, Path(taken("card", size=SMALL)[0]["files"][1])))

    def test_what_cannot_be_opened(self) -> None:
        with self.assertRaisesRegex(FileProblem, "does not exist"):
            open_shoot([self.folder / "none"])
        text = self.folder / "notes.txt"
        text.write_text("x")
        with self.assertRaisesRegex(FileProblem, "neither a DNG nor a picture"):
            open_shoot([text])
        self.assertEqual(open_shoot([self.folder]), [])

    def test_sets(self) -> None:
        """A burst, a bracket and single shots, in order of time."""
        copy_of(raws_of("card", size=SMALL, count=3), self.folder)
        copy_of(raws_of("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0)), self.folder)
        copy_of([raw_of("pans", size=SMALL)], self.folder)
        shots = open_shoot([self.folder])
        times = [s.taken for s in shots if s.taken]
        self.assertEqual(times, sorted(times))
        sets = find_sets(shots)
        self.assertEqual([(s.kind, len(s.shots)) for s in sets], [("single", 1), ("bracket", 3), ("burst", 3)])
        self.assertEqual(sets[1].title, "Boiling house")


class Sidecars(Folder):
    def setUp(self) -> None:
        super().setUp()
        (self.raw,) = copy_of([raw_of("card", size=SMALL)], self.folder)

    def test_round_trip_with_history(self) -> None:
        side = Sidecar(
            recipe=Recipe(exposure=1.0),
            history=[("exposure", {"exposure": 0.0})],
            future=[("tint", {"tint": 0.01})],
            versions={"warm": {"exposure": 0.5}},
            verdict="keep",
            note="good",
        )
        where, _ = save_sidecar(self.raw, side)
        self.assertEqual(where, sidecar_path(self.raw))
        self.assertEqual(where.name, "card-001.dng.bruto.json")
        back, problem = load_sidecar(self.raw)
        self.assertEqual((problem, back.recipe.exposure, back.verdict, back.note), ("", 1.0, "keep", "good"))
        self.assertEqual((back.history, back.future), (side.history, side.future))
        self.assertEqual(back.version("warm"), Recipe(exposure=0.5))

    def test_none_yet(self) -> None:
        side, problem = load_sidecar(self.raw)
        self.assertEqual((side.recipe, problem, side.revision), (Recipe(), "", 0))

    def test_another_writer_is_noticed(self) -> None:
        mine, _ = load_sidecar(self.raw)
        save_sidecar(self.raw, mine)
        theirs, _ = load_sidecar(self.raw)
        save_sidecar(self.raw, theirs)
        with self.assertRaisesRegex(FileProblem, "another program"):
            save_sidecar(self.raw, mine)
        self.assertEqual(load_sidecar(self.raw)[0].revision, theirs.revision)

    def test_a_damaged_one_is_kept_aside(self) -> None:
        sidecar_path(self.raw).write_text("{ broken")
        side, problem = load_sidecar(self.raw)
        self.assertEqual(side.recipe, Recipe())
        self.assertIn("copied aside before you change", problem)
        aside = self.folder / "card-001.dng.bruto.json.damaged"
        self.assertFalse(aside.exists())
        save_sidecar(self.raw, side)
        self.assertEqual(aside.read_text(), "{ broken")
        self.assertEqual(load_sidecar(self.raw)[1], "")

    def test_unknown_fields_survive(self) -> None:
        sidecar_path(self.raw).write_text(json.dumps({"revision": 3, "recipe": {"later": 1}, "mood": 4}))
        side, _ = load_sidecar(self.raw)
        save_sidecar(self.raw, side)
        data = json.loads(sidecar_path(self.raw).read_text())
        self.assertEqual((data["mood"], data["recipe"]["later"], data["revision"]), (4, 1, 4))

    @unittest.skipUnless(os.geteuid() == 0, "needs to give up the rights of root")
    def test_a_read_only_folder_uses_the_data_folder(self) -> None:
        home = self.folder / "home"
        home.mkdir(mode=0o777)
        home.chmod(0o777)
        self.folder.chmod(0o555)
        os.seteuid(65534)
        try:
            side, _ = load_sidecar(self.raw)
            side.note = "kept"
            where, _ = save_sidecar(self.raw, side)
        finally:
            os.seteuid(0)
            self.folder.chmod(0o755)
        self.assertTrue(where.is_relative_to(home))
        self.assertEqual(load_sidecar(self.raw)[0].note, "kept")
        moved = shutil.copy2(self.raw, self.folder / "renamed.dng")  # found by content, not by name
        self.assertEqual(existing_sidecar(moved), where)

    def test_the_original_is_untouched(self) -> None:
        before = (self.raw.read_bytes(), self.raw.stat().st_mtime_ns)
        save_sidecar(self.raw, Sidecar())
        self.assertEqual((self.raw.read_bytes(), self.raw.stat().st_mtime_ns), before)
