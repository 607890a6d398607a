"""The catalogue of texts: parts are filled in as they are, and a language changes numbers and words alone."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from bruto.catalog import clauses, items, pseudo, sentences, tr, trn
from bruto.container.dng_reader import read_dng
from bruto.errors import BrutoError
from bruto.shoot.folder import open_shoot

NAMES = ("{0}.dng", "a{b}.dng", "{{x}}%s.dng", "{name!r:>99}.dng", "{name.__class__}.dng")
"""Names of files that would do harm where a text is filled in twice."""


class Parts(unittest.TestCase):
    def test_braces_in_a_part_stay(self) -> None:
        for name in NAMES:
            with self.subTest(name):
                self.assertEqual(tr("Cannot read {name}.", name=name), f"Cannot read {name}.")
                self.assertEqual(items(name, "", tr("{n} px", n=2)), f"{name}, 2 px")
                self.assertEqual(sentences(name, name), f"{name} {name}")
                self.assertEqual(clauses("", name), name)

    def test_a_file_of_such_a_name_is_named_in_its_error(self) -> None:
        folder = Path(self.enterContext(TemporaryDirectory()))
        for name in NAMES:
            with self.subTest(name):
                (folder / name).write_bytes(f"no raw: {name}".encode())
                with self.assertRaises(BrutoError) as raised:
                    read_dng(folder / name)
                self.assertIn(name, str(raised.exception))
        problems = {s.name: s.problem for s in open_shoot([folder])}
        self.assertEqual(set(problems), {Path(n).stem for n in NAMES})
        for name, problem in problems.items():
            self.assertIn(name, problem)

    def test_numbers_have_a_true_minus_sign_and_words_their_number(self) -> None:
        self.assertEqual(tr("{ev:+.1f} EV", ev=-0.5), "−0.5 EV")
        self.assertEqual(tr("{name}", name="-5"), "-5")  # a text is no number
        self.assertEqual(trn("{n} shot", "{n} shots", n=1), "1 shot")
        self.assertEqual(trn("{n} shot", "{n} shots", n=0), "0 shots")

    def test_the_language_of_tests_keeps_parts(self) -> None:
        self.assertEqual(pseudo("Merge {n} frames")[:20], "⟦Mérgé {n} frámés åö")
