"""Stored documents: all or nothing, value by value, and what is not known."""

from __future__ import annotations

import unittest
from dataclasses import dataclass, field

from bruto.storage.documents import read_as, readable, unknown
from bruto.storage.json_files import Damaged


@dataclass
class Page:
    title: str = ""
    turns: int = 0
    notes: list[str] = field(default_factory=list)
    marks: dict[str, float] = field(default_factory=dict)


class Documents(unittest.TestCase):
    def test_all_or_nothing_names_the_first_wrong_value(self) -> None:
        self.assertEqual(read_as(Page, {"title": "a", "later": 1}), Page("a"))
        with self.assertRaisesRegex(Damaged, r"^The card cannot be used: 'marks\.b'"):
            read_as(Page, {"marks": {"a": 1.0, "b": "much"}}, "The card")
        with self.assertRaises(Damaged):
            read_as(Page, [1])

    def test_each_wrong_value_goes_alone(self) -> None:
        found, lost = readable(
            Page, {"title": 5, "turns": 3, "notes": ["a", 1, "b", 2, "c"], "marks": {"x": "no", "y": 2}}
        )
        self.assertEqual(found, Page("", 3, ["a", "b", "c"], {"y": 2.0}))
        self.assertEqual(len(lost), 4)
        self.assertEqual({text.split(":")[0] for text in lost}, {"title", "notes 1", "notes 3", "marks x"})

    def test_nothing_in_order_gives_the_defaults(self) -> None:
        deep: list = []
        for _ in range(100_000):
            deep = [deep]
        for values in ({"turns": [1]}, {"notes": deep}, {"notes": [deep]}):
            found, lost = readable(Page, values)
            self.assertEqual(found, Page())
            self.assertTrue(lost)

    def test_what_is_given_is_not_changed_and_what_is_not_known_is_told(self) -> None:
        data = {"notes": ["a", 1], "marks": {"x": "no"}, "later": {"deep": [1]}}
        readable(Page, data)
        self.assertEqual(data, {"notes": ["a", 1], "marks": {"x": "no"}, "later": {"deep": [1]}})
        self.assertEqual(unknown(Page, data), {"later": {"deep": [1]}})


if __name__ == "__main__":
    unittest.main()
