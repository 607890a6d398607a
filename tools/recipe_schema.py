"""Writes the JSON schema of recipes to docs/recipe.schema.json."""

from __future__ import annotations

import json
from pathlib import Path

from bruto.develop.recipe import Recipe

OUT = Path(__file__).resolve().parents[1] / "docs/recipe.schema.json"


def schema_text() -> str:
    """The schema as it is published."""
    return json.dumps(Recipe.model_json_schema(by_alias=True), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    OUT.write_text(schema_text(), "utf-8")
