"""Files that the simulated phone does not write: tags in other places, impossible numbers, claims beyond the file,
files that change while they are read, tiny pictures, pipes and links.
"""

from __future__ import annotations

import os
import struct
import threading
import unittest
from dataclasses import replace
from io import BytesIO
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import tifffile
from PIL import Image

from bruto.container import quick_metadata as glancing
from bruto.container.dng_reader import read_dng, read_dng_meta
from bruto.container.dng_writer import DngTags, SampleStorage
from bruto.container.linearisation import linearise
from bruto.container.picture import read_picture, read_picture_facts
from bruto.container.profile import GainTableMap
from bruto.container.quick_metadata import read_quick_metadata
from bruto.container.raw_frame import GainMap
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source, source_of_raw
from bruto.errors import BrutoError, FileProblem
from bruto.export.preset import ExportPreset
from bruto.export.queue import export_shot
from bruto.sensor.measurement import measure
from bruto.storage.safe_read import MappedFile
from tests.again import write_dng
from tests.container.variants import PREVIEW, samples, tags_for
from tests.shots import SMALL, raw_of, taken

TABLE = GainTableMap((0.5, 0.5), (0.0, 0.0), (0.0, 1.0, 0.0, 0.0, 0.0), np.full((3, 3, 4), 1.7, np.float32))


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.path = self.folder / "a.dng"

    def picture(self, name: str, **extra) -> Path:
        path = self.folder / name
        Image.fromarray(np.random.default_rng(1).integers(0, 255, (60, 80, 3), np.uint8)).save(path, **extra)
        return path


class Places(Folder):
    def test_a_gain_table_stands_with_the_raw_or_in_the_first_directory(self) -> None:
        pictures = []
        codes = samples(SampleStorage(7, 16, components=3), False)
        for table, with_raw in ((None, False), (TABLE, False), (TABLE, True)):
            how = SampleStorage(7, 16, components=3)
            tags = tags_for(how, False)
            profile = replace(_profile(tags), gain_table=table)
            write_dng(self.path, codes, replace(tags, profile=profile, gain_table_with_raw=with_raw), PREVIEW, how)
            with tifffile.TiffFile(self.path) as tif:
                raw = max(tif.pages[0].pages, key=lambda p: p.imagewidth)
                self.assertEqual(52525 in raw.tags, with_raw)
            found = read_dng_meta(self.path).meta.profiles[0].gain_table
            self.assertEqual(found is not None, table is not None)
            pictures.append(Developer(open_source(self.path)).render(Recipe(chroma=1.0)))
        np.testing.assert_array_equal(pictures[1], pictures[2])
        self.assertGreater(pictures[1].astype(int).mean(), pictures[0].astype(int).mean() + 5)

    def test_the_simulated_phone_writes_both_forms(self) -> None:
        found = set()
        for seed in (1, 2):
            with tifffile.TiffFile(raw_of("crystals", size=SMALL, kind="linear", seed=seed)) as tif:
                found.add(52525 in tif.pages[0].tags)
        self.assertEqual(found, {True, False})


def _profile(tags: DngTags):
    from bruto.container.profile import CameraProfile

    return tags.profile or CameraProfile("Own")


