"""Files of a folder to shots: by stem, by following numbers, by time, by likeness; never by guess alone."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.dng_reader import is_raw
from bruto.container.picture import PICTURE_KINDS, is_picture
from bruto.container.quick_metadata import QuickMetadata, read_quick_metadata
from bruto.errors import BrutoError, FileProblem
from bruto.shoot.shots import Shot, edit_marks, read_shot, small_view, taken_at
from bruto.storage.safe_read import FileAction, content_key, explain, whole_digest

CLIPS = (".mp4", ".mov", ".m4v")
SAME_MOMENT_S = 2.0
"""Raw and picture of one press are stamped within this, seconds."""
LIKE, LIKE_MARGIN = 0.9, 0.6
"""Correlation of small grey pictures from which two show the same; what it lacks to 1 must be this share at most of
what the next best lacks.
"""
_NUMBERED = re.compile(r"^(.*?)(\d+)(\D*)$")
_COPY = re.compile(r"( \(\d+\)|[ _-]copy( ?\d+)?|~\d+)$", re.IGNORECASE)


@dataclass
class _Files:
    raws: list[Path] = field(default_factory=list)
    pictures: list[Path] = field(default_factory=list)
    clips: list[Path] = field(default_factory=list)


def list_files(paths: list[str | Path]) -> list[Path]:
    """Return the files of folders (not of folders inside them) and single files.

    Parameters
    ----------
    paths
        Files in order.

    Returns
    -------
    list[Path]
        Files of folders (not of folders inside them) and single files.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    found: list[Path] = []
    for given in paths:
        path = Path(given)
        try:
            if not path.exists():
                raise FileProblem(tr("{path} does not exist. Check the name.", path=path))
            inside = sorted(path.iterdir()) if path.is_dir() else [path]
        except OSError as error:
            raise explain(error, path, FileAction.OPEN) from error
        for file in inside:
            if file.name.startswith("."):
                continue
            if is_raw(file) or is_picture(file) or file.suffix.lower() in CLIPS:
                found.append(file)
            elif not path.is_dir():
                raise FileProblem(
                    tr(
                        "{file} is neither a DNG nor a picture that Bruto can open ({PICTURE_KINDS}).",
                        file=file,
                        PICTURE_KINDS=PICTURE_KINDS,
                    )
                )
    return found


class _FileEntry:
    """Glances and small grey pictures, each made once."""

    def __init__(self) -> None:
        self.known: dict[Path, QuickMetadata] = {}
        self._unreadable: set[Path] = set()
        self._greys: dict[Path, NDArray[np.float32] | None] = {}

    def read_quick_metadata(self, path: Path) -> QuickMetadata | None:
        if path not in self.known and path not in self._unreadable:
            try:
                self.known[path] = read_quick_metadata(path)
            except BrutoError:
                self._unreadable.add(path)
        return self.known.get(path)

    def grey(self, path: Path) -> NDArray[np.float32] | None:
        """Compute a 24 x 24 grey picture without mean, of length 1."""
        if path not in self._greys:
            raw = is_raw(path)
            try:
                shot = Shot(path.stem, path if raw else None, None if raw else path, self.read_quick_metadata(path))
                picture = small_view(shot, 96)[0]
                grey = cv2.resize(picture, (24, 24), interpolation=cv2.INTER_AREA).mean(axis=2).astype(np.float32)
                grey -= grey.mean()
                self._greys[path] = grey / max(float(np.linalg.norm(grey)), 1e-6)
            except (BrutoError, cv2.error):
                self._greys[path] = None
        return self._greys[path]

    def likeness(self, a: Path, b: Path) -> float:
        """Correlation of two small pictures, -1 to 1."""
        x, y = self.grey(a), self.grey(b)
        return float((x * y).sum()) if x is not None and y is not None else 0.0

    def agree(self, raw: Path, picture: Path, within_s: float = SAME_MOMENT_S) -> bool | None:
        """Whether time, settings and phone allow one press of the shutter; None where the files do not say."""
        a, b = self.read_quick_metadata(raw), self.read_quick_metadata(picture)
        if a is None or b is None:
            return None
        if a.model and b.model and a.model != b.model:
            return False
        for x, y in ((a.exposure_s, b.exposure_s), (a.iso, b.iso), (a.focal_mm, b.focal_mm)):
            if x and y and abs(x / y - 1) > 0.03:
                return False
        ta, tb = taken_at(a), taken_at(b)
        if ta is None or tb is None:
            return None
        return abs((ta - tb).total_seconds()) <= within_s


