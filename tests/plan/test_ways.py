"""Other ways: three of stars and three of low light, and what each costs."""

from __future__ import annotations

import unittest
from dataclasses import replace

from bruto.plan.pricing import price_of
from bruto.plan.proposing import facts_of, with_proposals
from bruto.plan.stars import rule_500
from bruto.plan.ways import STACK_S, ways_of
from bruto.plan.wishes import Wish
from tests.plan.test_proposing import PHONE, PLACES

PLAN = PLACES[0]


class Ways(unittest.TestCase):
    def test_stars_to_share_to_print_and_to_merge(self) -> None:
        facts = facts_of(PLAN)
        wish = with_proposals(Wish("s", "stars"), PLAN, PHONE, facts)
        ways = {w.name: w for w in ways_of(wish, PLAN, PHONE, facts)}
        self.assertEqual(list(ways), ["To share", "To print", "To merge"])
        self.assertLessEqual(ways["To share"].fields["seconds"], rule_500(26))
        self.assertTrue(ways["To share"].taken_by(wish))  # it is what is proposed
        self.assertLess(ways["To print"].fields["seconds"], ways["To share"].fields["seconds"])
        stack = ways["To merge"].fields
        self.assertGreaterEqual(stack["frames"] * stack["seconds"], STACK_S)
        merged = price_of(replace(wish, **stack), PLAN, PHONE, facts)
        shared = price_of(wish, PLAN, PHONE, facts)
        self.assertLess(merged.trail, shared.trail)
        self.assertGreater(merged.snr, shared.snr)

    def test_low_light_has_three_answers(self) -> None:
        facts = facts_of(PLAN)
        wish = with_proposals(Wish("d", "dusk"), PLAN, PHONE, facts)
        tripod, burst, high = ways_of(wish, PLAN, PHONE, facts)
        self.assertEqual([w.fields["held"] for w in (tripod, burst, high)], ["tripod", "hand", "hand"])
        prices = [price_of(replace(wish, **w.fields), PLAN, PHONE, facts) for w in (tripod, burst, high)]
        self.assertIsNone(prices[0].blur)
        self.assertLessEqual(prices[1].blur, 0.11)
        self.assertGreater(prices[1].snr, 2.5 * prices[2].snr)  # eight frames
        self.assertGreater(prices[0].snr, prices[2].snr)

    def test_where_there_is_one_way_only(self) -> None:
        facts = facts_of(PLAN)
        for kind in ("trail", "infrared", "water", "close", "other"):  # the last two at noon
            wish = with_proposals(Wish("w", kind), PLAN, PHONE, facts)
            self.assertEqual(ways_of(wish, PLAN, PHONE, facts), [])


if __name__ == "__main__":
    unittest.main()
