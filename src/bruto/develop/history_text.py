"""The history of a shot in words: what each step was, and which value became which.

A step is stored under a key, never under a title: a field of the recipe, or an action, with its subject behind a colon.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from bruto.catalog import tr
from bruto.develop.migrations import migrated_names
from bruto.develop.recipe import FIELDS, Recipe

MOST = 2
"""Values that are named for one step; of more, how many."""
JOINED = "joined"
APPLIED_ALL = "applied_all"
APPLIED_EACH = "applied_each"
PASTED = "pasted"
PHONE_LOOK = "phone_look"
ACTIONS: dict[str, str] = {
    JOINED: tr("joined with another window"),
    APPLIED_ALL: tr("all suggestions applied"),
    APPLIED_EACH: tr("each shot's suggestions applied"),
    PASTED: tr("pasted values"),
    PHONE_LOOK: tr("the phone's look"),
    "reset": tr("all values reset"),
    "aspect": tr("aspect ratio"),
    "turns": tr("rotation"),
    "whole_area": tr("whole sensor"),
    "applied:": tr("suggested {subject} applied"),
    "reset:": tr("{subject} reset"),
    "version:": tr("version {subject}"),
    "recipe:": tr("recipe {subject}"),
    "mid_grey": tr("a place made mid-grey"),
    "white:": tr("white picked from {subject}"),
}
"""What a step did, by its key; keys that end with a colon are followed by their subject."""
_OLD = {
    "joined with another window": JOINED, "take all suggestions": APPLIED_ALL, "suggestions of each": APPLIED_EACH,
    "copied values": PASTED, "the phone's look": PHONE_LOOK, "reset all": "reset", "aspect ratio": "aspect",
    "quarter turn": "turns", "recorded area": "whole_area", "channels": "channel_matrix",
}  # fmt: skip
"""Steps as version 0.1 stored them: by what it called them."""
_OLD_SUBJECTS = {"take ": "applied:", "reset ": "reset:", "version ": "version:", "recipe ": "recipe:",
                 "white from ": "white:"}  # fmt: skip


def step_key(what: str) -> str:
    """Find the key of a step that version 0.1 stored under its title; others stay as they are.

    Parameters
    ----------
    what
        Title under which the step was stored.

    Returns
    -------
    str
        Text for people, "" where there is none.

    Examples
    --------
    >>> step_key("take relief fine"), step_key("quiet colours"), step_key("reset all"), step_key("version soft")
    ('applied:local_contrast_fine', 'muted_chroma', 'reset', 'version:soft')
    """
    if what in _OLD:
        return _OLD[what]
    for begin, key in _OLD_SUBJECTS.items():
        if what.startswith(begin):
            subject = what[len(begin) :]
            return key + (_field(subject) or subject)
    return _field(what) or what


def _field(title: str) -> str:
    """Return the recipe's field that version 0.1 called by this title, "" where there is none."""
    if not re.fullmatch(r"[a-z ]{1,40}", title):
        return ""
    name = migrated_names((title.replace(" ", "_"),), 2)[0]
    return name if name in FIELDS else ""


def step_title(key: str) -> str:
    """Return the name of a step of the history.

    Parameters
    ----------
    key
        Identifier.

    Returns
    -------
    str
        Name a step of the history.

    Examples
    --------
    >>> step_title("exposure"), step_title("applied:vignette"), step_title("version:soft")
    ('exposure', 'suggested vignette applied', 'version soft')
    """
    if key in ACTIONS:
        return ACTIONS[key]
    begin, colon, subject = key.partition(":")
    template = ACTIONS.get(begin + colon)
    if colon and template is not None:
        return template.format(subject=FIELDS[subject].title.lower() if subject in FIELDS else subject)
    return FIELDS[key].title.lower() if key in FIELDS else key


def step_text(history: Sequence[tuple[str, Mapping[str, Any]]], index: int, recipe: Recipe) -> str:
    """Say what step `index` changed, beginning with ": ", "" where that is no plain number.

    Parameters
    ----------
    history
        Steps with the values that were there before.
    index
        Position in the list.
    recipe
        The values now.

    Returns
    -------
    str
        Text for people, "" where there is none.

    Examples
    --------
    >>> step_text([("exposure", {"exposure": 0.0})], 0, Recipe(exposure=0.65))
    ': 0.00 → +0.65 EV'
    """
    parts, others = [], 0
    for field, old in history[index][1].items():
        new = next((later[field] for _, later in history[index + 1 :] if field in later), getattr(recipe, field, None))
        ui = FIELDS.get(field)
        if ui is None or not ui.step or not isinstance(old, int | float) or not isinstance(new, int | float):
            others += 1
            continue
        name = "" if field == history[index][0] else f"{ui.title.lower()} "
        parts.append(f"{name}{ui.text(float(old))} → {ui.text(float(new))} {ui.unit}".rstrip())
    more = len(parts) - MOST + others if len(parts) > MOST else (others if parts else 0)
    if not parts:
        return ""
    listed = ", ".join(parts[:MOST])
    return ": " + (tr("{listed} and {more} more", listed=listed, more=more) if more else listed)
