"""Damaged and hostile raws: each of some hundreds ends in a picture or in one clear message, quickly and in little
memory.
"""

from __future__ import annotations

import shutil
import struct
import tempfile
import time
import unittest
from collections import Counter
from pathlib import Path

import numpy as np
import tifffile

from bruto.container.dng_reader import read_dng, read_dng_meta
from bruto.container.dng_writer import SampleStorage
from bruto.container.linearisation import linearise
from bruto.container.metadata_tree import outline
from bruto.container.quick_metadata import read_quick_metadata
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import source_of_raw
from bruto.errors import BrutoError
from bruto.sensor.measurement import measure
from bruto.shoot.folder import open_shoot
from tests.again import write_dng
from tests.container.test_variants import EVERYTHING
from tests.container.variants import LINEAR, PREVIEW, STORAGES, samples, tags_for
from tests.shots import SMALL, raw_of, taken

LONGEST_S, MOST_MB = 40, 2000
"""What counts as hanging on the slowest machine, and memory that no file of a few kilobytes may take."""
KINDS = ("tables", "bytes", "head", "number", "offset", "size", "count", "loop", "zeros", "cut", "doubled")


def peak_mb() -> float:
    status = Path("/proc/self/status").read_text()
    return int(next(line.split()[1] for line in status.splitlines() if line.startswith("VmHWM"))) / 1024


def entries(data: bytes) -> list[tuple[int, str]]:
    """Places of all directory entries, and the byte order."""
    found = []
    with tifffile.TiffFile(__import__("io").BytesIO(data)) as tif:
        if tif.is_bigtiff:
            return []
        for page in [*tif.pages, *(p for q in tif.pages if q.subifds for p in q.pages)]:
            found += [(tag.offset, tif.byteorder) for tag in page.tags]
    return found


def mutated(data: bytes, kind: str, random: np.random.Generator) -> bytes:
    """One damage of a kind."""
    out = bytearray(data)
    places = entries(data)
    at, order = places[random.integers(len(places))] if places else (8, "<")
    extreme = int(random.choice([0, 1, 2**31 - 1, 2**31, 2**32 - 1, len(data), len(data) - 1, 65535]))
    if kind == "bytes":
        for k in random.integers(0, len(out), 40):
            out[k] = random.integers(256)
    elif kind == "tables":  # opcode lists, profiles, gain tables, masks: counts and numbers inside them
        wanted = (51008, 51009, 51022, 52525, 50938, 50982, 50940, 50937, 50981, 50712, 51041, 50933, 50830, 34853)
        inside = [p for p, o in places if struct.unpack_from(o + "H", out, p)[0] in wanted]
        for place in inside or [at]:
            (start,) = struct.unpack_from(order + "I", out, place + 8)
            if random.random() < 0.5 and start + 120 < len(out):
                spot = start + 4 * int(random.integers(0, 28))
                struct.pack_into(">I", out, spot, extreme if random.random() < 0.7 else int(random.integers(2**32)))
    elif kind == "head":
        for k in random.integers(0, 400, 4):
            out[k] = random.integers(256)
    elif kind == "number":  # the value or offset of a tag
        struct.pack_into(order + "I", out, at + 8, extreme)
    elif kind == "offset":
        struct.pack_into(order + "I", out, at + 8, int(random.integers(2**32)))
    elif kind == "size":  # width, height, tiles, bits
        for tag in (256, 257, 322, 323, 258, 277, 278):
            for place, o in places:
                if struct.unpack_from(o + "H", out, place)[0] == tag and random.random() < 0.5:
                    struct.pack_into(o + "HI", out, place + 2, 4, 1)
                    struct.pack_into(o + "I", out, place + 8, extreme)
    elif kind == "count":
        struct.pack_into(order + "I", out, at + 4, extreme)
    elif kind == "loop":  # a directory that follows itself, and sub-directories that are the first
        struct.pack_into("<I" if out[:2] == b"II" else ">I", out, 4, int(random.integers(8, 64)))
        for place, o in places:
            if struct.unpack_from(o + "H", out, place)[0] == 330:
                struct.pack_into(o + "I", out, place + 8, 8)
    elif kind == "zeros":
        start = int(random.integers(len(out)))
        out[start : start + 2000] = bytes(min(2000, len(out) - start))
    elif kind == "cut":
        del out[int(random.integers(1, len(out))) :]
    else:
        start = int(random.integers(8, len(out)))
        out[start:start] = out[start : start + 64]
    return bytes(out)


