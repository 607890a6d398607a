"""Ratings, ranks, room, watched folders, taking in, and asked against got."""

from __future__ import annotations

import os
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.container.dng_reader import read_dng
from bruto.container.quick_metadata import read_quick_metadata
from bruto.container.raw_frame import RawFrame
from bruto.errors import Cancelled, FileProblem
from bruto.phones.card import load_card
from bruto.sensor.measurement import measure
from bruto.shoot.file_import import import_files
from bruto.shoot.folder import Intent, open_shoot
from bruto.shoot.folder_watch import FolderWatch
from bruto.shoot.intent import check, usual
from bruto.shoot.ranking import rank
from bruto.shoot.sets import find_sets
from bruto.shoot.shots import Shot, read_shot
from bruto.shoot.storage_use import needed, space_of
from bruto.shoot.xmp import RDF, XMP, Rating, read_rating, write_rating, xmp_path
from bruto.simphone.capture import Phone
from bruto.simphone.optics import Mishap
from tests.shoot.generated import Day
from tests.shots import MIDDLE, SMALL, copy_of, raw_of, taken


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder / ".home")}))


class Ratings(Folder):
    def test_round_trip_and_standard_form(self) -> None:
        raw = self.folder / "a.dng"
        for rating in (Rating(5, "Salt & <wind>"), Rating(-1, ""), Rating(0, "dull")):
            path = write_rating(raw, stars=rating.stars, note=rating.note)
            self.assertEqual(read_rating(raw), rating)
            block = ET.parse(path).getroot().find(f".//{{{RDF}}}Description")
            assert block is not None
            self.assertEqual(block.get(f"{{{XMP}}}Rating"), str(rating.stars))

    def test_what_others_wrote_stays(self) -> None:
        raw = self.folder / "a.dng"
        xmp_path(raw).write_text(
            f'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="{RDF}"><rdf:Description rdf:about="" '
            f'xmlns:xmp="{XMP}" xmlns:o="http://other.example/" o:mood="calm"><xmp:Rating>2</xmp:Rating>'
            f"<o:more>7</o:more></rdf:Description></rdf:RDF></x:xmpmeta>"
        )
        self.assertEqual(read_rating(raw), Rating(2, ""))
        write_rating(raw, stars=-1, note="cloud")
        self.assertEqual(read_rating(raw), Rating(-1, "cloud"))
        text = xmp_path(raw).read_text()
        self.assertIn("calm", text)
        self.assertIn("<xmp:Rating>-1</xmp:Rating>\n".strip() + "<o:more>7</o:more>", text)

    def test_damaged_and_hostile_files_are_left_alone(self) -> None:
        raw = self.folder / "a.dng"
        for body in ("<x", "<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>"):
            xmp_path(raw).write_text(body)
            self.assertIsNone(read_rating(raw))
            with self.assertRaisesRegex(FileProblem, "left unchanged"):
                write_rating(raw, stars=5)
            self.assertEqual(xmp_path(raw).read_text(), body)


class Ranks(unittest.TestCase):
    def test_the_sharp_unclipped_take_is_best_and_says_why(self) -> None:
        phone = Phone("pans", size=MIDDLE)
        meta = read_dng(raw_of("pans", size=MIDDLE)).meta
        takes = []
        for name, mishap, ev in (
            ("soft", Mishap(defocus_px=1.5), 0.0), ("good", Mishap(), 0.0), ("lost", Mishap(), 2.5),
            ("shaken", Mishap(motion_px=9, motion_deg=20), 0.0),
        ):  # fmt: skip
            phone.mishap, phone._blurred = mishap, None
            base = phone.meter()
            exposure = replace(base, seconds=base.seconds * 2**ev)
            takes.append((Shot(name, Path(name), None), measure(RawFrame(phone.shoot(exposure, seed=2).codes, meta))))
        ranks = rank(takes)
        self.assertEqual(ranks[0].shot.name, "good")
        self.assertEqual([r.place for r in ranks], [1, 2, 3, 4])
        reasons = {r.shot.name: " ".join(r.reasons) for r in ranks}
        self.assertIn("less fine detail", reasons["soft"])
        self.assertIn("clipped in all channels", reasons["lost"])
        self.assertIn("moved", reasons["shaken"])
        self.assertEqual(rank([]), [])