class Numbers(Folder):
    def test_facts_that_cannot_be_count_as_not_said(self) -> None:
        exif = Image.Exif()
        sub = exif.get_ifd(34665)
        exif[271], exif[305] = "Maker\x07\n", "<img src='/dev/zero'>"
        sub[33437], sub[33434], sub[37386] = 1e-30, 1e300, -4.0
        path = self.picture("a.jpg", exif=exif)
        for seen in (read_quick_metadata(path), read_picture_facts(path)):
            self.assertEqual((seen.f_number, seen.exposure_s, seen.focal_mm), (None, None, None))
            self.assertEqual((seen.make, seen.software), ("Maker", "<img src='/dev/zero'>"))

    def test_gains_noise_and_neutrals_beyond_belief(self) -> None:
        how = SampleStorage(7, 16)
        good = tags_for(how, True)
        huge = GainMap(0, 0, 1 << 20, 1 << 20, 0, 1, 1, 1, (1.0, 1.0), (0.0, 0.0), np.full((2, 2, 1), 1e30, np.float32))
        write_dng(self.path, samples(how, True), replace(good, gain_maps=(huge,)), PREVIEW, how)
        with self.assertRaisesRegex(FileProblem, "impossible gains"):
            read_dng(self.path)
        odd = replace(good, noise_profile=np.full((3, 2), 1e30), as_shot_neutral=np.array([1e-9, 1.0, 1.0]))
        write_dng(self.path, samples(how, True), odd, PREVIEW, how)
        meta = read_dng(self.path).meta
        self.assertIsNone(meta.noise_profile)
        np.testing.assert_array_equal(meta.as_shot_neutral, 1)
        self.assertIn("neutral is impossible", " ".join(meta.warnings))

    def test_light_that_is_no_number_goes_through_every_step(self) -> None:
        codes = np.full((40, 60, 3), 0.3, np.float32)
        codes[3:6, 4:9] = [np.nan, np.inf, -np.inf]
        codes[20, 20] = 3e38
        how = SampleStorage(8, 32, components=3, floating=True, predictor=3)
        write_dng(self.path, codes, replace(tags_for(how, False), white=np.ones(3), black=np.zeros(3)), PREVIEW, how)
        frame = read_dng(self.path)
        self.assertTrue(np.isfinite(linearise(frame).data).all())
        recipe = Recipe.model_validate(
            {
                "channel_matrix": [8, 8, 8, -8, -8, -8, 8, -8, 8], "raw_neutral": [0.001, 1, 1000], "exposure": 8,
                "curves": {"joint": [[0, 0.3], [0.5, 0.2], [1, 1]]}, "split_tint": {"shadows": {"amount": 0.1}},
                "hue_nodes": [{"hue": 10, "shift": 90, "chroma": 2.5}], "haze": 100, "local_contrast_medium": 2.5,
                "grain": 2,
            }
        )  # fmt: skip
        developer = Developer(source_of_raw(self.path, frame))
        for space in ("srgb", "display-p3", "rec2020"):
            self.assertEqual(developer.render(recipe, space=space, bits=16).shape, (40, 60, 3))
        self.assertTrue(np.isfinite(developer.render(recipe, space="linear")).all())

    def test_a_recipe_beyond_its_bounds_is_refused(self) -> None:
        for values in (
            {"channel_matrix": [3.5e38, 0, 0, 0, 1, 0, 0, 0, 1]}, {"raw_neutral": [1e-30, 1, 1]}, {"exposure": 1e999},
            {"hue_nodes": [{"hue": 1e300}]}, {"crop": [-1e300, 0, 1, 1]}, {"bypassed": ["x" * 5000]},
        ):  # fmt: skip
            with self.assertRaises(BrutoError):
                Recipe().changed(**values)


