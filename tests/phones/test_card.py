"""Cards of phones: shipped, learnt, edited, kept."""

from __future__ import annotations

import os
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import write_dng
from bruto.container.quick_metadata import QuickMetadata, read_quick_metadata
from bruto.container.raw_frame import RawFrame
from bruto.develop.source import source_of_raw
from bruto.errors import BrutoError
from bruto.phones.card import CardLens, Mode, PhoneCard, card_from, load_card, save_card, written
from bruto.phones.card_learning import learn, learn_pace, learn_report, offer, offer_for
from bruto.phones.ranges import TYPICAL
from bruto.sensor.measurement import measure
from bruto.simphone import sensor_model as sm
from bruto.simphone.capture_files import sample_tags
from tests.shots import SMALL, raw_of


def seen(**changes: object) -> QuickMetadata:
    base = QuickMetadata(
        "mosaic", (4000, 3000), iso=100.0, exposure_s=0.01, f_number=1.8, focal_mm=6.0, focal_35mm=24.0, make="Orrery",
        model="Orrery Two",
    )  # fmt: skip
    return replace(base, **changes)  # type: ignore[arg-type]


class Cards(unittest.TestCase):
    def setUp(self) -> None:
        self.home = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.home)}))

    def test_the_shipped_card_is_the_simulated_phone(self) -> None:
        card = load_card(sm.MAKE, sm.MODEL)
        self.assertEqual(card.isos, tuple(float(v) for v in sm.ISOS))
        self.assertEqual(len(card.seconds), len(sm.SHUTTERS))
        for q in sm.LENSES.values():
            lens = card.lens_of(q.focal_mm)
            assert lens is not None
            self.assertEqual((lens.focal_35mm, lens.f_number), (q.focal_35mm, q.f_number))
        assert card.noise is not None
        for iso in (50, 6400):
            for mp, size in ((12, 12), (49, 48)):
                a, b = card.noise[f"{sm.FOCAL_MM:g}|{mp}|{iso}"]
                self.assertAlmostEqual(a / sm.sensor_for(size).noise(iso)[0], 1, places=3)
                self.assertAlmostEqual(b / sm.sensor_for(size).noise(iso)[1], 1, places=3)

    def test_learning_from_files(self) -> None:
        card = learn(
            PhoneCard("Orrery", "Orrery Two"),
            [
                seen(), seen(iso=200.0, exposure_s=0.02), seen(focal_35mm=48.0), seen(focal_mm=2.0, focal_35mm=14.0),
                seen(kind="linear"), seen(make="Other", model="Other", iso=9.0), seen(iso=201.0),
            ],
        )  # fmt: skip
        self.assertEqual(
            [(q.focal_mm, q.focal_35mm) for q in card.lenses], [(2.0, 14.0), (6.0, 24.0)]
        )  # 48 mm is a crop
        self.assertEqual(card.isos, (100.0, 200.0))
        self.assertEqual(card.seconds, (0.01, 0.02))
        self.assertIn(Mode(6.0, "linear", 4000, 3000), card.modes)

    def test_the_users_words_stay(self) -> None:
        card = written(PhoneCard("Orrery", "Orrery Two"), isos=(50.0, 100.0), pace_s=1.5)
        card = learn_pace(learn(card, [seen(iso=800.0)]), [0, 5, 10, 15], [2, 2, 2, 2])
        self.assertEqual((card.isos, card.pace_s), ((50.0, 100.0), 1.5))
        self.assertEqual(card.seconds, (0.01,))

    def test_pace(self) -> None:
        card = learn_pace(PhoneCard("Orrery", "Orrery Two"), [0, 15, 30, 45, 75], [13] * 5)
        self.assertEqual(card.pace_s, 2.0)
        quick = learn_pace(PhoneCard("Orrery", "Orrery Two"), [0, 0, 1, 1, 2, 2, 3, 3, 4], [0.01] * 9)
        self.assertAlmostEqual(quick.pace_s or 0, 0.49, places=2)  # stamps are whole seconds

    def test_kept_and_loaded(self) -> None:
        card = PhoneCard(
            "Orrery",
            "Orrery Two",
            (CardLens("24 mm", 6.0, 24.0, 1.8),),
            (100.0,),
            noise={"a": (1.0, 2.0)},
            viewfinder_ev={"p": [0.5]},
        )
        save_card(card)
        self.assertEqual(load_card("Orrery", "Orrery Two"), card)

    def test_damaged_cards(self) -> None:
        place = save_card(PhoneCard("Orrery", "Orrery Two", isos=(1.0,)))
        place.write_text("[]")
        self.assertEqual(load_card("Orrery", "Orrery Two"), PhoneCard("Orrery", "Orrery Two"))
        with self.assertRaisesRegex(BrutoError, "Delete or correct"):
            card_from({"make": "a"})

    def test_viewfinder_is_learnt_by_program(self) -> None:
        path = raw_of("card", size=SMALL)
        report, g = measure(read_dng(path)), read_quick_metadata(path)
        card = PhoneCard(g.make, g.model)
        for k, offset in enumerate((0.7, 0.9, 0.8)):
            self.assertIsNone(card.viewfinder(g.software))
            shot = replace(g, length=g.length + k)
            card = learn_report(card, shot, replace(report, preview_offset_ev=offset))
        self.assertEqual(card.viewfinder(g.software), 0.8)
        for _ in range(9):  # the same shot opened again and again
            card = learn_report(card, g, replace(report, preview_offset_ev=0.7))
        self.assertEqual(card.viewfinder(g.software), 0.8)
        self.assertIsNone(card.viewfinder("another program"))

    def test_offers(self) -> None:
        found = offer_for(raw_of("card", size=SMALL, iso=800.0))
        self.assertEqual(found.isos[0], 50)
        assert found.binned_noise and found.full_noise
        self.assertGreater(found.full_noise[0], found.binned_noise[0])
        self.assertEqual(offer(PhoneCard("Orrery", "Orrery Two"), seen()).isos, TYPICAL["isos"])


