"""What Bruto keeps beside a file: recipe, history, versions, verdict, note, gear (`NAME.dng.bruto.json`).

A revision number tells of changes by another window or program; those are joined field by field, never written over.
Where a folder is read-only, or the name beside the file would be too long, the values go to the user's data folder
under the original's content hash. What cannot be read is never written over either: a damaged sidecar is copied aside
first, and what is readable of it is used.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import hashlib
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

import platformdirs
from pydantic import Field

from bruto.catalog import sentences, tr
from bruto.develop.history_text import JOINED, step_key
from bruto.develop.migrations import migrated
from bruto.develop.recipe import Recipe, recipe_from
from bruto.develop.recipe_files import readable_recipe
from bruto.errors import BrutoError, FileProblem
from bruto.shoot.sidecar_places import _is_there, _places, _spare, sidecar_path
from bruto.shoot.verdicts import OLD_IDS, of_stars
from bruto.shoot.xmp import read_rating
from bruto.storage.atomic_write import own_folder, write_new, write_own
from bruto.storage.documents import readable, unknown
from bruto.storage.file_names import free_names, why_not_regular
from bruto.storage.json_files import LARGEST_JSON, Damaged, json_bytes, parse_json
from bruto.storage.safe_read import FileAction, explain, read_bounded

HISTORY = 200
"""Steps of history kept."""
MOST_REVISIONS = 1 << 52
_READ_ONLY = (errno.EACCES, errno.EPERM, errno.EROFS, errno.ENAMETOOLONG)
Step = tuple[str, dict[str, Any]]
"""What was changed, and the values before of the fields that were."""


@dataclass(kw_only=True)
class StoredValues:
    """What is kept beside the recipe, as it stands in the file."""

    history: list[Step] = field(default_factory=list)
    """What was changed, oldest first, each with the values before of what was."""
    future: list[Step] = field(default_factory=list)
    versions: dict[str, dict[str, Any]] = field(default_factory=dict)
    """Recipes kept under names."""
    verdict: Annotated[str, Field(pattern="^(discard|spare|keep|best|)$")] = ""
    """See `verdicts`, or ""."""
    note: str = ""
    gear: str = ""
    """What the file cannot know, such as an add-on lens or a filter."""
    stars: Annotated[int, Field(strict=True, ge=-1, le=5)] | None = None
    """Rating in the XMP before Bruto changed it."""
    revision: Annotated[int, Field(strict=True, ge=0, le=MOST_REVISIONS)] = 0


@dataclass(kw_only=True)
class Sidecar(StoredValues):
    """What is kept beside an original: its recipe, versions and history."""

    recipe: Recipe = field(default_factory=Recipe)
    unknown: dict[str, Any] = field(default_factory=dict)
    """Fields of newer versions."""
    locked: str = ""
    """Why nothing can be saved now ("" where it can)."""
    damaged: bytes | None = field(default=None, repr=False)
    """The bytes of a sidecar of which only a part can be read, to be kept aside before anything is written."""

    @property
    def untouched(self) -> bool:
        """Whether no value was ever set, as far as can be read."""
        return not (self.history or self.future or self.locked or self.damaged) and self.recipe == Recipe()

    def version(self, name: str) -> Recipe:
        """Return the recipe kept under a name.

        Parameters
        ----------
        name
            Name of the version.

        Returns
        -------
        Recipe
            The recipe kept under a name.

        Raises
        ------
        BrutoError
            Where there is none, or it cannot be used.
        """
        if name not in self.versions:
            known = ", ".join(sorted(self.versions)) or "none"
            raise BrutoError(tr("There is no version '{name}'. Saved versions: {known}.", name=name, known=known))
        try:
            return recipe_from(self.versions[name])
        except BrutoError as error:
            raise BrutoError(tr("Version {name}: {error}", name=name, error=error)) from error

    def snapshot(self) -> Sidecar:
        """Return a copy that later changes do not reach, to tell what was changed since."""
        return replace(
            self,
            history=list(self.history),
            future=list(self.future),
            versions=dict(self.versions),
            unknown=dict(self.unknown),
        )


def load_sidecar(original: str | Path) -> tuple[Sidecar, str]:
    """Read the sidecar of a file, or a fresh one, and a message where something is wrong with it ("" otherwise).

    Never raises, and writes nothing.

    Parameters
    ----------
    original
        The raw or picture that the sidecar belongs to.

    Returns
    -------
    tuple[Sidecar, str]
        The sidecar of a file, or a fresh one, and a message where something is wrong with it ("" otherwise).
    """
    found = _loaded(Path(original))
    return (found[1], found[2]) if found else (Sidecar(), "")


def _read(path: Path) -> tuple[Sidecar, str]:
    """One sidecar file, and what is wrong with it."""
    try:
        data = read_bounded(path, LARGEST_JSON)
    except BrutoError as error:  # it may be readable again: nothing may take its place
        return Sidecar(locked=str(error)), tr("{error} Its values are not used and changes are not saved.", error=error)
    try:
        found = parse_json(data, path.name)
    except Damaged as error:
        return Sidecar(damaged=data), tr(
            "{error} Default values are shown; the file is copied aside before you change anything.", error=error
        )
    side, lost = _from_json(found)
    if lost:
        side.damaged = data
        return side, (
            tr(
                "{name} contains values that cannot be used ({lost}). The others are used; the file is copied aside "
                "before you change anything.",
                name=path.name,
                lost="; ".join(lost[:3]),
            )
        )
    return side, ""


def _from_json(data: dict[str, Any]) -> tuple[Sidecar, list[str]]:
    """Value by value what can be used, and what cannot."""
    recipe, lost = readable_recipe(data.get("recipe", {}))
    rest = {k: v for k, v in data.items() if k not in ("recipe", "pick")}
    if "verdict" not in rest and data.get("pick") is True:  # before there were verdicts
        rest["verdict"] = "keep"
    if isinstance(rest.get("verdict"), str):
        rest["verdict"] = OLD_IDS.get(rest["verdict"], rest["verdict"])
    stored, wrong = readable(StoredValues, rest)
    schema = data["recipe"].get("schema") if isinstance(data.get("recipe"), dict) else None
    for steps in (stored.history, stored.future):
        steps[:] = [(step_key(what), migrated(values, schema)) for what, values in steps[-HISTORY:]]
    return Sidecar(**vars(stored), recipe=recipe, unknown=unknown(StoredValues, rest)), lost + wrong


# -- writing


@contextmanager
def _alone(original: Path) -> Iterator[None]:
    """One window of this user at a time saves a file's sidecar."""
    name = hashlib.sha256(os.fsencode(os.path.realpath(original))).hexdigest()[:24]
    folder = Path(platformdirs.user_state_dir("bruto")) / "locks"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        stream = (folder / name[:2]).open("ab")  # 256 locks shared by all files: a short wait at most
    except OSError:
        yield  # without a place for locks the revision alone tells
        return
    with stream:
        fcntl.flock(stream, fcntl.LOCK_EX)
        yield