class Claims(Folder):
    def test_a_small_tiff_that_claims_much(self) -> None:
        good = BytesIO()
        tifffile.imwrite(good, np.zeros((378, 504, 3), np.uint8), compression="deflate", photometric="rgb")
        for rows, pattern in ((700_000, "more than can be real"), (65_000, "cut short|memory|cannot be read")):
            data = bytearray(good.getvalue())
            with tifffile.TiffFile(BytesIO(bytes(data))) as tif:
                for tag in (257, 278):
                    at = tif.pages[0].tags[tag].offset
                    struct.pack_into("<HII", data, at + 2, 4, 1, rows)
            path = self.folder / "claims.tif"
            path.write_bytes(data)
            with self.assertRaisesRegex(FileProblem, pattern):
                read_picture(path)

    def test_parts_beyond_the_end(self) -> None:
        path = self.picture("a.tif")
        path.write_bytes(path.read_bytes()[:5000])
        with self.assertRaises(FileProblem) as caught:
            read_picture(path)
        self.assertNotRegex(str(caught.exception), r"b'|<_io|Error|errno")

    def test_what_does_not_fit_into_memory_is_refused_before(self) -> None:
        from unittest import mock

        with (
            mock.patch("bruto.container.dng_pixels.available_memory", return_value=100_000),
            self.assertRaisesRegex(FileProblem, "of memory"),
        ):
            read_dng(raw_of("card", size=SMALL))
        with (
            mock.patch("bruto.container.picture.available_memory", return_value=10_000),
            self.assertRaisesRegex(FileProblem, "of memory"),
        ):
            read_picture(self.picture("a.png"))

    def test_exif_too_long_for_a_jpeg_is_shortened_with_a_word(self) -> None:
        how = SampleStorage(7, 16)
        long = replace(tags_for(how, True), description="salt " * 20_000, make="M" * 9000)
        write_dng(self.path, samples(how, True), long, PREVIEW, how)
        out, _ = export_shot(self.path, self.folder / "out.jpg", Recipe(), ExportPreset())
        self.assertTrue(read_picture_facts(out).description.endswith("(shortened)"))


class Changing(Folder):
    def test_a_file_that_becomes_shorter_while_it_is_read(self) -> None:
        raw, picture = taken("card", size=SMALL)[0]["files"]
        for source, read in (
            (raw, read_dng),
            (raw, read_quick_metadata),
            (picture, read_picture),
            (picture, read_quick_metadata),
        ):
            data = Path(source).read_bytes()
            path = self.folder / Path(source).name
            stop = threading.Event()

            def shorten(path: Path = path, data: bytes = data, stop: threading.Event = stop) -> None:
                random = np.random.default_rng(1)
                while not stop.is_set():
                    path.write_bytes(data)
                    with path.open("r+b") as stream:
                        stream.truncate(int(random.integers(0, len(data))))

            path.write_bytes(data)
            thread = threading.Thread(target=shorten)
            thread.start()
            for _ in range(40):
                try:
                    read(path)
                except BrutoError as error:
                    self.assertNotRegex(str(error), r"Error\b|b'|errno")
            stop.set()
            thread.join()

    def test_bytes_by_place_end_where_the_file_ends(self) -> None:
        path = self.folder / "a.bin"
        data = bytes(range(256)) * 1000
        path.write_bytes(data)
        with path.open("rb") as stream:
            mapped = MappedFile(stream)
            self.assertEqual(len(mapped), len(data))
            for place in ((0, 4), (MappedFile.PAGE - 2, MappedFile.PAGE + 3), (255_000, 300_000), (5, 5)):
                self.assertEqual(mapped[slice(*place)], data[slice(*place)])
            path.write_bytes(b"short")
            self.assertEqual(mapped[200_000:200_010], b"")


class Specials(Folder):
    def test_pipes_links_and_folders_never_hold_the_reader(self) -> None:
        for suffix in (".dng", ".jpg", ".tif", ".heic"):
            for kind in ("pipe", "loop", "dir", "empty"):
                path = self.folder / f"{kind}{suffix}"
                {
                    "pipe": os.mkfifo, "loop": lambda p: p.symlink_to(p.name), "dir": Path.mkdir,
                    "empty": lambda p: p.write_bytes(b""),
                }[kind](path)  # fmt: skip
                with self.assertRaises(FileProblem):
                    read_quick_metadata(path)
                with self.assertRaises(FileProblem):
                    open_source(path)

    def test_a_picture_with_the_ending_of_another_kind(self) -> None:
        heic = Path(taken("card", size=SMALL, picture_suffix=".heic")[0]["files"][1])
        path = self.folder / "named.jpg"
        path.write_bytes(heic.read_bytes())
        self.assertEqual(read_picture(path).pixels.shape, (378, 504, 3))
        self.assertEqual(glancing.read_quick_metadata(path).size, (504, 378))