class Busy(unittest.TestCase):
    """Noise of a picture without flat places is taken from others of the same phone and ISO."""

    def setUp(self) -> None:
        home = self.enterContext(TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_DATA_HOME": home}))

    def busy(self) -> RawFrame:
        """A mosaic full of texture, of a file that states no noise."""
        random = np.random.default_rng(3)
        light = random.uniform(0.02, 0.7, (400, 400))
        a, b = sm.sensor_for(12).noise(400.0)
        codes = 256 + (light + random.normal(0, 1, light.shape) * np.sqrt(a * light + b)) * (4095 - 256)
        tags = replace(sample_tags(), noise_profile=None, iso=400.0)
        path = Path(os.environ["XDG_DATA_HOME"]) / "busy.dng"
        write_dng(path, np.clip(codes, 0, 4095).astype(np.uint16), tags, np.zeros((8, 8, 3), np.uint8))
        return read_dng(path)

    def test_learnt_from_other_shots(self) -> None:
        frame = self.busy()
        meta = frame.meta
        true = sm.sensor_for(12).noise(400.0)
        alone = source_of_raw(Path("busy.dng"), frame)
        self.assertEqual(alone.noise_from, "picture")
        self.assertGreater(alone.noise[1, 0], 5 * true[0])  # texture taken for noise
        facts = seen(
            make=meta.make, model=meta.model, focal_mm=meta.focal_mm, iso=400.0, size=(400, 400), kind="mosaic"
        )
        plain = replace(measure(read_dng(raw_of("card", size=SMALL))), noise_measured=true, noise_interval=(0.9, 1.1))
        card = learn_report(PhoneCard(meta.make, meta.model), facts, plain)
        save_card(card)
        known = source_of_raw(Path("busy.dng"), frame)
        self.assertEqual(known.noise_from, "learnt")
        np.testing.assert_allclose(known.noise, np.tile(true, (3, 1)))
        # the busy one does not spoil what is learnt
        spoilt = learn_report(card, facts, replace(plain, noise_measured=(1.0, 1.0), noise_interval=(0.4, 1.5)))
        self.assertEqual(spoilt.noise, card.noise)
