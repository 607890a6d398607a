"""Every text that users read, from the code: as a list to read through, or as a template for translators.

`python -m tools.texts` prints the list by package; `python -m tools.texts bruto.pot` writes a gettext template.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import write_po

SOURCE = Path(__file__).resolve().parents[1] / "src/bruto"
METHODS = [("**.py", "python"), ("templates/**.html", "jinja2")]
KEYWORDS = {"tr": None, "trn": (1, 2)}
"""Functions of `bruto.catalog`, and which of their arguments are texts."""


def texts() -> Iterator[tuple[str, int, str | tuple[str, ...]]]:
    """List file, line and text of every look-up; of one that counts, both its forms."""
    for name, line, message, _, _ in extract_from_dir(SOURCE, METHODS, keywords=KEYWORDS):
        yield name, line, message


def catalogue() -> Catalog:
    """Gather all texts for translators."""
    found = Catalog(project="Bruto", charset="utf-8")
    for name, line, message in texts():
        found.add(message, locations=[(name, line)])
    return found


def main(arguments: list[str]) -> None:
    """Print the list, or write the template under the name that is given."""
    parser = argparse.ArgumentParser(description="Every text that users read.")
    parser.add_argument("template", nargs="?", type=Path, help="write a gettext template there instead of a list")
    template = parser.parse_args(arguments).template
    if template:
        with template.open("wb") as stream:
            write_po(stream, catalogue(), sort_by_file=True, omit_header=False)
        return
    package = ""
    for name, line, message in sorted(texts()):
        if name.split("/")[0] != package:
            package = name.split("/")[0]
            print(f"\n== {package}")
        print(f"{name}:{line}: {message if isinstance(message, str) else ' | '.join(message)}")


if __name__ == "__main__":
    main(sys.argv[1:])
