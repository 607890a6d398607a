"""The logbook's store: what is put comes back, what is damaged or newer is only read, what is killed is whole."""

from __future__ import annotations

import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np

from bruto.errors import BrutoError
from bruto.logbook.database import VERSION
from bruto.logbook.exchange import export_text, import_text
from bruto.logbook.records import NAMES, LogRecord, as_csv, from_csv, record_of
from bruto.logbook.store import Logbook
from tests.extent import count

KILLS = count(500, 8)
"""Kills while writing; a whole run of them is 500."""


def some(count: int, shoot: str = "the pans", begin: int = 0) -> list[LogRecord]:
    random = np.random.default_rng(begin)
    return [
        LogRecord(
            key=f"{shoot}-{k:07d}", shoot=shoot, name=f"saltern-{k:04d}",
            taken=f"2026-{1 + k % 12:02d}-{1 + k % 28:02d}T{k % 24:02d}:{k % 60:02d}:00", make="Vessar",
            model="Vessar Tide 4", focal_mm=5.9, focal_35mm=26.0, kind="mosaic", width=4032, height=3024,
            iso=float(50 * 2 ** (k % 8)), exposure_s=float(random.uniform(0.001, 1)), noise_a=1e-4, noise_b=2e-6,
            bytes=24_000_000 + k, place="Orrin Saltern" if k % 3 else "", verdict="good" if k % 5 else "",
        )
        for k in range(begin, begin + count)
    ]  # fmt: skip


class StoreTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder)}))
        self.folder = self.folder / "bruto"  # where logbooks are kept
        self.folder.mkdir()
        self.place = self.folder / "logbook.sqlite"

    def book(self) -> Logbook:
        book = Logbook(self.place)
        self.addCleanup(book.close)
        return book


