"""Other ways: three of stars and three of low light, and what each costs."""

from __future__ import annotations

import unittest
from dataclasses import replace

from bruto.plan.alternatives import STACK_S, alternatives_of
from bruto.plan.forecast import forecast_of
from bruto.plan.planned_shots import PlannedShot
from bruto.plan.recommendations import facts_of, with_recommendations
from bruto.plan.stars import rule_500
from tests.plan.test_recommendations import PHONE, PLACES

PLAN = PLACES[0]


class Ways(unittest.TestCase):
    def test_stars_to_share_to_print_and_to_merge(self) -> None:
        facts = facts_of(PLAN)
        planned = with_recommendations(PlannedShot("s", "stars"), PLAN, PHONE, facts)
        alternatives = {w.name: w for w in alternatives_of(planned, PLAN, PHONE, facts)}
        self.assertEqual(list(alternatives), ["To share", "To print", "To merge"])
        self.assertLessEqual(alternatives["To share"].fields["seconds"], rule_500(26))
        self.assertTrue(alternatives["To share"].taken_by(planned))  # it is what is proposed
        self.assertLess(alternatives["To print"].fields["seconds"], alternatives["To share"].fields["seconds"])
        stack = alternatives["To merge"].fields
        self.assertGreaterEqual(stack["frames"] * stack["seconds"], STACK_S)
        merged = forecast_of(replace(planned, **stack), PLAN, PHONE, facts)
        shared = forecast_of(planned, PLAN, PHONE, facts)
        self.assertLess(merged.trail, shared.trail)
        self.assertGreater(merged.snr, shared.snr)

    def test_low_light_has_three_answers(self) -> None:
        facts = facts_of(PLAN)
        planned = with_recommendations(PlannedShot("d", "dusk"), PLAN, PHONE, facts)
        tripod, burst, high = alternatives_of(planned, PLAN, PHONE, facts)
        self.assertEqual([w.fields["support"] for w in (tripod, burst, high)], ["tripod", "hand", "hand"])
        prices = [forecast_of(replace(planned, **w.fields), PLAN, PHONE, facts) for w in (tripod, burst, high)]
        self.assertIsNone(prices[0].blur)
        self.assertLessEqual(prices[1].blur, 0.11)
        self.assertGreater(prices[1].snr, 2.5 * prices[2].snr)  # eight frames
        self.assertGreater(prices[0].snr, prices[2].snr)

    def test_where_there_is_one_way_only(self) -> None:
        facts = facts_of(PLAN)
        for kind in ("trail", "infrared", "water", "close", "other"):  # the last two at noon
            planned = with_recommendations(PlannedShot("w", kind), PLAN, PHONE, facts)
            self.assertEqual(alternatives_of(planned, PLAN, PHONE, facts), [])


if __name__ == "__main__":
    unittest.main()