class Corpus(unittest.TestCase):
    def test_hundreds_of_damaged_files(self) -> None:
        random = np.random.default_rng(1234)
        outcome: Counter[str] = Counter()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            bases = [
                raw_of("card", size=SMALL).read_bytes(),
                raw_of("crystals", size=SMALL, kind="linear").read_bytes(),
            ]
            for _, how, mosaic, _ in (STORAGES[k] for k in (0, 7, 12, 20, 24, 29, 40, -3)):
                write_dng(folder / "v.dng", samples(how, mosaic), tags_for(how, mosaic), PREVIEW, how)
                bases.append((folder / "v.dng").read_bytes())
            for order in "<>":
                write_dng(
                    folder / "v.dng", LINEAR, EVERYTHING, PREVIEW, SampleStorage(7, 16, components=3, byteorder=order)
                )
                bases.append((folder / "v.dng").read_bytes())
            path = folder / "damaged.dng"
            for k in range(480):
                data = mutated(bases[k % len(bases)], KINDS[(k // len(bases)) % len(KINDS)], random)
                path.write_bytes(data)
                began = time.perf_counter()
                with self.subTest(number=k, kind=KINDS[(k // len(bases)) % len(KINDS)]):
                    try:
                        frame = read_dng(path)
                        linear = linearise(frame)
                        self.assertEqual(
                            linear.data.shape[:2], (frame.meta.default_crop[3], frame.meta.default_crop[2])
                        )
                        outcome["read"] += 1
                        self.assertGreater(len(outline(frame.meta, path)), 2)
                        if outcome["read"] % 3 == 0:  # what can be read can be measured
                            self.assertGreaterEqual(measure(frame).levels_used, 1)
                    except BrutoError as error:
                        outcome["message"] += 1
                        self.assertIn("damaged.dng", str(error))
                        self.assertNotIn("\n", str(error))
                    self.assertLess(time.perf_counter() - began, LONGEST_S)
                self.assertEqual(path.read_bytes(), data)
        self.assertGreater(outcome["read"], 40)
        self.assertGreater(outcome["message"], 100)
        self.assertLess(peak_mb(), MOST_MB)

    def test_what_can_be_read_can_be_developed(self) -> None:
        """Wrong colours, levels and crops give a picture, not a fall."""
        random = np.random.default_rng(99)
        base = raw_of("card", size=SMALL).read_bytes()
        developed = 0
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "odd.dng"
            for _ in range(40):
                path.write_bytes(mutated(base, "number", random))
                try:
                    picture = Developer(source_of_raw(path, read_dng(path))).render(Recipe())
                except BrutoError:
                    continue
                developed += 1
                self.assertEqual(picture.dtype, np.uint8)
        self.assertGreater(developed, 8)

    def test_metadata_alone_is_as_safe(self) -> None:
        random = np.random.default_rng(7)
        base = raw_of("card", size=SMALL).read_bytes()
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "odd.dng"
            for k in range(80):
                path.write_bytes(mutated(base, KINDS[k % len(KINDS)], random))
                began = time.perf_counter()
                try:
                    read_dng_meta(path)
                except BrutoError as error:
                    self.assertIn("odd.dng", str(error))
                self.assertLess(time.perf_counter() - began, LONGEST_S)

    def test_a_glance_is_as_safe(self) -> None:
        """Damaged raws and pictures end in facts or one clear message, and never hide the other files of a folder."""
        random = np.random.default_rng(8)
        shot = taken("card", size=SMALL)[0]["files"]
        bases = [Path(f).read_bytes() for f in shot] + [raw_of("crystals", size=SMALL, kind="linear").read_bytes()]
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for k in range(150):
                suffix = (".dng", ".jpg", ".dng")[k % 3]
                path = folder / f"odd-{k:03d}{suffix}"
                if k % 3 == 1:
                    data = bytearray(bases[1])
                    for at in random.integers(0, 4000, 12):
                        data[at] = random.integers(0, 256)
                    path.write_bytes(bytes(data[: int(random.integers(2, len(data)))] if k % 2 else data))
                else:
                    path.write_bytes(mutated(bases[k % 3], KINDS[k % len(KINDS)], random))
                began = time.perf_counter()
                try:
                    self.assertGreater(read_quick_metadata(path).length, 0)
                except BrutoError as error:
                    self.assertIn(path.name, str(error))
                self.assertLess(time.perf_counter() - began, LONGEST_S)
            shutil.copy2(shot[0], folder / "good.dng")
            shots = open_shoot([folder])
            self.assertEqual([s.problem for s in shots if s.name == "good"], [""])
            self.assertEqual(sum(len(s.files) for s in shots), 151)