def pair(files: list[Path], by_hand: dict[str, str | None] | None = None) -> list[Shot]:
    """Return the shots of files, in order of time.

    Parameters
    ----------
    files
        Files in order.
    by_hand
        Picture's file name (or None) for a raw's, corrected by the user.

    Returns
    -------
    list[Shot]
        Shots of files, in order of time.
    """
    seen = _FileEntry()
    files, doubles = _without_doubles(files)
    sorts = _Files()
    for f in files:
        (sorts.raws if is_raw(f) else sorts.clips if f.suffix.lower() in CLIPS else sorts.pictures).append(f)
    pairs: dict[Path, tuple[Path | None, str]] = {}
    free = set(sorts.pictures)
    by_name = {p.name: p for p in sorts.pictures}
    alone: set[Path] = set()
    for raw in sorts.raws:
        if by_hand and raw.name in by_hand:
            chosen = by_hand[raw.name]
            if chosen is None:
                alone.add(raw)
            elif by_name.get(chosen) in free:
                pairs[raw] = (by_name[chosen], "hand")
                free.discard(by_name[chosen])
    if by_hand:  # pictures that the user set apart stay so
        free -= {by_name[v] for v in by_hand.values() if v in by_name and by_name[v] in free}
    for step in (_by_stem, _by_numbers, _by_time, _by_likeness):
        raws = [r for r in sorts.raws if r not in pairs and r not in alone]
        for raw, (picture, how) in step(raws, sorted(free), seen).items():
            pairs[raw] = (picture, how)
            free.discard(picture)
    clips = _clips(sorts.clips, sorts.raws + sorts.pictures)
    shots = []
    used = {p for p, _ in pairs.values()}
    for raw in sorts.raws:
        picture, how = pairs.get(raw, (None, ""))
        clip = clips.get(raw) or (clips.get(picture) if picture else None)
        shots.append(read_shot(raw, picture, clip, how, seen.known))
    shots += [read_shot(None, p, clips.get(p), "", seen.known) for p in sorts.pictures if p not in used]
    shots = [_completed(s, doubles) for s in shots]
    far = max((s.taken for s in shots if s.taken), default=None)
    return sorted(shots, key=lambda s: (s.taken or far or 0, s.taken is None, _order(s.name)))


def _completed(shot: Shot, doubles: dict[Path, list[Path]]) -> Shot:
    more = tuple(d for f in shot.files for d in doubles.get(f, []))
    edited = edit_marks(shot.seen if shot.raw else None, shot.picture_seen) if shot.picture_seen else ""
    return replace(shot, doubles=more, edited=edited) if more or edited else shot


def _order(name: str) -> tuple[str, int, str]:
    found = _NUMBERED.match(name)
    return (found[1].lower(), int(found[2]), found[3]) if found else (name.lower(), -1, "")


def _without_doubles(files: list[Path]) -> tuple[list[Path], dict[Path, list[Path]]]:
    """Files of which no other has the same content, and the further copies of each."""

    def alike(group: list[Path], key: Callable[[Path], Any]) -> list[list[Path]]:
        """Those of a group that share a key with another."""
        found: dict[Any, list[Path]] = defaultdict(list)
        for f in group:
            try:
                found[key(f)].append(f)
            except (OSError, BrutoError):
                continue
        return [members for members in found.values() if len(members) > 1]

    extra: dict[Path, list[Path]] = {}
    dropped: set[Path] = set()
    # uncompressed raws are all of one size: a glance at three places goes before the thorough look
    for group in alike(files, lambda f: (f.suffix.lower(), f.stat().st_size or f.name)):
        for near in alike(group, content_key):
            for copies in alike(near, whole_digest):
                copies.sort(key=lambda f: (bool(_COPY.search(f.stem)), len(f.name), f.name))
                extra[copies[0]] = copies[1:]
                dropped |= set(copies[1:])
    return [f for f in files if f not in dropped], extra


_Step = Callable[[list[Path], list[Path], _FileEntry], dict[Path, tuple[Path | None, str]]]


def _by_stem(raws: list[Path], pictures: list[Path], seen: _FileEntry) -> dict[Path, tuple[Path | None, str]]:
    """Return the picture of the same folder and stem, unless time and settings speak against it."""
    stems: dict[tuple[Path, str], list[Path]] = defaultdict(list)
    for p in pictures:
        stems[(p.parent, p.stem.lower())].append(p)
    result: dict[Path, tuple[Path | None, str]] = {}
    for raw in raws:
        found = stems.get((raw.parent, raw.stem.lower()), [])
        fits = [p for p in found if seen.agree(raw, p, 120.0) is not False]
        if fits:
            result[raw] = (fits[0], "stem")
            found.remove(fits[0])
    return result