class Tiny(Folder):
    def test_pictures_of_one_to_six_rows(self) -> None:
        random = np.random.default_rng(3)
        recipe = Recipe.model_validate(
            {
                "local_contrast_fine": 1.4, "local_contrast_medium": 1.4, "local_contrast_broad": 1.3, "haze": 40,
                "grain": 1, "vignette": 1,
                "hue_nodes": [{"hue": 30, "shift": 20}], "curves": {"joint": [[0, 0.1], [1, 1]]}, "horizon": 3.0,
            }
        )  # fmt: skip
        count = refused = 0
        for mosaic in (True, False):
            how = SampleStorage(1, 16, components=1 if mosaic else 3)
            sizes = ((1, 1), (1, 90), (2, 2), (3, 200), (40, 1), (8, 8), (9, 8), (8, 300), (19, 23), (300, 9))
            for h, w in sizes:
                codes = random.integers(100, 3000, (h, w) if mosaic else (h, w, 3)).astype(np.uint16)
                tags = replace(tags_for(how, mosaic), gain_maps=())
                write_dng(self.path, codes, tags, PREVIEW, how)
                count += 1
                frame = read_dng(self.path)
                self.assertEqual(linearise(frame).data.shape[:2], (h, w))
                if min(h, w) < 8:
                    for work in (measure, lambda f: source_of_raw(self.path, f)):
                        with self.assertRaisesRegex(FileProblem, "too small"):
                            work(frame)
                    refused += 1
                    continue
                measure(frame)
                developer = Developer(source_of_raw(self.path, frame))
                for chosen in (Recipe(), recipe, recipe.changed(noise_best=True, horizon=0.0)):
                    developer.view(chosen, 2)
                    developer.view(chosen, 7.3)
                    self.assertEqual(developer.render(chosen).dtype, np.uint8)
                    self.assertEqual(developer.problems, {})
        self.assertEqual((count, refused), (20, 10))

    def test_active_areas_of_a_few_rows(self) -> None:
        how = SampleStorage(1, 16)
        codes = np.full((60, 80), 900, np.uint16)
        for area in ((0, 0, 80, 1), (0, 5, 80, 3), (3, 0, 2, 60), (0, 0, 16, 7)):
            tags = replace(tags_for(how, True), active_area=area, default_crop=(0, 0, 40, 30), gain_maps=())
            write_dng(self.path, codes, tags, PREVIEW, how)
            frame = read_dng(self.path)
            developer = Developer(source_of_raw(self.path, frame))
            self.assertEqual(developer.render(Recipe(vignette=1.0)).dtype, np.uint8)
            with self.assertRaisesRegex(FileProblem, "too small"):
                developer.asked(Recipe(whole_area=True))

    def test_small_pictures(self) -> None:
        for h, w in ((1, 1), (3, 700), (700, 2), (8, 8), (9, 40)):
            path = self.folder / f"{h}-{w}.png"
            Image.fromarray(np.full((h, w, 3), 120, np.uint8)).save(path)
            if min(h, w) < 8:
                with self.assertRaisesRegex(FileProblem, "too small"):
                    open_source(path)
            else:
                self.assertEqual(Developer(open_source(path)).render(Recipe(haze=30)).shape, (h, w, 3))

    def test_fields_of_one_row_or_column(self) -> None:
        from bruto.develop.steps.kernel_rows import across_row, at_least_two

        for shape in ((1, 1), (1, 5), (5, 1), (2, 2)):
            field = at_least_two(np.arange(np.prod(shape), dtype=np.float32).reshape(shape))
            self.assertTrue(min(field.shape) >= 2)
            a, b = np.empty(40, np.float32), np.empty(40, np.float32)
            for y in (0.0, 0.5, 1.0):
                across_row(field, field, np.float32(y), np.float32(0), np.float32(1 / 40), a, b)
                self.assertTrue((a >= field.min()).all() and (a <= field.max()).all())
