"""The file beside the raw: recipe, history, pick and note of one shot (`NAME.dng.bruto.json`).

Saved atomically with a revision number, so that a change made by another program in the meantime is noticed instead
of overwritten. Where the folder cannot be written, the file goes to the user's data folder under the original's
content hash. A damaged sidecar is kept aside, never deleted.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import platformdirs

from bruto.develop.recipe import Recipe, recipe_from
from bruto.errors import BrutoError, FileProblem
from bruto.files import write_bytes
from bruto.shoot.xmp import read_rating

SUFFIX = ".bruto.json"
VERDICTS = ("", "pick", "reject")
HISTORY = 200
"""Steps of history kept."""


@dataclass(kw_only=True)
class Sidecar:
    """`history`: recipes before each change, oldest first, with what was changed; `position`: where in it the shot
    stands; `versions`: recipes kept under names; `verdict`: "pick", "reject" or ""; `gear`: what the file cannot know,
    such as an add-on lens or a filter.
    """

    recipe: Recipe = field(default_factory=Recipe)
    history: list[tuple[str, dict]] = field(default_factory=list)
    future: list[tuple[str, dict]] = field(default_factory=list)
    versions: dict[str, dict] = field(default_factory=dict)
    verdict: str = ""
    note: str = ""
    gear: str = ""
    revision: int = 0
    unknown: dict[str, Any] = field(default_factory=dict)

    def version(self, name: str) -> Recipe:
        """The recipe kept under a name; raises `BrutoError` where there is none, or it cannot be used."""
        if name not in self.versions:
            known = ", ".join(sorted(self.versions)) or "none"
            raise BrutoError(f"There is no version called '{name}'. Kept: {known}.")
        try:
            return recipe_from(self.versions[name])
        except BrutoError as error:
            raise BrutoError(f"Version {name}: {error}") from error


def sidecar_path(original: str | Path) -> Path:
    """Where the sidecar of a file lies when its folder can be written."""
    original = Path(original)
    return original.with_name(original.name + SUFFIX)


def _fallback(original: Path) -> Path:
    digest = hashlib.sha256()
    with original.open("rb") as stream:
        digest.update(stream.read(1 << 20))
        stream.seek(0, 2)
        digest.update(str(stream.tell()).encode())
    return Path(platformdirs.user_data_dir("bruto")) / "sidecars" / (digest.hexdigest()[:32] + SUFFIX)


def existing_sidecar(original: str | Path) -> Path | None:
    """The sidecar that exists, beside the file or in the user's data folder."""
    beside = sidecar_path(original)
    if beside.is_file():
        return beside
    try:
        spare = _fallback(Path(original))
        return spare if spare.is_file() else None
    except OSError:  # neither the file nor the data folder may be readable; then there is none to be had
        return None


def load_sidecar(original: str | Path) -> tuple[Sidecar, str]:
    """The sidecar of a file, or a fresh one, and a message where something was wrong with it ("" otherwise)."""
    path = existing_sidecar(original)
    if path is None:
        return Sidecar(), ""
    try:
        data = json.loads(path.read_text("utf-8"))
        if not isinstance(data, dict):
            raise BrutoError("it is not a JSON object")
        known = {"recipe", "history", "future", "versions", "pick", "verdict", "note", "gear", "revision"}
        verdict = str(data.get("verdict", ""))
        steps = {k: [(str(t), dict(r)) for t, r in data.get(k, [])] for k in ("history", "future")}
        return Sidecar(
            recipe=recipe_from(data.get("recipe", {})),
            **steps,
            versions={str(name): dict(recipe) for name, recipe in dict(data.get("versions") or {}).items()},
            verdict=verdict if verdict in VERDICTS else "pick" if data.get("pick") else "",
            note=str(data.get("note", "")),
            gear=str(data.get("gear", "")),
            revision=int(data.get("revision", 0)),
            unknown={k: v for k, v in data.items() if k not in known},
        ), ""
    except (ValueError, TypeError, OSError, BrutoError) as error:
        aside = path.with_name(path.name + ".damaged")
        try:
            write_bytes(aside, path.read_bytes())
            return Sidecar(
                revision=-1
            ), f"{path.name} cannot be used ({error}); it is kept as {aside.name} and the default recipe is shown."
        except (OSError, BrutoError):
            return Sidecar(revision=-1), f"{path.name} cannot be used ({error}); the default recipe is shown."


def save_sidecar(original: str | Path, sidecar: Sidecar) -> Path:
    """Write a sidecar; returns where. Raises `FileProblem` when another program changed it meanwhile, or nothing can
    be written.
    """
    original = Path(original)
    current = existing_sidecar(original)
    if current is not None and sidecar.revision >= 0:
        try:
            there = int(json.loads(current.read_text("utf-8")).get("revision", 0))
        except (ValueError, OSError, AttributeError):
            there = sidecar.revision
        if there != sidecar.revision:
            raise FileProblem(f"{current} was changed by another program; open the shot again to see its values.")
    sidecar.revision = max(0, sidecar.revision) + 1
    data = {
        **sidecar.unknown,
        "revision": sidecar.revision,
        "recipe": sidecar.recipe.model_dump(by_alias=True),
        "verdict": sidecar.verdict,
        "note": sidecar.note,
        "gear": sidecar.gear,
        "history": sidecar.history[-HISTORY:],
        "future": sidecar.future[-HISTORY:],
        "versions": sidecar.versions,
    }
    body = json.dumps(data, indent=1).encode() + b"\n"
    target = current or sidecar_path(original)
    try:
        write_bytes(target, body)
        return target
    except FileProblem:
        spare = _fallback(original)
        spare.parent.mkdir(parents=True, exist_ok=True)
        write_bytes(spare, body)
        return spare


def verdict_beside(original: str | Path) -> str:
    """Pick or reject as the sidecar beside a file says it, else as a standard XMP rating does (a pick from 4 stars)."""
    try:
        data = json.loads(sidecar_path(original).read_text("utf-8"))
        verdict = str(data.get("verdict", ""))
        return verdict if verdict in VERDICTS else ""
    except (OSError, ValueError, AttributeError):
        rating = read_rating(original)
        return "" if rating is None else "reject" if rating.stars < 0 else "pick" if rating.stars >= 4 else ""
