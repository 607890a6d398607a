"""Watching a folder: files that appeared, changed or went since the last look, once they are whole."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from bruto.container.dng_reader import is_raw
from bruto.container.picture import is_picture
from bruto.shoot.pairing import CLIPS


@dataclass(frozen=True)
class Changes:
    """Files that are new or changed, and files that are gone."""

    new: tuple[Path, ...] = ()
    gone: tuple[Path, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.new or self.gone)


class FolderWatch:
    """Look with `poll` every second or so. A file counts once its size and time stood still between two looks, so one
    that is still being copied is not read half. Works on every file system, also those of phones and cards.
    """

    def __init__(self, folder: Path, known: bool = True) -> None:
        """`known`: what is there now is not reported."""
        self.folder = folder
        self._seen: dict[Path, tuple[int, int]] = {}
        self._reported: dict[Path, tuple[int, int]] = {}
        if known:
            self._seen = self._look() or {}
            self._reported = dict(self._seen)

    def _look(self) -> dict[Path, tuple[int, int]] | None:
        found = {}
        try:
            with os.scandir(self.folder) as entries:
                for entry in entries:
                    path = Path(entry.path)
                    wanted = is_raw(path) or is_picture(path) or path.suffix.lower() in CLIPS
                    if entry.name.startswith(".") or not wanted or not entry.is_file():
                        continue
                    state = entry.stat()
                    found[path] = (state.st_size, state.st_mtime_ns)
        except OSError:
            return None  # an unplugged card comes back, or does not; the shots stay on the list
        return found

    def poll(self) -> Changes:
        """What changed; empty while nothing did, or the folder cannot be read."""
        now = self._look()
        if now is None:
            return Changes()
        still = {p: s for p, s in now.items() if self._seen.get(p) == s and s[0] > 0}
        new = tuple(sorted(p for p, s in still.items() if self._reported.get(p) != s))
        gone = tuple(sorted(p for p in self._reported if p not in now))
        self._seen = now
        for p in new:
            self._reported[p] = now[p]
        for p in gone:
            del self._reported[p]
        return Changes(new, gone)