def put_aside(original: str | Path, sidecar: Sidecar) -> Path | None:
    """Copy a damaged sidecar beside itself under a free, numbered name.

    Returns where, None where there is nothing to be done.

    Parameters
    ----------
    original
        The raw or picture that the sidecar belongs to.
    sidecar
        The sidecar.

    Returns
    -------
    Path | None
        See `Path`; None where there is none.

    Raises
    ------
    FileProblem
        Nothing may be changed then.
    """
    body = sidecar.damaged
    if body is None:
        return None
    found = _loaded(Path(original))
    beside = found[0] if found else sidecar_path(original)
    names = sorted(beside.parent.glob(_escaped(beside.name) + ".damaged*"))
    for known in names:  # opened before: one copy is enough
        with contextlib.suppress(BrutoError):
            if read_bounded(known, LARGEST_JSON) == body:
                sidecar.damaged = None
                return known
    place = free_names(beside.parent, lambda n: [f"{beside.name}.damaged" + (f"-{n}" if n > 1 else "")])[0]
    write_new(place, body)
    sidecar.damaged = None
    return place


def _escaped(name: str) -> str:
    return "".join(f"[{c}]" if c in "*?[" else c for c in name)


def save_sidecar(original: str | Path, sidecar: Sidecar, base: Sidecar | None = None) -> tuple[Path, str]:
    """Write a sidecar; returns where, and a message where it was joined with changes of another window.

    Parameters
    ----------
    original
        The raw or picture that the sidecar belongs to.
    sidecar
        The sidecar.
    base
        What was read when the changes began; without it a change by others is refused.

    Returns
    -------
    tuple[Path, str]
        Where it was written, and a message where it was joined with changes of another window.

    Raises
    ------
    FileProblem
        Where it cannot be written (nothing is changed then), where the one that is there cannot be read now, or where
        another program changed it and there is no `base`.
    """
    original = Path(original)
    if sidecar.locked:
        raise FileProblem(tr("Not saved: {locked}", locked=sidecar.locked))
    with _alone(original):
        known = sidecar.damaged
        found = _loaded(original)
        special = why_not_regular(found[0]) if found is not None else ""
        if special:
            raise FileProblem(
                tr(
                    "Not saved: {found} cannot be written to: {special}.",
                    found=found[0] if found else original,
                    special=special,
                )
            )
        put_aside(original, sidecar)
        joined = ""
        if found is not None:
            where, there, problem = found
            if there.locked:
                raise FileProblem(tr("Not saved: {locked}", locked=there.locked))
            if there.damaged is not None and there.damaged != known:
                if base is None:
                    raise FileProblem(tr("Not saved: {problem}", problem=problem))
                put_aside(original, there)  # it was damaged since it was read
                sidecar.revision = max(there.revision, sidecar.revision)
            elif there.revision != sidecar.revision:
                if base is None:
                    raise FileProblem(
                        tr(
                            "{where} was changed by another program. Open the shot again to see its values.",
                            where=where,
                        )
                    )
                joined = join(sidecar, base, there)
                sidecar.revision = max(there.revision, sidecar.revision)
        before = sidecar.revision
        sidecar.revision += 1
        try:
            return _write(original, sidecar, found[0] if found else None), joined
        except (BrutoError, OSError):
            sidecar.revision = before
            raise