class Keeping(StoreTest):
    def test_what_is_put_comes_back(self) -> None:
        made = some(30)
        with Logbook(self.place) as book:
            self.assertEqual(book.problem, "")
            self.assertEqual(book.put(made), 30)
        book = self.book()
        self.assertEqual(sorted(book.every(), key=lambda r: r.key), made)
        self.assertEqual([r.taken for r in book.page(0, 5)], sorted((r.taken for r in made), reverse=True)[:5])
        self.assertEqual(book.count(place="Orrin Saltern"), 20)
        self.assertEqual({r.iso for r in book.page(iso=100.0)}, {100.0})
        row = book.shoots()[0]
        self.assertEqual((row.name, row.shots, row.bytes), ("the pans", 30, sum(r.bytes or 0 for r in made)))

    def test_a_shot_is_known_by_its_content(self) -> None:
        """A file that moved to another shoot has one record, and keeps what was told of it."""
        book = self.book()
        book.put(some(3))
        book.set_values(["the pans-0000001"], note="steady", gear="clamp", darkness=21.2, support="tripod")
        book.put([replace(some(3)[1], shoot="moved", noise_a=2e-4, note="", place="")])
        self.assertEqual(book.count(), 3)
        found = book.page(shoot="moved")[0]
        self.assertEqual((found.note, found.gear, found.darkness, found.support), ("steady", "clamp", 21.2, "tripod"))
        self.assertEqual((found.noise_a, found.place), (2e-4, "Orrin Saltern"))

    def test_all_of_a_large_shoot_is_told(self) -> None:
        book = self.book()
        book.put([*some(2500), *some(5, "other")])
        self.assertEqual(book.set_shoot("the pans", place="by the sea"), 2500)
        self.assertEqual((book.count(place="by the sea"), book.visits("by the sea")), (2500, 1))
        with self.assertRaises(BrutoError):
            book.set_shoot("the pans", support="teeth")

    def test_a_shoot_is_forgotten_by_one_action(self) -> None:
        book = self.book()
        book.put([*some(5), *some(4, "the sluice")])
        book.note_shoot("the pans", "windy", (90.0, 62.0, 3.5))
        self.assertEqual(book.batteries(), [("the pans", 90.0, 62.0, 3.5)])
        self.assertEqual(book.forget_shoot("the pans"), 5)
        self.assertEqual([r.name for r in book.shoots()], ["the sluice"])
        self.assertEqual(book.batteries(), [])

    def test_two_folders_of_one_name_are_two_shoots_and_a_moved_one_is_the_same(self) -> None:
        book, first, second = self.book(), self.folder / "spring" / "raw", self.folder / "autumn" / "raw"
        spring, autumn = some(3, "raw"), [replace(r, key=f"other-{r.key}") for r in some(3, "raw")]
        self.assertEqual(book.name_for(first, "raw", [r.key for r in spring]), "raw")
        book.put(spring)
        name = book.name_for(second, "raw", [r.key for r in autumn])
        self.assertEqual(name, "raw in autumn")
        book.put(replace(r, shoot=name) for r in autumn)
        self.assertEqual(book.name_for(self.folder / "moved" / "raw", "raw", [r.key for r in autumn[:1]]), name)
        self.assertEqual(book.name_for(first, "raw", ["new"]), "raw")
        book.forget_shoot("raw")
        self.assertEqual(book.name_for(self.folder / "autumn" / "deep" / "raw", "raw", ["new"]), "raw")

    def test_a_folder_whose_name_is_no_text_has_a_shoot(self) -> None:
        folder = self.folder / os.fsdecode(b"raw-\xff")
        self.assertEqual(self.book().name_for(folder, "raw", ["new"]), "raw")

    def test_the_date_of_a_shoot_is_that_of_most_of_its_shots(self) -> None:
        book = self.book()
        undated = [replace(r, taken="") for r in some(8, "burst")]
        book.put([*undated, *some(1, "burst", 20), *some(4, "dated"), *[replace(r, taken="") for r in some(2, "none")]])
        days = {row.name: row.day for row in book.shoots()}
        self.assertEqual((days["burst"], days["none"]), ("", ""))
        self.assertEqual(days["dated"], max(r.taken for r in some(4, "dated"))[:10])

    def test_out_and_in_again(self) -> None:
        odd = LogRecord(key="odd", note='=1+1, "quoted"\nsecond line – ümläut', iso=1 / 3, exposure_s=1e-5, bytes=2**40)
        book = self.book()
        book.put([*some(20), odd])
        book.note_shoot("the pans", "windy", (90.0, 62.0, 3.5))
        for kind in ("csv", "json"):
            text = export_text(book, kind)
            with Logbook(self.folder / f"{kind}.sqlite") as other:
                self.assertEqual(import_text(other, text, kind), 21)
                self.assertEqual(list(other.every()), list(book.every()))
                self.assertEqual(import_text(other, text, kind), 21)  # twice changes nothing
                self.assertEqual(other.count(), 21)
                if kind == "json":
                    self.assertEqual(other.batteries(), book.batteries())
                    self.assertEqual(export_text(other, "json"), text)

    def test_what_is_no_record(self) -> None:
        for data, text in (
            ({}, "no 'key'"), ({"key": "a", "iso": "many"}, "'iso'"), ({"key": "a", "iso": float("nan")}, "'iso'"),
            ({"key": "a", "note": "x" * 5000}, "'note'"), ({"key": "a", "support": "teeth"}, "'support'"),
            ({"key": "a", "bytes": True}, "'bytes'"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(BrutoError, text):
                record_of(data)
        book = self.book()
        book.put(some(2))
        for text, kind in (
            ("a,b\n1,2\n", "csv"), ("key,iso\nx,many\n", "csv"), ("{", "json"), ("[]", "json"),
            ('{"shots": [3]}', "json"),
            ('{"shots": [{"key": "good"}, {"key": "bad", "iso": "x"}]}', "json"), ("[" * 100000, "json"),
        ):  # fmt: skip
            with self.subTest(text[:40]), self.assertRaises(BrutoError):
                import_text(book, text, kind)
        self.assertEqual(book.count(), 2)
        self.assertEqual(from_csv(as_csv(some(2))), some(2))
        with self.assertRaises(BrutoError):
            book.page(key="x")
        with self.assertRaises(BrutoError):
            book.set_values(["a"], key="b")
        self.assertEqual(set(NAMES), set(some(1)[0].__dataclass_fields__))


class Bad(StoreTest):
    def test_a_newer_one_is_only_read(self) -> None:
        with Logbook(self.place) as book:
            book.put(some(4))
        with sqlite3.connect(self.place) as base:
            base.execute(f"PRAGMA user_version = {VERSION + 1}")
        base.close()
        before = self.place.read_bytes()
        book = self.book()
        self.assertIn("newer version", book.problem)
        self.assertEqual(book.count(), 4)
        with self.assertRaisesRegex(BrutoError, "newer version"):
            book.put(some(1))
        book.close()
        self.assertEqual(self.place.read_bytes(), before)

    def test_a_damaged_one_is_kept_aside_and_never_emptied(self) -> None:
        with Logbook(self.place) as book:
            book.put(some(3000))
        whole = self.place.read_bytes()
        for name, bad in (
            ("head", b"\x00" * 100 + whole[100:]), ("text", b"this is no database at all, but text" * 50),
            ("middle", whole[: len(whole) // 2] + b"\xff" * 8192 + whole[len(whole) // 2 + 8192 :]),
            ("cut", whole[: len(whole) // 3]),
        ):  # fmt: skip
            with self.subTest(name):
                place = self.folder / f"{name}.sqlite"
                place.write_bytes(bad)
                with Logbook(place) as book:
                    self.assertIn("damaged", book.problem)
                    with self.assertRaises(BrutoError):
                        book.put(some(1))
                self.assertEqual(place.read_bytes(), bad)
                aside = list(self.folder.glob(f"{name}.sqlite.damaged-*"))
                self.assertEqual([p.read_bytes() for p in aside], [bad])

    def test_what_is_no_logbook_is_left_alone(self) -> None:
        """Files that were named by mistake: raws, texts, databases of other programs, an empty folder."""
        other = self.folder.parent / "other"
        other.mkdir()
        (other / "raw.dng").write_bytes(b"II*\x00" + b"light" * 1000)
        (other / "words.txt").write_text("some words")
        with sqlite3.connect(other / "theirs.sqlite") as base:
            base.execute("CREATE TABLE shot (id INTEGER)")
            base.execute("INSERT INTO shot VALUES (7)")
        base.close()
        with sqlite3.connect(other / "marked.sqlite") as base:
            base.execute("PRAGMA application_id = 99")
            base.execute("CREATE TABLE t (id INTEGER)")
        base.close()
        before = {p.name: p.read_bytes() for p in other.iterdir()}
        for name in (*before, "folder"):
            (other / "folder").mkdir(exist_ok=True)
            with self.subTest(name), self.assertRaisesRegex(BrutoError, "not a logbook"):
                Logbook(other / name)
        (other / "folder").rmdir()
        self.assertEqual({p.name: p.read_bytes() for p in other.iterdir()}, before)
        with self.assertRaisesRegex(BrutoError, "There is no logbook"):
            Logbook(other / "new.sqlite", begin=False)
        self.assertFalse((other / "new.sqlite").exists())
        with Logbook(other / "new.sqlite") as book:
            book.put(some(2))
        with Logbook(other / "new.sqlite", begin=False) as book:
            self.assertEqual((book.count(), book.problem), (2, ""))

    def test_a_logbook_that_was_just_begun_is_one(self) -> None:
        """A process killed while it began: an empty file, or one with a head and no table."""
        self.place.touch()
        with Logbook(self.place) as book:
            self.assertEqual(book.problem, "")
        for old in self.folder.glob("logbook.sqlite*"):
            old.unlink()
        base = sqlite3.connect(self.place)
        base.execute("PRAGMA journal_mode = WAL")
        base.close()
        with Logbook(self.place) as book:
            self.assertEqual((book.problem, book.put(some(3))), ("", 3))

    def test_another_window_writes(self) -> None:
        book = self.book()
        book.put(some(1))
        other = sqlite3.connect(self.place, isolation_level=None)
        self.addCleanup(other.close)
        other.execute("BEGIN IMMEDIATE")
        book._base.execute("PRAGMA busy_timeout = 50")
        with self.assertRaisesRegex(BrutoError, "Another window"):
            book.put(some(2))
        self.assertEqual(book.count(), 1)  # reading goes on meanwhile
        other.execute("ROLLBACK")
        book.put(some(2))
        self.assertEqual(book.count(), 2)

    def test_many_begin_at_once(self) -> None:
        """Eight threads that find no logbook yet: it is begun once, and all of them write."""
        from concurrent.futures import ThreadPoolExecutor

        def begin(k: int) -> str:
            with Logbook(self.place) as book:
                if not book.problem:
                    book.put(some(20, f"shoot {k}"))
                return book.problem

        for _ in range(6):
            for old in self.folder.glob("logbook.sqlite*"):
                old.unlink()
            with ThreadPoolExecutor(8) as pool:
                self.assertEqual(list(pool.map(begin, range(8))), [""] * 8)
            with Logbook(self.place) as book:
                self.assertEqual(book.count(), 160)

    def test_no_room_leaves_what_was(self) -> None:
        book = self.book()
        book.put(some(100))
        pages = book._base.execute("PRAGMA page_count").fetchone()[0]
        book._base.execute(f"PRAGMA max_page_count = {pages + 4}")
        with self.assertRaisesRegex(BrutoError, "no storage left"):
            book.put(some(20000, begin=100))
        self.assertEqual(book.count(), 100)
        book._base.execute("PRAGMA max_page_count = 1000000")
        book.put(some(10, begin=100))
        self.assertEqual(book.count(), 110)

    def test_a_folder_without_permission(self) -> None:
        opened = mock.patch("sqlite3.connect", side_effect=sqlite3.OperationalError("unable to open database file"))
        with opened, self.assertRaises((BrutoError, sqlite3.Error)):
            Logbook(self.place)


WRITER = """
import sys
from pathlib import Path
from bruto.logbook.store import Logbook
from tests.logbook.test_store import some
book = Logbook(Path(sys.argv[1]))
begin = book.count()
print("ready", flush=True)
while True:
    book.put(some(50, begin=begin))
    begin += 50
    print(begin, flush=True)
"""


class Practice(StoreTest):
    def test_a_logbook_of_the_first_version_is_brought_on(self) -> None:
        with Logbook(self.place) as book:
            book.put([LogRecord(key="a", shoot="s", iso=100.0)])
        base = sqlite3.connect(self.place)
        base.execute("DROP TABLE practice")
        base.execute("ALTER TABLE shot RENAME COLUMN support TO held")
        base.execute("PRAGMA user_version = 1")
        base.commit()
        base.close()
        with Logbook(self.place) as book:
            self.assertEqual((book.problem, book.count(), book.scores()), ("", 1, {}))
            book.tried("raw", "2026-06-21T12:00:00.000", True)
            book.tried("raw", "2026-06-21T12:01:00.000", False)
            self.assertEqual(book.scores(), {"raw": (1, 2)})

    def test_tries_go_out_and_come_back_once(self) -> None:
        with Logbook(self.place) as book:
            book.tried("lamp", "2026-06-21T12:00:00.000", True)
            text = export_text(book, "json")
            import_text(book, text, "json")
            self.assertEqual(book.scores(), {"lamp": (1, 1)})
        with Logbook(self.place.with_name("other.sqlite")) as book:
            import_text(book, text, "json")
            self.assertEqual(book.scores(), {"lamp": (1, 1)})
            import_text(book, '{"shots": [], "practice": [3, {"exercise": 4}, {"tried": "x"}]}', "json")
            self.assertEqual(book.scores(), {"lamp": (1, 1)})

    def test_the_users_word_on_how_a_shot_was_held_stays(self) -> None:
        with Logbook(self.place) as book:
            book.put([LogRecord(key="a", support="tripod")])
            book.set_values(["a"], support="hand")
            book.put([LogRecord(key="a", support="tripod")])
            self.assertEqual(book.page()[0].support, "hand")
            import_text(book, export_text(book, "csv").replace("hand", "tripod"), "csv")
            self.assertEqual(book.page()[0].support, "tripod")

    def test_the_darkness_of_a_place(self) -> None:
        with Logbook(self.place) as book:
            book.put(
                [LogRecord(key=k, place=p, taken=f"2026-06-2{n}") for n, (k, p) in enumerate((("a", "x"), ("b", "y")))]
            )
            self.assertIsNone(book.darkness("x"))
            self.assertEqual(book.set_place("x", darkness=20.9), 1)
            self.assertEqual((book.darkness("x"), book.darkness("y")), (20.9, None))


class Killed(StoreTest):
    def test_nothing_is_lost_and_nothing_half_written(self) -> None:
        """What was told to be written is there after a kill, and batches are there whole."""
        random = np.random.default_rng(2)
        env = {**os.environ, "PYTHONPATH": os.pathsep.join([str(Path(__file__).parents[2]), *sys.path])}
        for _ in range(KILLS):
            writer = subprocess.Popen(
                [sys.executable, "-c", WRITER, str(self.place)], stdout=subprocess.PIPE, text=True, env=env
            )
            assert writer.stdout is not None
            notice = 0
            self.assertEqual(writer.stdout.readline(), "ready\n")
            time.sleep(float(random.uniform(0, 0.05)))
            writer.send_signal(signal.SIGKILL)
            for line in writer.stdout.read().split():
                notice = int(line)
            writer.wait()
            writer.stdout.close()
            with Logbook(self.place) as book:
                self.assertEqual(book.problem, "")
                count = book.count()
                self.assertGreaterEqual(count, notice)
                self.assertEqual(count % 50, 0)
                self.assertEqual(book._base.execute("PRAGMA integrity_check").fetchone()[0], "ok")


class Json(unittest.TestCase):
    def test_a_shoots_note_that_is_no_note_is_passed_over(self) -> None:
        with TemporaryDirectory() as name, Logbook(Path(name) / "l.sqlite") as book:
            data = {"shots": [{"key": "a"}], "shoots": [3, {"name": 4}, {"name": "b", "battery_from": "x"}]}
            self.assertEqual(import_text(book, json.dumps(data), "json"), 1)


if __name__ == "__main__":
    unittest.main()
