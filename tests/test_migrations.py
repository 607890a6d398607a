"""Files that version 0.1 wrote open with all their values: the corpus beside this test was written by its own code."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.develop.recipe import Recipe
from bruto.develop.recipe_files import load_recipe
from bruto.develop.recipe_library import saved_recipes
from bruto.export.preset import ExportPreset
from bruto.export.saved_queue import take_saved_queue
from bruto.logbook.database import usual_logbook
from bruto.logbook.records import LogRecord, from_csv
from bruto.logbook.store import Logbook
from bruto.phones.card import load_card
from bruto.plan.planned_shots import as_bytes, load_plan, plan_from
from bruto.session.unfinished_jobs import ImportTask, MergeTask, unfinished_jobs
from bruto.shoot.folder import Intent, load_record
from bruto.shoot.sidecar import load_sidecar, save_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from bruto.storage.settings import load_settings, save_settings
from bruto.storage.temporary_files import process_mark

CORPUS = Path(__file__).parent / "corpus/v0_1"
SINCE = {
    "brightness_noise": "luminance_noise", "colour_noise": "chroma_noise", "quiet_colours": "muted_chroma",
    "relief_fine": "local_contrast_fine", "relief_medium": "local_contrast_medium",
    "relief_broad": "local_contrast_broad", "edge_light": "vignette", "edge_tint": "corner_color",
    "tints": "split_tint", "mixing": "channel_matrix",
}  # fmt: skip
"""Fields of a recipe as version 0.1 called them, and as they are called now."""


class FromVersion01(unittest.TestCase):
    def setUp(self) -> None:
        self.base = Path(self.enterContext(TemporaryDirectory()))
        shutil.copytree(CORPUS, self.base, dirs_exist_ok=True)
        home = self.base / "home"
        homes = {f"XDG_{k}_HOME": str(home / k.lower()) for k in ("DATA", "STATE", "CACHE")}
        self.enterContext(mock.patch.dict(os.environ, homes))
        for kind in ("queue", "tasks"):  # work is taken over from programs of this machine that are gone
            place = home / "state/bruto" / kind
            (place / "gone.json").rename(place / f"{process_mark().partition('-')[0]}-999999999-1.json")
        self.written = json.loads((CORPUS / "recipe.json").read_text())

    def check_full(self, recipe: Recipe) -> None:
        """Every value that the old code wrote is there, under its present name."""
        now = json.loads(json.dumps(recipe.model_dump(by_alias=True)))
        self.assertEqual(now["schema"], 3)
        self.assertEqual(set(now["bypassed"]), {"vignette", "muted_chroma"})
        for name, value in self.written.items():
            if name in ("schema", "bypassed"):
                continue
            if name == "tints":
                value = {"shadows": value["dark"], "midtones": value["middle"], "highlights": value["bright"]}
            self.assertEqual(now[SINCE.get(name, name)], value, name)

    def test_recipe(self) -> None:
        self.check_full(load_recipe(self.base / "recipe.json"))

    def test_recipe_of_the_first_schema(self) -> None:
        recipe = load_recipe(self.base / "recipe-schema-1.json")
        self.assertEqual(
            (
                recipe.horizon,
                recipe.chroma_noise,
                recipe.muted_chroma,
                recipe.split_tint.shadows.amount,
                recipe.bypassed,
            ),
            (1.5, 1.3, 1.2, 0.02, ("horizon",)),
        )
        self.assertEqual(recipe.model_dump()["later"], 1)

    def test_sidecar_with_history_and_versions(self) -> None:
        raw = self.base / "shoot/frame-0001.dng"
        side, problem = load_sidecar(raw)
        self.assertEqual(problem, "")
        self.check_full(side.recipe)
        self.assertEqual(
            (side.verdict, side.note, side.gear, side.stars), ("discard", "wind in the reeds", "clip-on filter", 2)
        )
        self.assertEqual(
            side.history,
            [
                ("exposure", {"exposure": 0.0}),
                ("muted_chroma", {"muted_chroma": 1.0, "chroma_noise": 1.2}),
                ("applied:local_contrast_fine", {"local_contrast_fine": 1.0, "vignette": 0.0}),
            ],
        )
        self.assertEqual(
            side.future, [("corner_color", {"corner_color": 0.02}), ("luminance_noise", {"luminance_noise": 0.8})]
        )
        self.assertEqual(side.version("soft").local_contrast_fine, 0.7)
        self.check_full(side.version("as at home"))
        self.assertEqual((side.unknown["mood"], side.recipe.model_dump()["later"]), ("calm", {"a": 1}))

    def test_sidecar_written_again_keeps_all_of_it(self) -> None:
        raw = self.base / "shoot/frame-0001.dng"
        side, _ = load_sidecar(raw)
        save_sidecar(raw, side, side.snapshot())
        again, problem = load_sidecar(raw)
        self.assertEqual((problem, again.recipe, again.history), ("", side.recipe, side.history))
        self.assertEqual(again.versions, side.versions)
        self.assertEqual(json.loads(sidecar_path(raw).read_text())["recipe"]["schema"], 3)
        self.assertFalse(list(raw.parent.glob("*.damaged*")))

    def test_saved_recipes(self) -> None:
        found, problems = saved_recipes()
        self.assertEqual(problems, [])
        by = {n.name: n for n in found}
        self.assertEqual(
            by["Salt and sky"].fields,
            ("local_contrast_fine", "muted_chroma", "vignette", "split_tint", "chroma_noise", "luminance_noise"),
        )
        self.check_full(by["Salt and sky"].recipe)
        self.assertEqual(by["Plain noise"].values(), {"chroma_noise": 2.2})

    def test_card(self) -> None:
        card = load_card("Vessar", "Vessar Tide 4")
        self.assertEqual(
            (card.isos, card.pace_s, card.written, card.shots_seen), ((50, 100, 3200), 1.25, ("pace_s", "isos"), 41)
        )
        self.assertEqual((card.noise, card.viewfinder("1.0")), ({"5.9|12|100": (2e-5, 3e-8)}, 0.2))
        self.assertEqual((len(card.lenses), len(card.modes), len(card.learnt_from)), (2, 2, 1))

    def test_plan(self) -> None:
        plan = load_plan(self.base / "home/data/bruto/plans/pans-midsummer.json")
        trail, reeds = plan.planned_shots
        self.assertEqual(
            (trail.support, trail.forecast, trail.dismissed, trail.frames), ("tripod", "12 GB", ("night",), 240)
        )
        self.assertEqual(
            (trail.at, trail.interval_s, trail.azimuth, trail.gear), ("2026-06-21T23:50", 16.25, 12.0, "power bank")
        )
        self.assertEqual((reeds.title, reeds.support), ("Reeds", "hand"))
        self.assertEqual(
            (plan.target, plan.facade, plan.darkness, plan.free_mb, plan.note),
            ("10.7,41.3", 123.0, 20.9, 48000.0, "bring a coat"),
        )
        self.assertEqual(plan_from(json.loads(as_bytes(plan))), plan)

    def test_logbook(self) -> None:
        with Logbook(usual_logbook()) as book:
            self.assertEqual(book.problem, "")
            one, two = book.page(order="taken")[::-1]
            self.assertEqual(
                (one.key, one.support, one.verdict, one.darkness, one.bytes),
                ("k1", "hand", "discard", 20.9, 24_000_000),
            )
            self.assertEqual((two.key, two.support, two.verdict), ("k2", "tripod", "keep"))
            self.assertEqual(book.batteries(), [("2026-06-21 pans", 90.0, 40.0, 5.5)])
            self.assertEqual(book.scores(), {"handheld": (0, 1), "lamp": (1, 1)})
            self.assertEqual(book.shoots()[0].picked, 1)

    def test_logbook_that_can_only_be_read(self) -> None:
        refused = sqlite3.OperationalError("attempt to write a readonly database")
        with mock.patch.object(Logbook, "_opened", side_effect=refused), Logbook(usual_logbook()) as book:
            self.assertEqual({r.key: r.support for r in book.page()}, {"k1": "hand", "k2": "tripod"})

    def test_logbook_as_a_table(self) -> None:
        self.assertEqual(
            from_csv("key,held,verdict\r\nk1,hand,pick\r\nk2,,reject\r\n"),
            [LogRecord("k1", support="hand", verdict="keep"), LogRecord("k2", verdict="discard")],
        )

    def test_record_of_a_shoot(self) -> None:
        record = load_record(self.base / "shoot")
        self.assertEqual(record.intent, Intent(12, "mosaic", 26.0, True))
        self.assertEqual(record.pairs, {"frame-0001.dng": "frame-0002.jpg", "frame-0003.dng": None})

    def test_settings(self) -> None:
        settings = load_settings()
        self.assertEqual(
            (settings.theme, settings.start, settings.size, settings.sort), ("dim", "defaults", (1300, 820), "light")
        )
        self.assertEqual(settings.keys, {"next": "Ctrl+J", "apply-all": "Ctrl+L"})
        self.assertEqual((settings.groups, settings.only), (["light", "local_contrast", "color"], "keep_or_best"))
        self.assertEqual(
            settings.preset,
            {
                "format": "tif-16",
                "size": "own",
                "space": "display-p3",
                "edge": 2500.0,
                "quality": 88.0,
                "exif": True,
                "place": False,
            },
        )
        self.assertEqual(settings.blind, {"corrected > phone": 3, "corrected = phone": 1})
        self.assertEqual(
            [(r.title, r.selected, r.task, r.close) for r in settings.recent],
            [("pans", 7, "export", True), ("works", 1, "correct", False)],
        )
        save_settings(settings)
        self.assertEqual(load_settings(), settings)

    def test_export_queue(self) -> None:
        first, second = take_saved_queue()
        assert first.recipe is not None
        self.check_full(first.recipe)
        self.assertEqual(
            (first.name, first.preset), ("frame-0001.tif", ExportPreset("display-p3", 16, 2500, 88, True, False))
        )
        self.assertEqual((second.name, second.recipe, second.preset), ("frame-0003.jpg", None, ExportPreset()))

    def test_unfinished_work(self) -> None:
        found = unfinished_jobs()
        self.assertEqual([type(w) for w in found], [ImportTask, MergeTask, MergeTask])
        importing, trails, mean = found
        assert isinstance(importing, ImportTask) and isinstance(trails, MergeTask) and isinstance(mean, MergeTask)
        self.assertEqual((importing.source, importing.folder), (Path("/media/card"), Path("/photos/pans")))
        self.assertEqual((trails.method, trails.choices, len(trails.files)), ("trails", {"bridge": False}, 2))
        self.assertEqual((mean.method, mean.output), ("mean", Path("/photos/mean.dng")))