class Room(Folder):
    def test_what_shots_take_and_a_sequence_needs(self) -> None:
        files = copy_of(taken("card", size=SMALL)[0]["files"], self.folder)
        copy_of(raws := [raw_of("pans", size=SMALL)], self.folder)
        shots = open_shoot([self.folder])
        space = space_of(shots)
        sizes = [f.stat().st_size for f in files] + [raws[0].stat().st_size]
        self.assertEqual((space.total, space.raw_count, space.picture_count), (sum(sizes), 2, 1))
        card = next(s for s in find_sets(shots) if s.shots[0].picture)
        self.assertEqual(needed(card, 100), 100 * sum(sizes[:2]))


class Watching(Folder):
    def test_new_whole_files_are_reported_once(self) -> None:
        day = Day(self.folder)
        day.shot(day.scene(), picture=False)
        watch = FolderWatch(self.folder)
        self.assertFalse(watch.poll())
        new = self.folder / "new.dng"
        data = (self.folder / "SHT_0100.dng").read_bytes()
        new.write_bytes(data[:1000])
        self.assertFalse(watch.poll())  # may still grow
        new.write_bytes(data)
        self.assertFalse(watch.poll())
        self.assertEqual(watch.poll().new, (new,))
        self.assertFalse(watch.poll())
        new.unlink()
        self.assertEqual(watch.poll().gone, (new,))

    def test_a_file_that_is_expected_is_no_news(self) -> None:
        watch = FolderWatch(self.folder)
        ours, theirs = self.folder / "merged.dng", self.folder / "new.dng"
        watch.expect(ours)
        for path in (ours, theirs):
            path.write_bytes(b"x")
        watch.poll()
        self.assertEqual(watch.poll().new, (theirs,))
        ours.write_bytes(b"changed")  # by somebody else
        watch.poll()
        self.assertEqual(watch.poll().new, (ours,))

    def test_an_unplugged_card_is_no_loss(self) -> None:
        watch = FolderWatch(self.folder / "card")
        self.assertFalse(watch.poll())
        (self.folder / "card").mkdir()
        Day(self.folder / "card").shot(Day(self.folder).scene(), picture=False)
        watch.poll()
        self.assertEqual(len(watch.poll().new), 1)


class TakingIn(Folder):
    def setUp(self) -> None:
        super().setUp()
        self.card, self.here = self.folder / "card", self.folder / "here"
        (self.card / "100").mkdir(parents=True)
        self.here.mkdir()
        day = Day(self.card / "100")
        for _ in range(3):
            day.shot(day.scene())
            day.wait(20)

    def test_copies_are_whole_and_nothing_is_deleted(self) -> None:
        before = {p: p.read_bytes() for p in self.card.rglob("*.*")}
        result = import_files(self.card, self.here)
        self.assertEqual((len(result.copied), result.skipped, result.failed), (6, [], []))
        for p, data in before.items():
            self.assertEqual((self.here / p.name).read_bytes(), data)
            self.assertEqual((self.here / p.name).stat().st_mtime_ns, p.stat().st_mtime_ns)
            self.assertEqual(p.read_bytes(), data)

    def test_what_is_there_is_skipped_under_any_name(self) -> None:
        import_files(self.card, self.here)
        (self.here / "SHT_0100.dng").rename(self.here / "morning.dng")
        again = import_files(self.card, self.here)
        self.assertEqual((again.copied, len(again.skipped)), ([], 6))

    def test_another_file_of_the_name_is_not_overwritten(self) -> None:
        (self.here / "SHT_0100.dng").write_bytes(b"mine")
        result = import_files(self.card, self.here)
        self.assertEqual((self.here / "SHT_0100.dng").read_bytes(), b"mine")
        self.assertIn(self.here / "SHT_0100-2.dng", result.copied)

    def test_a_bad_copy_gets_no_name(self) -> None:
        with mock.patch("bruto.shoot.file_import.whole_digest", return_value="0"):
            result = import_files(self.card, self.here)
        self.assertEqual((result.copied, len(result.failed)), ([], 6))
        self.assertIn("differs from the original", result.failed[0][1])
        self.assertEqual(list(self.here.iterdir()), [])

    def test_no_room(self) -> None:
        usage = mock.Mock(free=10)
        with mock.patch("bruto.shoot.file_import.shutil.disk_usage", return_value=usage):
            result = import_files(self.card, self.here)
        self.assertEqual(len(result.failed), 6)
        self.assertIn("is full", result.failed[0][1])

    def test_stopping_keeps_what_is_whole(self) -> None:
        def cancelled() -> bool:
            return len([p for p in self.here.iterdir() if not p.name.startswith(".")]) == 2

        with self.assertRaises(Cancelled):
            import_files(self.card, self.here, cancelled=cancelled)
        self.assertEqual(len(list(self.here.iterdir())), 2)
        with self.assertRaisesRegex(FileProblem, "not a folder"):
            import_files(self.card / "none", self.here)