def _write(original: Path, sidecar: Sidecar, current: Path | None) -> Path:
    body = json_bytes(_as_json(sidecar))
    if len(body) > LARGEST_JSON:
        raise FileProblem(
            tr(
                "Not saved: the values of {name} would take {body_count:.0f} MB. Delete versions or shorten the note.",
                name=original.name,
                body_count=len(body) / 1000000.0,
            )
        )
    beside = sidecar_path(original)
    if current is not None and current != beside and not _writable(beside):
        write_own(current, body)
        return current
    try:
        write_own(beside, body)
        return beside
    except FileProblem as error:
        cause = error.__cause__
        if not (isinstance(cause, OSError) and cause.errno in _READ_ONLY) or _is_there(beside):
            raise
    spare = _spare(original)
    own_folder(spare.parent)
    write_own(spare, body)
    return spare


def _writable(beside: Path) -> bool:
    """Whether a sidecar can be beside its original (again)."""
    return len(os.fsencode(beside.name)) <= 255 and os.access(beside.parent, os.W_OK)


def _as_json(side: Sidecar) -> dict[str, Any]:
    return {
        **side.unknown,
        "revision": side.revision,
        "recipe": side.recipe.model_dump(by_alias=True),
        "verdict": side.verdict,
        "note": side.note,
        "gear": side.gear,
        **({} if side.stars is None else {"stars": side.stars}),
        "history": side.history[-HISTORY:],
        "future": side.future[-HISTORY:],
        "versions": side.versions,
    }


