"""The examples in docstrings are right."""

from __future__ import annotations

import doctest
import importlib
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1] / "src"


def modules() -> list[str]:
    """Modules that hold examples."""
    paths = sorted((ROOT / "bruto").rglob("*.py"))
    with_examples = [p for p in paths if "\n    >>> " in p.read_text("utf-8")]
    return [".".join(p.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__") for p in with_examples]


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    """One test for each docstring with examples."""
    for name in modules():
        tests.addTests(doctest.DocTestSuite(importlib.import_module(name)))
    return tests


class Found(unittest.TestCase):
    def test_there_are_examples(self) -> None:
        self.assertGreater(len(modules()), 15)


if __name__ == "__main__":
    unittest.main()
