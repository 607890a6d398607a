"""Tools of the developers run; the pictures of the main views, which take minutes, under `--all`."""

from __future__ import annotations

import importlib
import os
import subprocess
import sys
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from PIL import Image

from tests.extent import long

ROOT = Path(__file__).resolve().parents[1]


class Tools(unittest.TestCase):
    def test_each_has_what_it_imports(self) -> None:
        """Names that were moved or renamed in the program are missed here, and not when the tool is needed."""
        for path in sorted((ROOT / "tools").rglob("[a-z]*.py")):
            with self.subTest(tool=path.stem):
                try:
                    importlib.import_module(".".join(path.relative_to(ROOT).with_suffix("").parts))
                except ModuleNotFoundError as missing:
                    self.assertFalse(
                        str(missing.name).startswith(("bruto", "tools")), missing
                    )  # a library for it may lack

    def test_the_list_of_texts_holds_those_of_every_package(self) -> None:
        found = subprocess.run(
            [sys.executable, "-m", "tools.texts"], cwd=ROOT, capture_output=True, text=True, check=True
        ).stdout  # fmt: skip
        for text in ("Make a place mid-grey", "Simulated, ", "Where this shoot was"):  # window, core, a form's row
            self.assertIn(text, found)

    @long
    def test_the_pictures_of_the_main_views(self) -> None:
        with TemporaryDirectory() as place:
            homes = {f"XDG_{k}_HOME": f"{place}/{k}" for k in ("DATA", "STATE", "CONFIG")}
            subprocess.run(
                [sys.executable, "tools/screenshots.py", place], cwd=ROOT, env={**os.environ, **homes}, check=True,
                capture_output=True,
            )  # fmt: skip
            wanted = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
            made = {p.name for p in Path(place).glob("*.png")}
            self.assertEqual(made, wanted)
            for name in made:
                with Image.open(Path(place) / name) as picture:
                    self.assertEqual(picture.size, (1280, 800))


if __name__ == "__main__":
    unittest.main()
