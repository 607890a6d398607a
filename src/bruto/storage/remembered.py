"""What a window remembers for the next one: how it looked, its keys, and the shoots that were opened last."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Annotated, Any

import platformdirs
from pydantic import Field

from bruto.errors import BrutoError
from bruto.publish import own_folder, write_own
from bruto.storage.documents import readable, unknown
from bruto.storage.reading import read_json

MOST_RECENT = 12
"""Shoots that are remembered."""
Text = Annotated[str, Field(max_length=4096)]


@dataclass
class Recent:
    """A shoot that was opened: what of it (`paths`), its `title`, when (ISO 8601) and how many shots it had, `kept` of
    them; where the user was in it: `shot` (its file), `task`, and whether at 1:1 (`close`).
    """

    paths: list[Text] = field(default_factory=list)
    title: Text = ""
    opened: Text = ""
    shots: int = 0
    kept: int = 0
    shot: Text = ""
    task: Text = ""
    close: bool = False


@dataclass
class Remembered:
    """`theme`: "light" or "dim"; `start`: where new shots start, "suggestions" or "defaults"; `size` (width, height) of
    the window, `maximised`; `keys`: shortcuts by command that the user changed; `groups`: those of the ledger that are
    unfolded, None for the usual ones; `folded`: parts of the window; `sort`, `only`: order and filter of the board;
    `ticket`: the last one, by the names of its fields; `blind`: how often what was preferred when names were hidden.
    """

    theme: Text = "light"
    start: Text = "suggestions"
    size: tuple[Annotated[int, Field(ge=200, le=20000)], Annotated[int, Field(ge=200, le=20000)]] | None = None
    maximised: bool = False
    keys: dict[Text, Text] = field(default_factory=dict)
    groups: list[Text] | None = None
    folded: dict[Text, bool] = field(default_factory=dict)
    sort: Text = "time"
    only: Text = "all"
    ticket: dict[Text, Any] = field(default_factory=dict)
    blind: dict[Text, Annotated[int, Field(ge=0)]] = field(default_factory=dict)
    recent: list[Recent] = field(default_factory=list)


def _place() -> Path:
    return Path(platformdirs.user_state_dir("bruto")) / "window.json"


def load_remembered() -> Remembered:
    """What the last window left; what cannot be read is as at the first start."""
    try:
        return readable(Remembered, read_json(_place()))[0]
    except (BrutoError, OSError):
        return Remembered()


def keep_remembered(what: Remembered) -> None:
    """Keep it for the next window. Shoots that another window opened meanwhile stay. Raises `FileProblem`."""
    try:
        data = read_json(_place())
    except (BrutoError, OSError):
        data = {}
    theirs = readable(Remembered, data)[0].recent
    ours = {tuple(r.paths) for r in what.recent}
    joined = sorted([*what.recent, *(r for r in theirs if tuple(r.paths) not in ours)], key=lambda r: r.opened)
    what.recent = joined[::-1][:MOST_RECENT]
    own_folder(_place().parent)
    kept = {**unknown(Remembered, data), **asdict(what)}
    write_own(_place(), json.dumps(kept, indent=1).encode() + b"\n", durable=False)