class AskedAndGot(unittest.TestCase):
    def setUp(self) -> None:
        self.card = load_card("Vessar", "Vessar Tide 4")
        self.shot = read_shot(raw_of("card", size=SMALL), None)

    def with_seen(self, **changes: object) -> Shot:
        assert self.shot.seen is not None
        return replace(self.shot, seen=replace(self.shot.seen, **changes))  # type: ignore[arg-type]

    def topics(self, shot: Shot, asked: Intent | None = None, expected: Intent | None = None) -> list[str]:
        return [f.topic for f in check(shot, asked or Intent(), expected or Intent(), self.card)]

    def test_what_was_meant_raises_nothing(self) -> None:
        self.assertEqual(self.topics(self.shot), [])

    def test_zoom_and_silent_change_of_lens(self) -> None:
        self.assertEqual(self.topics(self.with_seen(zoom=2.0)), ["zoom"])
        self.assertEqual(self.topics(self.with_seen(focal_35mm=52.0)), ["zoom"])
        found = check(self.with_seen(focal_35mm=68.0), Intent(), Intent(), self.card)
        self.assertEqual([f.topic for f in found], ["lens"])
        self.assertIn("2.6× crop", found[0].text)
        self.assertEqual(self.topics(self.with_seen(focal_mm=9.4, focal_35mm=68.0)), [])

    def test_resolution_kind_and_raw(self) -> None:
        full = self.with_seen(size=(8064, 6048))
        self.assertEqual(self.topics(full, Intent(megapixels=12)), ["resolution"])
        self.assertEqual(self.topics(self.with_seen(kind="linear"), Intent(kind="mosaic")), ["kind"])
        picture = replace(self.shot, raw=None, picture=Path("a.jpg"))
        self.assertEqual(self.topics(picture, Intent(raw=True)), ["no-raw"])
        self.assertEqual(self.topics(self.shot, Intent(raw=False)), ["raw"])

    def test_the_usual_is_what_most_shots_are(self) -> None:
        shots = [self.with_seen(size=(4032, 3024))] * 5 + [self.with_seen(size=(2016, 1512))]
        self.assertEqual(usual(shots), Intent(12, "mosaic", None, True))
        self.assertEqual(self.topics(shots[-1], expected=usual(shots)), ["resolution"])
        self.assertEqual(self.topics(self.with_seen(size=(8064, 6048)), expected=usual(shots)), [])  # more is no loss
        self.assertEqual(usual(shots[:2]), Intent())

    def test_an_edited_picture(self) -> None:
        self.assertEqual(self.topics(replace(self.shot, edited="it was cropped")), ["edited"])


class Glances(unittest.TestCase):
    def test_agree_with_the_thorough_reader(self) -> None:
        for path in (
            raw_of("card", size=SMALL),
            raw_of("pans", size=SMALL, kind="linear"),
            raw_of("sluice", size=SMALL, lens="tele", iso=400.0),
        ):
            seen, meta = read_quick_metadata(path), read_dng(path).meta
            for name in (
                "kind",
                "orientation",
                "iso",
                "f_number",
                "focal_mm",
                "focal_35mm",
                "taken",
                "make",
                "model",
                "software",
                "description",
            ):
                self.assertEqual(getattr(seen, name), getattr(meta, name), name)
            self.assertAlmostEqual(seen.exposure_s or 0, meta.exposure_s or 1, places=9)
            self.assertEqual(seen.size, (meta.width, meta.height))
            self.assertEqual(read_shot(path, None).preview, read_dng(path).preview)

    def test_pictures_of_every_kind(self) -> None:
        from bruto.container.picture import read_picture_facts

        for suffix in (".jpg", ".heic", ".avif"):
            path = Path(taken("card", size=SMALL, picture_suffix=suffix)[0]["files"][1])
            seen, facts = read_quick_metadata(path), read_picture_facts(path)
            self.assertEqual(
                (seen.kind, seen.oriented_size, seen.iso, seen.taken), ("picture", facts.size, facts.iso, facts.taken)
            )
