"""The one planner of files that Bruto writes for its user: pictures, merged raws, copies, reports.

It knows all inputs of a run, what was promised to other outputs of it, what exists in the folder and who made it. An
original (any raw, picture or clip that Bruto did not make) is never replaced; another existing file only where the
user asked for it (`--overwrite`); two outputs of one name get two names. Names that differ only in case or in the
composition of letters count as the same, as they are on cards. Links, `..` and hard links are looked through by the
file's identity.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from pathlib import Path

from bruto.catalog import tr
from bruto.container.provenance import is_original
from bruto.errors import FileProblem
from bruto.storage.atomic_write import NOT_REPLACED, Target
from bruto.storage.file_names import LONGEST_NAME, folded, identity, numbered, why_not_regular
from bruto.storage.safe_read import FileAction, explain

_MOST_NUMBERS = 100_000


class Outputs:
    """Names of the outputs of one run, or of one queue."""

    def __init__(self, inputs: Iterable[str | Path] = (), *, overwrite: bool = False) -> None:
        self.overwrite = overwrite
        self._inputs = [Path(p) for p in inputs]
        self._promised: set[tuple[int, int, str]] = set()
        self._listed: dict[Path, dict[str, list[str]]] = {}
        self._read: set[tuple[int, int]] | None = None

    # -- what a name is --

    def _input_files(self) -> set[tuple[int, int]]:
        """Device and inode of every input, whatever it is called."""
        if self._read is None:
            self._read = set()
            for path in self._inputs:
                try:
                    state = os.stat(path)
                    self._read.add((state.st_dev, state.st_ino))
                except OSError:
                    continue
        return self._read

    def _folder(self, folder: Path) -> os.stat_result:
        try:
            state = os.stat(folder)
        except OSError as error:
            if isinstance(error, FileNotFoundError):
                raise FileProblem(
                    tr(
                        "The folder {folder} does not exist. Create it or choose another. Was a card or disk removed?",
                        folder=folder,
                    )
                ) from error
            raise explain(error, folder, FileAction.WRITE_TO) from error
        if not folder.is_dir():
            raise FileProblem(tr("{folder} is not a folder; choose another.", folder=folder))
        return state

    def _names(self, folder: Path) -> dict[str, list[str]]:
        """Names in a folder, by how a card would see them; read once a run, as the last word is had on writing."""
        if folder not in self._listed:
            names: dict[str, list[str]] = {}
            try:
                for name in os.listdir(folder):
                    names.setdefault(folded(name), []).append(name)
            except PermissionError:
                pass  # a folder that can be written but not listed: names are looked up one by one
            except OSError as error:
                raise explain(error, folder, FileAction.WRITE_TO) from error
            self._listed[folder] = names
        return self._listed[folder]

    def _why_not(self, path: Path, *, detailed: bool = True) -> str:
        """Why a name cannot be written, "" where it can; without `detailed` the first reason will do."""
        try:
            there = identity(path)
            if there is None:
                others = [n for n in self._names(path.parent).get(folded(path.name), []) if n != path.name]
                if others and identity(path.parent / others[0]) is not None:
                    return tr("{others} exists and its name differs only in case", others=others[0])
                return ""
            special = why_not_regular(path)
        except OSError as error:
            raise explain(error, path, FileAction.WRITE) from error
        if special:
            return special
        if (there.device, there.inode) in self._input_files():
            return tr("it is the original, one of the files being read; choose another name")
        if not self.overwrite and not detailed:
            return NOT_REPLACED
        if is_original(path):
            return tr("it is an original, which is never replaced; choose another name")
        if not self.overwrite:
            return tr(
                "{NOT_REPLACED}; choose another name, or add --overwrite to replace it", NOT_REPLACED=NOT_REPLACED
            )
        return ""

    # -- names --

    def file(self, path: str | Path) -> Target:
        """Return the target of exactly this name.

        Parameters
        ----------
        path
            File to read.

        Returns
        -------
        Target
            The target of exactly this name.

        Raises
        ------
        FileProblem
            Where it may not be written.
        """
        path = Path(path)
        folder = self._folder(path.parent)
        if len(os.fsencode(path.name)) > LONGEST_NAME:
            raise FileProblem(tr("Cannot write {path}: its name is too long. Choose a shorter one.", path=path))
        key = (folder.st_dev, folder.st_ino, folded(path.name))
        if key in self._promised:
            raise FileProblem(tr("Cannot write {path}: another output of this run has the same name.", path=path))
        reason = self._why_not(path)
        if reason:
            raise FileProblem(tr("Cannot write {path}: {reason}.", path=path, reason=reason))
        self._promised.add(key)
        return Target(path, identity(path) if self.overwrite else None, folder.st_dev)

    def in_folder(self, folder: str | Path, name: str) -> Target:
        """Return a target in a folder under this name, or the first numbered one that may be written.

        Parameters
        ----------
        folder
            Folder concerned.
        name
            Name, as stored or shown.

        Returns
        -------
        Target
            A target in a folder under this name, or the first numbered one that may be written.

        Raises
        ------
        FileProblem
            Where the file cannot be read or written.
        """
        return self.together(folder, lambda number: [numbered(name, number)])[0]

    def together(self, folder: str | Path, names: Callable[[int], list[str]]) -> list[Target]:
        """Return the targets that belong together and get the same number.

        `names` says how they are called with number 1, 2 ….

        Parameters
        ----------
        folder
            Folder concerned.
        names
            Names of the parts.

        Returns
        -------
        list[Target]
            Targets that belong together and get the same number.
        """
        folder = Path(folder)
        state = self._folder(folder)
        for number in range(1, _MOST_NUMBERS):
            paths = [folder / name for name in names(number)]
            keys = [(state.st_dev, state.st_ino, folded(p.name)) for p in paths]
            if any(k in self._promised for k in keys) or any(self._why_not(p, detailed=False) for p in paths):
                continue
            self._promised.update(keys)
            return [Target(p, identity(p) if self.overwrite else None, state.st_dev) for p in paths]
        raise FileProblem(tr("No free name is left in {folder}. Choose another folder.", folder=folder))

    def release(self, target: Target) -> None:
        """Give a promised name back: nothing was written there.

        Parameters
        ----------
        target
            File to write, from the output planner.
        """
        try:
            state = os.stat(target.path.parent)
            self._promised.discard((state.st_dev, state.st_ino, folded(target.path.name)))
        except OSError:
            pass
