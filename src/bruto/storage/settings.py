"""What a window remembers for the next one: how it looked, its keys, and the shoots that were opened last."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Annotated, Any

import platformdirs
from pydantic import Field

from bruto.errors import BrutoError
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.documents import readable, unknown
from bruto.storage.json_files import json_bytes, read_json

MOST_RECENT = 12
"""Shoots that are remembered."""
Text = Annotated[str, Field(max_length=4096)]


@dataclass
class RecentShoot:
    """A shoot that was opened.

    Its files (`paths`), its `title`, when (ISO 8601) and how many shots it had, `selected` of them; where the user
    was in it: `shot` (its file), `task`, and whether at 1:1 (`close`).
    """

    paths: list[Text] = field(default_factory=list)
    title: Text = ""
    opened: Text = ""
    shots: int = 0
    selected: int = 0
    shot: Text = ""
    task: Text = ""
    close: bool = False


@dataclass
class Settings:
    """`size` (width, height) of the window, `maximised`."""

    theme: Text = "light"
    """"light" or "dim"."""
    start: Text = "suggestions"
    """Where new shots start, "suggestions" or "defaults"."""
    size: tuple[Annotated[int, Field(ge=200, le=20000)], Annotated[int, Field(ge=200, le=20000)]] | None = None
    maximised: bool = False
    keys: dict[Text, Text] = field(default_factory=dict)
    """Shortcuts by command that the user changed."""
    groups: list[Text] | None = None
    """Those of the ledger that are unfolded, None for the usual ones."""
    folded: dict[Text, bool] = field(default_factory=dict)
    """Parts of the window."""
    sort: Text = "time"
    """Order and filter of the board."""
    only: Text = "all"
    """Order and filter of the board."""
    preset: dict[Text, Any] = field(default_factory=dict)
    """The last one, by the names of its fields."""
    blind: dict[Text, Annotated[int, Field(ge=0)]] = field(default_factory=dict)
    """How often what was preferred when names were hidden."""
    recent: list[RecentShoot] = field(default_factory=list)
    schema: int = 2


SETTINGS_SCHEMA = 2
_COMMANDS = {
    "take-in": "import", "full": "clipped", "take-all": "apply-all", "take-selection": "apply-selection",
    "verdict-reject": "verdict-discard", "verdict-reject-next": "verdict-discard-next", "verdict-pick": "verdict-keep",
    "verdict-pick-next": "verdict-keep-next", "task-Deliver": "task-export", "task-Side by side": "task-side_by_side",
    **{f"task-{t}": f"task-{t.lower()}" for t in (
        "Plan", "Intake", "Correct", "Compare", "Merge", "Logbook", "Practice", "Start", "Keys")},
}  # fmt: skip
_GROUPS = {"relief": "local_contrast", "colour": "color", "tints": "split_tint"}
_FILTERS = {"kept": "keep_or_best", "reject": "discard"}
_FORMATS = {
    "JPEG": "jpg-8", "PNG, 8 bit": "png-8", "PNG, 16 bit": "png-16", "TIFF, 16 bit": "tif-16", "TIFF, 8 bit": "tif-8",
    "AVIF": "avif-8", "WebP": "webp-8", "JPEG XL, 8 bit": "jxl-8", "JPEG XL, 16 bit": "jxl-16",
}  # fmt: skip
_SIZES = {"Full size": "full", "3840 px long edge": "3840", "2048 px long edge": "2048", "1280 px long edge": "1280",
          "Another long edge": "own"}  # fmt: skip
_SPACES = {"sRGB: for anywhere": "srgb", "Display P3: wider, for newer screens": "display-p3", "Rec. 2020": "rec2020"}
_TASKS = {"Deliver": "export", "Side by side": "side_by_side"}
_SOURCES = {
    "raw, as corrected": "corrected", "picture, as corrected": "corrected", "raw, default values": "defaults",
    "picture, as it is": "defaults", "raw, with the phone's look": "matched", "phone's picture": "phone",
    "preview in the file": "preview",
}  # fmt: skip
"""Titles by which version 0.1 stored commands, groups, filters, formats, sizes, spaces, tasks and compared pictures."""


def _source(title: str) -> str:
    """Return the identifier of a compared picture that version 0.1 stored under its title."""
    plain = title.removeprefix("the ").removesuffix(", the sharpest of these")
    if plain in _SOURCES:
        return _SOURCES[plain]
    return f"version:{plain[8:]}" if plain.startswith("version ") else f"shot:{plain}"


def _tally(blind: dict[Any, Any]) -> dict[Any, Any]:
    found: dict[Any, Any] = {}
    for key, count in blind.items():
        for sign in (" > ", " = "):
            one, found_sign, other = str(key).partition(sign)
            if found_sign:
                ids = [_source(one), _source(other)]
                new = sign.join(sorted(ids) if sign == " = " else ids)
                found[new] = found.get(new, 0) + count if isinstance(count, int) else count
    return found


def migrated(data: dict[str, Any]) -> dict[str, Any]:
    """Bring settings of version 0.1, which stored titles, to identifiers.

    Parameters
    ----------
    data
        Decoded JSON.

    Returns
    -------
    dict[str, Any]
        Values by name.

    Examples
    --------
    >>> migrated({"ticket": {"format": "TIFF, 16 bit"}, "recent": [{"task": "Deliver", "kept": 3}]})["preset"]
    {'format': 'tif-16'}
    """
    if data.get("schema", 1) != 1:
        return data
    found = {("preset" if name == "ticket" else name): value for name, value in data.items()}
    if isinstance(found.get("preset"), dict):
        titles = {"format": _FORMATS, "size": _SIZES, "space": _SPACES}
        found["preset"] = {k: titles[k].get(v, v) if k in titles else v for k, v in found["preset"].items()}
    if isinstance(found.get("keys"), dict):
        found["keys"] = {_COMMANDS.get(name, name): keys for name, keys in found["keys"].items()}
    if isinstance(found.get("groups"), list):
        found["groups"] = [_GROUPS.get(g, g) if isinstance(g, str) else g for g in found["groups"]]
    if isinstance(found.get("blind"), dict):
        found["blind"] = _tally(found["blind"])
    if isinstance(found.get("only"), str):
        found["only"] = _FILTERS.get(found["only"], found["only"])
    if isinstance(found.get("recent"), list):
        found["recent"] = [_recent(shoot) if isinstance(shoot, dict) else shoot for shoot in found["recent"]]
    found["schema"] = SETTINGS_SCHEMA
    return found


def _recent(shoot: dict[str, Any]) -> dict[str, Any]:
    found = {("selected" if name == "kept" else name): value for name, value in shoot.items()}
    if isinstance(found.get("task"), str):
        found["task"] = _TASKS.get(found["task"], found["task"].lower())
    return found


def _place() -> Path:
    return Path(platformdirs.user_state_dir("bruto")) / "window.json"


def load_settings() -> Settings:
    """Find what the last window left; what cannot be read is as at the first start."""
    try:
        return readable(Settings, migrated(read_json(_place())))[0]
    except (BrutoError, OSError):
        return Settings()


def save_settings(what: Settings) -> None:
    """Keep it for the next window.

    Shoots that another window opened meanwhile stay.

    Parameters
    ----------
    what
        What it is, for messages.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    try:
        data = migrated(read_json(_place()))
    except (BrutoError, OSError):
        data = {}
    theirs = readable(Settings, data)[0].recent
    ours = {tuple(r.paths) for r in what.recent}
    joined = sorted([*what.recent, *(r for r in theirs if tuple(r.paths) not in ours)], key=lambda r: r.opened)
    what.recent = joined[::-1][:MOST_RECENT]
    own_folder(_place().parent)
    selected = {**unknown(Settings, data), **asdict(what)}
    write_own(_place(), json_bytes(selected), durable=False)