def join(mine: Sidecar, base: Sidecar, theirs: Sidecar) -> str:
    """Bring what others changed since `base` into `mine`, field by field; returns what was done, in words.

    Where both changed the same value, mine stays in force and their recipe is kept as a version.

    Parameters
    ----------
    mine
        Our values, changed in place.
    base
        What it starts from.
    theirs
        The values another window wrote.

    Returns
    -------
    str
        Text for people, "" where there is none.
    """
    a, b, c = (s.recipe.model_dump(by_alias=True) for s in (mine, base, theirs))
    values, taken, clash = dict(a), [], []
    for name in {*a, *c}:
        if name in ("schema", "engine") or a.get(name) == c.get(name) or c.get(name) == b.get(name):
            continue
        if a.get(name) == b.get(name):
            values[name] = c[name]
            taken.append(name)
        else:
            clash.append(name)
    same = 0
    while same < min(len(s.history) for s in (mine, base, theirs)) and (
        mine.history[same] == base.history[same] == theirs.history[same]
    ):
        same += 1
    mine.history = theirs.history + mine.history[same:]
    if taken:
        mine.history.append((JOINED, {name: a.get(name) for name in taken}))
    mine.recipe = recipe_from(values)
    mine.versions = {**theirs.versions, **mine.versions}
    if clash:
        name = tr("other window {now:%H:%M}", now=datetime.now())
        while name in mine.versions:
            name += "+"
        mine.versions[name] = c
    for name in ("verdict", "gear", "note"):
        own, was, other = (getattr(s, name) for s in (mine, base, theirs))
        if own == was:
            setattr(mine, name, other)
        elif name == "note" and other not in (was, own, ""):
            mine.note = f"{own}\n{other}"
    mine.unknown = {**theirs.unknown, **mine.unknown}
    words = [name.replace("_", " ") for name in sorted(taken)]
    text = (
        tr("Another window changed this shot, too: its values are used as well ({words}).", words=", ".join(words[:6]))
        if taken
        else tr("Another window changed this shot, too: both are combined.")
    )
    if clash:
        both = ", ".join(n.replace("_", " ") for n in sorted(clash)[:4])
        clashed = tr(
            "Both changed {both}: yours is in force, the other is saved as version “{version}”.",
            both=both,
            version=name_of_last(mine),
        )
        text = sentences(text, clashed)
    return text


def name_of_last(side: Sidecar) -> str:
    """Return the version that was kept last.

    Parameters
    ----------
    side
        The side concerned.

    Returns
    -------
    str
        The version that was kept last.
    """
    return next(reversed(side.versions), "")


def verdict_beside(original: str | Path) -> str:
    """Return the verdict as the sidecar says it, else as a standard XMP rating does.

    Parameters
    ----------
    original
        The raw or picture that the sidecar belongs to.

    Returns
    -------
    str
        The verdict as the sidecar says it, else as a standard XMP rating does.
    """
    found = _loaded(Path(original))
    if found is not None:
        return found[1].verdict
    rating = read_rating(original)
    return "" if rating is None else of_stars(rating.stars)


def existing_sidecar(original: str | Path) -> Path | None:
    """Return the sidecar in force: the one of the highest revision, beside the file or in the user's data folder.

    Parameters
    ----------
    original
        The raw or picture that the sidecar belongs to.

    Returns
    -------
    Path | None
        The sidecar in force.
    """
    found = _loaded(Path(original))
    return found[0] if found else None


def _loaded(original: Path) -> tuple[Path, Sidecar, str] | None:
    """Place, content and problem of the sidecar in force."""
    try:
        places = _places(original)
    except OSError as error:
        reason = str(explain(error, sidecar_path(original), FileAction.READ))
        return (
            sidecar_path(original),
            Sidecar(locked=reason),
            tr("{reason} Changes cannot be saved until then.", reason=reason),
        )
    found = [(place, *_read(place)) for place in places]
    return max(found, key=lambda f: (f[1].revision, f[0].parent == original.parent)) if found else None
