"""Names of files: which file one is, which are free, and what stands in the way of writing to one."""

from __future__ import annotations

import itertools
import os
import stat
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from bruto.catalog import tr
from bruto.storage.safe_read import FileAction, explain

LONGEST_NAME = 255
"""Bytes of a file name (POSIX NAME_MAX of usual file systems)."""


@dataclass(frozen=True)
class Identity:
    """Which file it is, and in which state: device and inode numbers, length in bytes, time of change in ns."""

    device: int
    inode: int
    length: int
    changed_ns: int


def identity(path: str | Path) -> Identity | None:
    """Return the file under a name, links not followed; None where there is none.

    Parameters
    ----------
    path
        File concerned.

    Returns
    -------
    Identity | None
        The file under a name, links not followed.

    Raises
    ------
    OSError
        (no permission).
    """
    try:
        found = os.lstat(path)
    except (FileNotFoundError, NotADirectoryError):
        return None
    return Identity(found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns)


def why_not_regular(path: str | Path) -> str:
    """Say what is under a name that no file may be written to; "" where it is a regular file or nothing.

    Parameters
    ----------
    path
        File concerned.

    Returns
    -------
    str
        What is under a name that no file may be written to.

    Raises
    ------
    OSError
        Where it cannot be looked at.
    """
    try:
        mode = os.lstat(path).st_mode
    except (FileNotFoundError, NotADirectoryError):
        return ""
    if stat.S_ISREG(mode):
        return ""
    if stat.S_ISDIR(mode):
        return tr("it is a folder; name a file in it")
    if stat.S_ISLNK(mode):
        return tr("it is a link to another file; choose a new name")
    return tr("it is a device or a pipe, not a regular file; choose another name")


def folded(name: str) -> str:
    """Return a name as file systems that do not tell case or composed letters apart see it.

    Parameters
    ----------
    name
        File name.

    Returns
    -------
    str
        A name as file systems that do not tell case or composed letters apart see it.
    """
    return unicodedata.normalize("NFC", name).casefold()


def numbered(name: str, number: int) -> str:
    """Return a file name with a number behind its stem, cut to what a file system takes.

    Parameters
    ----------
    name
        File name.
    number
        Index.

    Returns
    -------
    str
        A file name with a number behind its stem, cut to what a file system takes.

    Examples
    --------
    >>> numbered("pans-001.jpg", 2)
    'pans-001-2.jpg'
    """
    path = Path(name)
    tail = (f"-{number}" if number > 1 else "") + path.suffix
    stem = os.fsencode(path.stem)[: LONGEST_NAME - len(os.fsencode(tail))]
    return stem.decode("utf-8", "ignore" if len(stem) < len(os.fsencode(path.stem)) else "surrogateescape") + tail


def free_names(folder: Path, names: Callable[[int], list[str]]) -> list[Path]:
    """Return the paths that belong together and are all free.

    `names` says how they are called with number 1, 2 … Names that differ only in case count as taken.

    Parameters
    ----------
    folder
        Folder concerned.
    names
        Names of the parts.

    Returns
    -------
    list[Path]
        Paths that belong together and are all free.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    try:
        taken = {folded(name) for name in os.listdir(folder)}
    except OSError as error:
        raise explain(error, folder, FileAction.WRITE_TO) from error
    for number in itertools.count(1):
        found = names(number)
        if not any(folded(name) in taken for name in found):
            return [folder / name for name in found]
    raise AssertionError("numbers do not end")
