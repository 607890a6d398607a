"""Which two pictures are of one scene: true pairs are never refused, others always, in words."""

from __future__ import annotations

import itertools
import unittest
from functools import cache

import cv2
import numpy as np

from bruto.align.registration import Alignment, register_codes
from bruto.color.spaces import encode_srgb
from bruto.compare.sources import side_of
from bruto.container.picture import read_picture
from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError
from tests.extent import count, share
from tests.photographs import light_of
from tests.processing import Processing, finished
from tests.shots import MIDDLE, taken

PHOTOGRAPHS = ("coffee", "chelsea", "astronaut", "rocket", "stereo_motorcycle")
SCENES = (
    ("pans", 50.0), ("boiling-house", 400.0), ("sluice", 800.0), ("card", 50.0), ("crystals", 200.0),
    ("sluice", 3200.0),
)  # fmt: skip
HOWS = (
    Processing(), Processing(compress=0.45, slope=0.9, color=1.6, sharp=1.5, smear=25, crop=0.96, turn=-0.6),
    Processing(crop=0.8, turn=2), Processing(turn=5, crop=0.9),
    Processing(slope=1.5, lift=-0.4, crop=1.0, barrel=-0.01),
)  # fmt: skip


@cache
def codes(name: str) -> np.ndarray:
    return (encode_srgb(np.clip(light_of(name), 0, 1)) * 255).astype(np.uint8)


@cache
def shot(scene: str, iso: float) -> tuple[np.ndarray, np.ndarray]:
    """A raw as it is developed, and the phone's picture of it."""
    raw, phone = taken(scene, size=MIDDLE, seed=2, iso=iso)[0]["files"][:2]
    return side_of(raw, Recipe(exposure=0.5)).whole(MIDDLE[0]), read_picture(phone).pixels


def half(picture: np.ndarray) -> np.ndarray:
    return cv2.resize(picture, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)


def refused(first: np.ndarray, second: np.ndarray) -> str | Alignment:
    """The words of the refusal, or the alignment."""
    try:
        return register_codes(np.ascontiguousarray(first), np.ascontiguousarray(second))
    except BrutoError as error:
        return str(error)


class Pairs(unittest.TestCase):
    def test_true_pairs_are_aligned(self) -> None:
        """Residual at most 1 px, 0.3 px in the middle of all."""
        pairs = [shot(*s) for s in SCENES]
        for name in PHOTOGRAPHS:
            plain = codes(name)
            for how in share(HOWS, 3):
                picture = finished(light_of(name), how)
                pairs += [(plain, picture), (plain, half(picture))]
            eighth = plain.shape[0] // 8
            pairs += [(plain, plain[eighth:-eighth]), (plain, np.rot90(plain)), (plain, plain[::-1, ::-1])]
        self.assertGreaterEqual(len(pairs), count(60, 40))
        found = [refused(*pair) for pair in pairs]
        self.assertEqual([f for f in found if isinstance(f, str)], [])
        residuals = [f.residual_px for f in found if isinstance(f, Alignment)]
        self.assertLess(np.median(residuals), 0.3)
        self.assertLess(max(residuals), 1.0)

    def test_others_are_refused_in_words(self) -> None:
        sides = {name: (codes(name), codes(name)) for name in PHOTOGRAPHS} | {s[0]: shot(*s) for s in SCENES[:5]}
        pairs = [(sides[a][0], sides[b][1]) for a, b in share(list(itertools.permutations(sides, 2)), 11)]
        for name in share(PHOTOGRAPHS, 2):  # mirrored, and two parts of one place that share nothing
            plain = codes(name)
            w = plain.shape[1]
            pairs += [(plain, plain[:, ::-1]), (plain[:, : w * 9 // 20], plain[:, w * 11 // 20 :])]
        self.assertGreaterEqual(len(pairs), count(40, 13))
        for first, second in pairs:
            text = refused(first, second)
            self.assertIsInstance(text, str)
            self.assertRegex(str(text), r"^The (first|two) pictures? ")

    def test_other_kinds_of_pictures(self) -> None:
        """Grey, tiny and enormous ones, one with a wide border."""
        plain = codes("coffee")
        grey = np.repeat(plain.mean(axis=2, keepdims=True).astype(np.uint8), 3, axis=2)
        bordered = cv2.copyMakeBorder(plain, 60, 60, 90, 90, cv2.BORDER_CONSTANT, value=(255, 255, 255))
        large = cv2.resize(plain, None, fx=8, fy=8, interpolation=cv2.INTER_CUBIC)
        for other in (grey, bordered, large):
            self.assertIsInstance(refused(plain, other), Alignment)
        for other in (plain[:2, :2], plain[:1, :300], np.zeros((400, 600, 3), np.uint8)):
            self.assertIsInstance(refused(plain, other), str)
