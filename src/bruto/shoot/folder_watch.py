"""Watching a folder: files that appeared, changed or went since the last look, once they are whole."""

from __future__ import annotations

import os
import stat
import time
from dataclasses import dataclass
from pathlib import Path

from bruto.container.dng_reader import is_raw
from bruto.container.picture import is_picture
from bruto.shoot.pairing import CLIPS

SETTLED_NS = 4_000_000_000
"""A folder whose own time is older than this has shown all that came before, nanoseconds."""


@dataclass(frozen=True)
class Changes:
    """Files that are new or changed, and files that are gone."""

    new: tuple[Path, ...] = ()
    gone: tuple[Path, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.new or self.gone)


class FolderWatch:
    """Look with `poll` every second or so.

    A file counts once its size and time stood still between two looks, so one that is still being copied is not
    read half. Works on every file system, also those of phones and cards.
    """

    def __init__(self, folder: Path, known: bool = True) -> None:
        """`known`: what is there now is not reported."""
        self.folder = folder
        self._seen: dict[Path, tuple[int, int]] = {}
        self._reported: dict[Path, tuple[int, int]] = {}
        self._paths: dict[str, Path] = {}
        self._other: set[str] = set()
        self._folder_state: tuple[int, int] | None = None
        self._expected: set[Path] = set()
        if known:
            self._seen = self._look() or {}
            self._reported = dict(self._seen)

    def expect(self, path: Path) -> None:
        """Do not report a file: whoever wrote it shows it.

        Parameters
        ----------
        path
            A file of the folder.
        """
        self._expected.add(path)

    def _look(self) -> dict[Path, tuple[int, int]] | None:
        """Length and time of the folder's raws, pictures and clips.

        Names of other kinds are known by their ending and looked at no further.
        """
        found = {}
        try:
            with os.scandir(self.folder) as entries:
                for entry in entries:
                    name = entry.name
                    if name in self._other:
                        continue
                    path = self._paths.get(name)
                    if path is None:
                        path = Path(entry.path)
                        wanted = is_raw(path) or is_picture(path) or path.suffix.lower() in CLIPS
                        if name.startswith(".") or not wanted:
                            self._other.add(name)
                            continue
                        self._paths[name] = path
                    try:
                        state = entry.stat()
                    except OSError:
                        continue  # links that lead in a circle or nowhere, files that went in this moment
                    if stat.S_ISREG(state.st_mode):
                        found[path] = (state.st_size, state.st_mtime_ns)
        except OSError:
            return None  # an unplugged card comes back, or does not; the shots stay on the list
        return found

    def _unchanged(self) -> bool:
        """Whether the folder's own time says that no name came or went since the last look.

        All files seen must stand still, too; then a large folder need not be listed every second.
        """
        try:
            state = os.stat(self.folder)
            now = (state.st_ino, state.st_mtime_ns)
        except OSError:
            return False
        before, self._folder_state = self._folder_state, now
        settled = time.time_ns() - state.st_mtime_ns > SETTLED_NS  # some file systems tell times of two seconds
        return before == now and settled and self._seen == self._reported

    def _changed_in_place(self) -> bool:
        """Whether one of the files seen has another length or time now."""
        for path, known in self._seen.items():
            try:
                state = os.stat(path)
            except OSError:
                return True
            if (state.st_size, state.st_mtime_ns) != known:
                return True
        return False

    def poll(self) -> Changes:
        """Find what changed; empty while nothing did, or the folder cannot be read."""
        if self._unchanged() and not self._changed_in_place():
            return Changes()
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
        unexpected = tuple(p for p in new if p not in self._expected)
        self._expected.difference_update(new)
        return Changes(unexpected, gone)
