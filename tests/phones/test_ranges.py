"""What a phone offers: a few shots widen a typical range, its owner's word limits it."""

from __future__ import annotations

import math
import unittest

from bruto.errors import BrutoError
from bruto.phones.card import PhoneCard, written
from bruto.phones.ranges import TYPICAL, range_of, widened, with_limit


class Ranges(unittest.TestCase):
    def test_one_shot_does_not_say_what_a_phone_offers(self) -> None:
        card = PhoneCard("Orrery", "Orrery Two", isos=(320.0,), seconds=(1 / 60,))
        times, isos = range_of(card, "seconds"), range_of(card, "isos")
        self.assertEqual((times.steps[0], times.steps[-1]), (1 / 10000, 30.0))
        self.assertEqual((isos.steps[0], isos.steps[-1]), (25.0, 6400.0))
        self.assertEqual([times.beyond(v) for v in (1 / 8000, 1 / 60, 30.0)], ["least", None, "most"])
        self.assertEqual([isos.beyond(v) for v in (50.0, 320.0, 1600.0, 3200.0)], ["least", None, None, "most"])

    def test_what_was_seen_widens_it_and_stands_in_for_steps_close_to_it(self) -> None:
        card = PhoneCard("Orrery", "Orrery Two", isos=(48.0, 12800.0), seconds=(1 / 24000, 120.0))
        isos = range_of(card, "isos")
        self.assertIn(48.0, isos.steps)
        self.assertNotIn(50.0, isos.steps)
        self.assertEqual(isos.steps[-1], 12800.0)
        self.assertIsNone(isos.beyond(6400.0))
        self.assertIsNone(range_of(card, "seconds").beyond(120.0))
        ratios = [b / a for a, b in zip(isos.steps, isos.steps[1:], strict=False)]
        self.assertGreater(min(ratios), 1.1)

    def test_the_owners_word_limits_it(self) -> None:
        card = with_limit(PhoneCard("Orrery", "Orrery Two", seconds=(1 / 60,)), "seconds", "most", 16.0)
        times = range_of(card, "seconds")
        self.assertEqual(times.steps[-1], 16.0)
        self.assertNotIn(15.0, times.steps)
        self.assertEqual((times.beyond(16.0), times.beyond(1 / 9000)), (None, "least"))
        both = with_limit(card, "seconds", "least", 1 / 8000)
        self.assertEqual(range_of(both, "seconds").steps[0], 1 / 8000)
        self.assertEqual(both.limits, {"seconds": (1 / 8000, 16.0)})

    def test_ends_that_contradict_each_other(self) -> None:
        card = with_limit(PhoneCard("Orrery", "Orrery Two"), "seconds", "least", 1 / 100)
        with self.assertRaises(BrutoError) as caught:
            with_limit(card, "seconds", "most", 1 / 1000)
        self.assertIn("Orrery Two", str(caught.exception))
        by_hand = PhoneCard("Orrery", "Orrery Two", limits={"seconds": (0.01, 0.001), "isos": (400.0, 400.0)})
        self.assertEqual(range_of(by_hand, "seconds").steps, TYPICAL["seconds"])
        self.assertEqual(range_of(by_hand, "isos").steps, (400.0,))

    def test_a_list_that_was_typed_is_all_there_is(self) -> None:
        card = written(PhoneCard("Orrery", "Orrery Two"), isos=(50.0, 100.0))
        isos = range_of(card, "isos")
        self.assertEqual((isos.steps, isos.least, isos.most), ((50.0, 100.0), 0.0, math.inf))
        self.assertEqual(range_of(card, "seconds").steps, TYPICAL["seconds"])

    def test_nothing_seen_is_typical(self) -> None:
        self.assertEqual(widened((), TYPICAL["isos"]), TYPICAL["isos"])


if __name__ == "__main__":
    unittest.main()