def _by_numbers(raws: list[Path], pictures: list[Path], seen: _FileEntry) -> dict[Path, tuple[Path | None, str]]:
    """Numbers that follow each other (n, n + 1 or n, n - 1), where time and settings agree.

    Where both neighbours of a raw would do, the direction that the folder's clear cases show decides.
    """
    numbers: dict[tuple[Path, str, str], dict[int, Path]] = defaultdict(dict)
    for p in pictures:
        prefix, number, tail = _order(p.stem)
        numbers[(p.parent, prefix, tail)][number] = p
    options: dict[Path, dict[int, Path]] = {}
    for raw in raws:
        prefix, number, tail = _order(raw.stem)
        row = numbers.get((raw.parent, prefix, tail), {})
        near = {d: row[number + d] for d in (1, -1) if number >= 0 and number + d in row}
        options[raw] = {d: p for d, p in near.items() if seen.agree(raw, p)}
    votes = [next(iter(o)) for o in options.values() if len(o) == 1]
    first = 1 if votes.count(1) >= votes.count(-1) else -1
    plain = min(votes.count(1), votes.count(-1)) == 0 and len(votes) > 1
    claims: dict[Path, list[Path]] = defaultdict(list)
    for raw, near in options.items():
        for picture in near.values():
            claims[picture].append(raw)
    result: dict[Path, tuple[Path | None, str]] = {}
    taken: set[Path] = set()
    for direction in (first, -first):
        for raw, near in options.items():
            if raw not in result and direction in near and near[direction] not in taken:
                if direction != first and any(r is not raw and r not in result for r in claims[near[direction]]):
                    continue
                result[raw] = (near[direction], "numbers")
                taken.add(near[direction])
    # where the folder's order is not plain, a pair that shows another picture than its raw is left to the next steps
    sure = {r for r, near in options.items() if plain and (len(near) == 1 or first in near)}
    return {r: (p, h) for r, (p, h) in result.items() if p is not None and (r in sure or _not_unlike(seen, r, p))}


def _not_unlike(seen: _FileEntry, raw: Path, picture: Path) -> bool:
    """Return False where both can be seen and do not look alike."""
    if seen.grey(raw) is None or seen.grey(picture) is None:
        return True
    return seen.likeness(raw, picture) > 0.6


def _by_time(raws: list[Path], pictures: list[Path], seen: _FileEntry) -> dict[Path, tuple[Path | None, str]]:
    """Return the one picture of the same moment and settings, where it has no other raw."""
    fits = {r: [p for p in pictures if seen.agree(r, p)] for r in raws}
    rivals: dict[Path, int] = defaultdict(int)
    for near in fits.values():
        for p in near:
            rivals[p] += 1
    return {
        r: (near[0], "time")
        for r, near in fits.items()
        if len(near) == 1 and rivals[near[0]] == 1 and _not_unlike(seen, r, near[0])
    }


def _by_likeness(raws: list[Path], pictures: list[Path], seen: _FileEntry) -> dict[Path, tuple[Path | None, str]]:
    """Return the picture that looks like the raw's preview, clearly more than any other.

    Among those that time allows.
    """
    scores = []
    for r in raws:
        for p in pictures:
            if seen.agree(r, p, 60.0) is not False:
                scores.append((seen.likeness(r, p), r, p))
    result: dict[Path, tuple[Path | None, str]] = {}
    for score, r, p in sorted(scores, key=lambda s: -s[0]):
        if score < LIKE or r in result or any(p == q for q, _ in result.values()):
            continue
        used = {q for q, _ in result.values()}
        rest = [s for s, a, b in scores if (a is r) != (b is p) and a not in result and b not in used]
        if not rest or 1 - score <= LIKE_MARGIN * (1 - max(rest)):
            result[r] = (p, "likeness")
    return result


def _clips(clips: list[Path], others: list[Path]) -> dict[Path, Path]:
    """Return the short clip of a raw or picture.

    Same folder and stem, or the next number with the same stem before it.
    """
    result = {}
    for clip in clips:
        for other in others:
            if other.parent == clip.parent and other.stem.lower() == clip.stem.lower():
                result[other] = clip
    return result
