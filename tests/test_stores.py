"""What Bruto keeps is not lost: damaged, unreadable and newer sidecars, full disks, two windows, other programs' XMP,
names that collide, hostile stores.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import time
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.develop.recipe import Recipe
from bruto.develop.recipe_library import NamedRecipe, drop, keep, saved_recipes
from bruto.errors import BrutoError, FileProblem
from bruto.export.preset_library import presets_path, save_preset, saved_presets
from bruto.phones.card import PhoneCard, card_from, load_card, save_card, written
from bruto.session.edit import Edit
from bruto.session.shoot import Shoot
from bruto.session.verdicts import judge
from bruto.shoot.file_import import import_files
from bruto.shoot.folder import RECORD, load_record, open_shoot
from bruto.shoot.sidecar import Sidecar, load_sidecar, save_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from bruto.shoot.xmp import Rating, read_rating, write_rating, xmp_path
from bruto.storage.atomic_write import published
from bruto.storage.json_files import Damaged, parse_json
from tests.shots import SMALL, raw_of

XMP = Path(__file__).parent / "data_xmp.txt"
ROOT = os.geteuid() == 0


class Store(unittest.TestCase):
    def setUp(self) -> None:
        base = Path(self.enterContext(TemporaryDirectory()))
        homes = {f"XDG_{k}_HOME": str(base / k) for k in ("DATA", "STATE", "CACHE")}
        self.enterContext(mock.patch.dict(os.environ, homes))
        self.data = base / "DATA/bruto"
        self.folder = base / "day"
        self.folder.mkdir()
        self.raw = Path(shutil.copy2(raw_of("card", size=SMALL), self.folder / "card-001.dng"))

    def edit(self) -> tuple[Edit, list[str]]:
        edit, text = Edit(self.raw), []
        edit.message.connect(text.append)
        return edit, text

    def on_disk(self) -> dict:
        return json.loads(sidecar_path(self.raw).read_text())


class Sidecars(Store):
    def test_one_bad_value_costs_that_value_only(self) -> None:
        body = {
            "revision": 7, "recipe": {"exposure": 1e9, "contrast": 1.2, "later": {"a": 1}}, "note": "kept",
            "verdict": "keep", "mood": "calm",
            "history": [["exposure", {"exposure": 0.2}], "bad", ["contrast", {"contrast": 1.1}]],
        }  # fmt: skip
        text = json.dumps(body)
        sidecar_path(self.raw).write_text(text)
        edit, messages = self.edit()
        side = edit.sidecar
        self.assertIn("exposure is out of range", edit.problem)
        self.assertEqual((side.recipe.contrast, side.note, side.verdict, side.revision), (1.2, "kept", "keep", 7))
        self.assertEqual(len(side.history), 2)
        edit.change("chroma", chroma=1.3)
        edit.save()
        self.assertEqual((self.folder / "card-001.dng.bruto.json.damaged").read_text(), text)
        self.assertIn("saved as card-001.dng.bruto.json.damaged", " ".join(messages))
        now = self.on_disk()
        self.assertEqual((now["recipe"]["later"], now["mood"], now["recipe"]["chroma"], now["revision"]),
                         ({"a": 1}, "calm", 1.3, 8))  # fmt: skip

    def test_copies_aside_are_numbered_and_made_once(self) -> None:
        for text in ("{ one", "{ two", "{ one"):
            sidecar_path(self.raw).write_text(text)
            edit, _ = self.edit()
            edit.change("exposure", exposure=0.3)
            edit.save()
        found = {p.name: p.read_text() for p in self.folder.glob("*damaged*")}
        name = "card-001.dng.bruto.json.damaged"
        self.assertEqual(found, {name: "{ one", f"{name}-2": "{ two"})

    def test_edits_stay_off_until_a_copy_aside_has_succeeded(self) -> None:
        sidecar_path(self.raw).write_text("{ broken")
        edit, text = self.edit()
        with mock.patch("bruto.shoot.sidecar.write_new", side_effect=FileProblem("the disk is full")):
            self.assertFalse(edit.change("exposure", exposure=1.0))
            self.assertFalse(judge(edit, verdict="keep"))
            self.assertFalse(edit.versions.keep("a"))
        self.assertIn("Nothing can be changed", text[-1])
        self.assertEqual((edit.recipe, edit.sidecar.verdict), (Recipe(), ""))
        self.assertEqual(sidecar_path(self.raw).read_text(), "{ broken")
        self.assertTrue(edit.change("exposure", exposure=1.0))

    def test_one_of_a_newer_bruto_is_put_aside_too(self) -> None:
        text = json.dumps({"revision": 2, "recipe": {"schema": 99, "exposure": 0.5}, "note": "kept"})
        sidecar_path(self.raw).write_text(text)
        edit, _ = self.edit()
        self.assertIn("newer Bruto", edit.problem)
        self.assertEqual(edit.sidecar.note, "kept")
        judge(edit, verdict="discard")
        self.assertEqual((self.folder / "card-001.dng.bruto.json.damaged").read_text(), text)

    @unittest.skipUnless(ROOT, "needs to give up the rights of root")
    def test_one_that_cannot_be_read_now_is_not_written_over(self) -> None:
        save_sidecar(self.raw, Sidecar(note="kept"))
        before = sidecar_path(self.raw).read_bytes()
        for path in (self.folder, self.folder.parent):
            path.chmod(0o777)
        sidecar_path(self.raw).chmod(0o000)
        os.seteuid(65534)
        try:
            edit, text = self.edit()
            self.assertIn("you have no permission", edit.problem)
            self.assertFalse(edit.change("exposure", exposure=1.0))
            self.assertIn("not saved", text[-1])
            with self.assertRaisesRegex(FileProblem, "Not saved"):
                save_sidecar(self.raw, Sidecar(), Sidecar())
        finally:
            os.seteuid(0)
        self.assertEqual(sidecar_path(self.raw).read_bytes(), before)
        sidecar_path(self.raw).chmod(0o644)
        self.assertTrue(edit.change("exposure", exposure=1.0))  # readable again: what it holds comes first
        edit.save()
        self.assertEqual((self.on_disk()["note"], self.on_disk()["recipe"]["exposure"]), ("kept", 1.0))

    def test_what_can_only_be_a_pipe_or_huge_never_hangs(self) -> None:
        os.mkfifo(sidecar_path(self.raw))
        began = time.monotonic()
        self.assertIn("not a regular file", load_sidecar(self.raw)[1])
        sidecar_path(self.raw).unlink()
        with sidecar_path(self.raw).open("wb") as stream:
            stream.truncate(200 << 20)
        self.assertIn("larger than", load_sidecar(self.raw)[1])
        self.assertLess(time.monotonic() - began, 1)

    def test_a_name_of_245_bytes_and_names_that_are_no_text(self) -> None:
        for name in (b"n" * 245 + b".dng", b"caf\xe9 \xff.dng", b"n" * 251 + b".dng"):
            raw = Path(os.fsdecode(os.fsencode(self.folder) + b"/" + name))
            shutil.copy2(self.raw, raw)
            edit = Edit(raw)
            self.assertTrue(edit.change("exposure", exposure=0.7))
            edit.save()
            self.assertEqual(edit.not_saved, "")
            self.assertEqual(load_sidecar(raw)[0].recipe.exposure, 0.7)
            (shot,) = [s for s in open_shoot([self.folder]) if s.main == raw or raw in s.doubles][:1]
            self.assertFalse(shot.problem)

    def test_a_bad_step_of_the_history_is_passed_over(self) -> None:
        history = [["exposure", {"exposure": 0.0}], ["odd", {"exposure": 1e9}]]
        sidecar_path(self.raw).write_text(json.dumps({"revision": 1, "recipe": {"exposure": 2}, "history": history}))
        edit, text = self.edit()
        self.assertEqual((edit.undo(), edit.recipe.exposure), ("exposure", 0.0))
        self.assertIn("skipped", text[-1])
        self.assertEqual((edit.redo(), edit.recipe.exposure), ("exposure", 2.0))

    @unittest.skipUnless(ROOT and shutil.which("mount"), "needs to mount a small disk")
    def test_a_full_card_says_not_saved_and_keeps_the_older_values(self) -> None:
        card = self.folder / "card"
        card.mkdir()
        if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", card], capture_output=True).returncode:
            self.skipTest("no small disk can be mounted here")
        self.addCleanup(subprocess.run, ["umount", "-l", card])
        self.raw = Path(shutil.copy2(self.raw, card))
        edit, text = self.edit()
        edit.change("exposure", exposure=0.5)
        edit.save()
        older = sidecar_path(self.raw).read_bytes()
        with (card / "fill").open("wb", buffering=0) as stream, self.assertRaises(OSError):
            while True:
                stream.write(bytes(4096))
        edit.change("exposure", exposure=1.5)
        edit.save()
        self.assertIn("disk is full", edit.not_saved)
        self.assertTrue(edit.unsaved and text[-1].startswith("Not saved"))
        self.assertEqual(sidecar_path(self.raw).read_bytes(), older)
        self.assertFalse((self.data / "sidecars").exists())
        with self.assertRaisesRegex(FileProblem, "disk is full"), published(card / "a.jpg") as path:
            path.write_bytes(bytes(1 << 20))
        self.assertEqual(sorted(p.name for p in card.iterdir()), ["card-001.dng", "card-001.dng.bruto.json", "fill"])
        (card / "fill").unlink()
        edit.save()
        self.assertEqual((edit.not_saved, self.on_disk()["recipe"]["exposure"]), ("", 1.5))

    def test_the_higher_revision_wins(self) -> None:
        save_sidecar(self.raw, Sidecar(note="beside"))
        from bruto.shoot import sidecar as module

        spare = module._spare(self.raw)
        spare.parent.mkdir(parents=True)
        spare.write_text(json.dumps({"revision": 9, "note": "later"}))
        self.assertEqual(load_sidecar(self.raw)[0].note, "later")
        edit, _ = self.edit()
        judge(edit, gear="tripod")  # the folder can be written: back beside the file, on top of the later one
        self.assertEqual((self.on_disk()["revision"], self.on_disk()["note"]), (10, "later"))


class TwoWindows(Store):
    def test_changes_of_both_are_joined_field_by_field(self) -> None:
        mine, text = self.edit()
        theirs, _ = self.edit()
        mine.change("exposure", exposure=0.4)
        mine.save()
        theirs.change("contrast", contrast=1.2)
        judge(theirs, note="theirs", verdict="keep")
        mine.change("chroma", chroma=1.5)
        judge(mine, note="mine")
        recipe = self.on_disk()["recipe"]
        self.assertEqual((recipe["exposure"], recipe["contrast"], recipe["chroma"]), (0.4, 1.2, 1.5))
        self.assertEqual((self.on_disk()["note"], self.on_disk()["verdict"]), ("mine\ntheirs", "keep"))
        self.assertIn("used as well (contrast)", " ".join(text))
        self.assertEqual(mine.recipe.contrast, 1.2)

    def test_a_value_that_both_changed_is_kept_twice(self) -> None:
        mine, text = self.edit()
        theirs, _ = self.edit()
        theirs.change("exposure", exposure=-1.0)
        theirs.save()
        mine.change("exposure", exposure=2.0)
        mine.save()
        side = load_sidecar(self.raw)[0]
        self.assertEqual(side.recipe.exposure, 2.0)
        self.assertEqual([side.version(v).exposure for v in side.versions], [-1.0])
        self.assertIn("Both changed exposure", text[-1])
        self.assertEqual([w for w, _ in side.history].count("exposure"), 2)

    def test_a_card_written_by_hand_in_another_window_stays(self) -> None:
        card = PhoneCard("M", "Q", isos=(50.0, 100.0))
        save_card(card)
        mine, theirs = load_card("M", "Q"), load_card("M", "Q")
        save_card(written(theirs, isos=(25.0, 50.0)), theirs)
        from dataclasses import replace

        save_card(replace(mine, isos=(50.0, 100.0, 200.0), pace_s=1.5), mine)
        now = load_card("M", "Q")
        self.assertEqual((now.isos, now.pace_s, now.written), ((25.0, 50.0), 1.5, ("isos",)))


class Stores(Store):
    def test_a_truncated_card_is_put_aside_when_the_window_closes(self) -> None:
        shoot = Shoot()
        place = self.data / "phones/vessar-tide-4.json"
        shoot.open([self.folder])
        (key,) = shoot.phones.cards
        place = self.data / f"phones/{'-'.join(' '.join(dict.fromkeys(' '.join(key).lower().split())).split())}.json"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text('{"make": "Ves')
        self.assertEqual(shoot.phones.keep(), [])
        self.assertEqual([p.read_text() for p in place.parent.glob("*damaged*")], ['{"make": "Ves'])
        self.assertTrue(load_card(*key).isos)

    def test_impossible_cards(self) -> None:
        good = {"make": "M", "model": "Q"}
        for extra in (
            {"isos": [0]}, {"seconds": [-1]}, {"isos": [float("inf")]}, {"isos": "abc"},
            {"lenses": [{"name": "x", "focal_mm": 0, "focal_35mm": 1}]}, {"lenses": 3}, {"noise": {"a": [1]}},
            {"pace_s": "1e999"}, {"modes": [{}]},
        ):  # fmt: skip
            with self.assertRaisesRegex(BrutoError, "cannot be read"):
                card_from({**good, **extra})

    def test_two_phones_of_one_plain_name_have_two_cards(self) -> None:
        save_card(PhoneCard("M", "Q 1", isos=(50.0,)))
        save_card(PhoneCard("M", "Q-1", isos=(80.0,)))
        self.assertEqual((load_card("M", "Q 1").isos, load_card("M", "Q-1").isos), ((50.0,), (80.0,)))

    def test_names_of_recipes_that_differ_only_in_signs(self) -> None:
        names = ("warm/soft", "warm:soft", "warm soft", "Warm soft", "…warm", "warm")
        for k, name in enumerate(names):
            keep(NamedRecipe(name, ("exposure",), Recipe(exposure=k / 10)))
        self.assertEqual(
            {n.name: n.recipe.exposure for n in saved_recipes()[0]}, {n: k / 10 for k, n in enumerate(names)}
        )
        drop("warm:soft")
        self.assertEqual({n.name for n in saved_recipes()[0]}, set(names) - {"warm:soft"})
        keep(NamedRecipe("warm", ("exposure",), Recipe(exposure=2.0)))
        self.assertEqual(len(saved_recipes()[0]), 5)

    def test_a_damaged_recipe_is_not_replaced(self) -> None:
        place = keep(NamedRecipe("warm", ("exposure",), Recipe()))
        place.write_text("{")
        os.mkfifo(place.with_name("pipe.json"))
        again = keep(NamedRecipe("warm", ("exposure",), Recipe(exposure=1.0)))
        self.assertEqual((place.read_text(), again == place), ("{", False))
        found, problems = saved_recipes()
        self.assertEqual(([n.recipe.exposure for n in found], len(problems)), ([1.0], 2))

    def test_export_presets_are_one_document_that_damage_leaves_alone(self) -> None:
        save_preset("web", {"format": "jpg-8", "quality": 80.0, "place": False})
        save_preset(" Print ", {"format": "tif-16"})
        save_preset("web", {"format": "avif-8"})
        self.assertEqual(saved_presets(), {"Print": {"format": "tif-16"}, "web": {"format": "avif-8"}})
        with self.assertRaisesRegex(BrutoError, "name of 1 to 60"):
            save_preset(" . ", {})
        save_preset("web", None)
        self.assertEqual(list(saved_presets()), ["Print"])
        for damage in ('{"presets": {"x": {"format": [1]}}}', '{"presets": 3}', "{"):
            presets_path().write_text(damage)
            with self.assertRaises(BrutoError):
                save_preset("new", {"format": "jpg-8"})
            self.assertEqual(presets_path().read_text(), damage)
        presets_path().unlink()
        with (
            mock.patch("os.replace", side_effect=OSError(28, "No space left on device")),
            self.assertRaises(BrutoError),
        ):
            save_preset("new", {"format": "jpg-8"})
        self.assertEqual(saved_presets(), {})
        with mock.patch("os.lstat", side_effect=PermissionError(13, "denied")):
            self.assertEqual(saved_presets(), {})  # a window still opens

    def test_numbers_and_depth_of_stored_json(self) -> None:
        deep = b'{"a": ' + b"[" * 100_000 + b"]" * 100_000 + b"}"
        for data in (b"{", b"[1]", b"\xff", deep, b'{"a": ' + b"[" * 50 + b"]" * 50 + b"}"):
            with self.assertRaises(Damaged):
                parse_json(data, "x.json")
        found = parse_json(b'{"a": 1e999, "b": NaN, "c": ' + b"9" * 5000 + b', "d": 1.5}', "x.json")
        self.assertEqual((found["a"], found["b"], found["d"], len(found["c"])), ("1e999", "NaN", 1.5, 5000))

    def test_a_damaged_record_of_a_folder_is_put_aside(self) -> None:
        (self.folder / RECORD).write_text('{"pairs": {"a.dng": 7}, "intent": {"megapixels": "many", "raw": true}}')
        record = load_record(self.folder)
        self.assertEqual((record.pairs, record.intent.megapixels, record.intent.raw), ({}, None, True))
        (self.folder / RECORD).write_text("{")
        shoot = Shoot()
        shoot.open([self.folder])
        shoot.ask_for(kind="mosaic")
        self.assertEqual(load_record(self.folder).intent.kind, "mosaic")
        self.assertEqual([p.read_text() for p in self.folder.glob(".*damaged*")], ["{"])


class OtherPrograms(Store):
    def put(self) -> bytes:
        data = XMP.read_bytes()
        xmp_path(self.raw).write_bytes(data)
        return data

    def test_only_what_is_ours_is_changed(self) -> None:
        before = self.put()
        self.assertEqual(read_rating(self.raw), Rating(3, "Salt pans"))
        write_rating(self.raw, stars=-1)
        self.assertEqual(xmp_path(self.raw).read_bytes(), before.replace(b'xap:Rating = "3"', b'xap:Rating = "-1"'))
        write_rating(self.raw, stars=3, note="Dusk & <dim>")
        changed = before.replace(b"Salt pans", b"Dusk &amp; &lt;dim&gt;")
        self.assertEqual(xmp_path(self.raw).read_bytes(), changed)
        write_rating(self.raw, note="Salt pans")
        self.assertEqual(xmp_path(self.raw).read_bytes(), before)
        write_rating(self.raw, note="")
        text = xmp_path(self.raw).read_text()
        self.assertIn('<r:li xml:lang="de">Salz</r:li>', text)
        self.assertNotIn("x-default", text)
        write_rating(self.raw, note="Again")
        self.assertEqual(read_rating(self.raw), Rating(3, "Again"))
        self.assertIn("<!-- written by another program -->", xmp_path(self.raw).read_text())

    def test_stars_of_others_survive_pick_and_reject(self) -> None:
        before = self.put()
        edit, _ = self.edit()
        judge(edit, verdict="keep")
        self.assertEqual(xmp_path(self.raw).read_bytes(), before)  # three stars say enough
        judge(edit, verdict="discard")
        self.assertEqual(read_rating(self.raw), Rating(-1, "Salt pans"))
        again, _ = self.edit()
        judge(again, verdict="")
        self.assertEqual(xmp_path(self.raw).read_bytes(), before)
        judge(again, note="a note")
        self.assertEqual(read_rating(self.raw), Rating(3, "a note"))

    def test_without_a_rating_of_others(self) -> None:
        edit, _ = self.edit()
        for verdict, stars in (
            ("keep", 4),
            ("", 0),
            ("discard", -1),
            ("best", 5),
            ("spare", 2),
            ("discard", -1),
            ("", 0),
        ):
            judge(edit, verdict=verdict)
            found = read_rating(self.raw)
            assert found is not None
            self.assertEqual(found.stars, stars, verdict)

    def test_ratings_beyond_belief(self) -> None:
        for value in ("1e400", "nan", "-inf", "five", ""):
            xmp_path(self.raw).write_bytes(XMP.read_bytes().replace(b'"3"', f'"{value}"'.encode()))
            self.assertEqual(read_rating(self.raw), Rating(0, "Salt pans"))
        os.unlink(xmp_path(self.raw))
        os.mkfifo(xmp_path(self.raw))
        self.assertIsNone(read_rating(self.raw))


class TakingIn(Store):
    def test_a_copy_with_a_hole_does_not_count(self) -> None:
        card = self.folder.parent / "card"
        card.mkdir()
        data = os.urandom(3 << 20)
        (card / "a.dng").write_bytes(data)
        (self.folder / "a.dng").write_bytes(data[: 1 << 20] + bytes(40_000) + data[(1 << 20) + 40_000 :])
        result = import_files(card, self.folder)
        self.assertEqual(([p.name for p in result.copied], result.skipped), (["a-2.dng"], []))
        self.assertEqual((self.folder / "a-2.dng").read_bytes(), data)
        self.assertEqual(len(import_files(card, self.folder).skipped), 1)

    def test_one_bad_entry_never_stops_the_others(self) -> None:
        card = self.folder.parent / "card"
        card.mkdir()
        os.mkfifo(card / "a.dng")
        (card / "b.jpg").symlink_to("b.jpg")
        (card / "c.dng").symlink_to("/dev/zero")
        (card / "d.jpg").write_bytes(b"good")
        os.mkfifo(self.folder / "d.jpg")
        result = import_files(card, self.folder)
        self.assertEqual([p.name for p in result.copied], ["d-2.jpg"])
        self.assertEqual(sorted(p.name for p, _ in result.failed), ["a.dng", "b.jpg", "c.dng"])
