"""Putting a finished file under its name: whole or not at all, and never over a file it was not meant for.

A file is written under a hidden temporary name in the folder of its target, brought to the disk, and then gets its
name in one step of the file system: exclusively where nothing may be there (`renameat2` with RENAME_NOREPLACE, else
`link`), by exchange where one known file is replaced, so that what took its place meanwhile is put back.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import functools
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from bruto.catalog import tr
from bruto.errors import FileProblem
from bruto.storage.file_names import Identity, identity, why_not_regular
from bruto.storage.safe_read import FileAction, explain
from bruto.storage.temporary_files import temporary_beside

NOT_REPLACED = tr("a file with that name exists")
_NOREPLACE, _EXCHANGE = 1, 2
"""Flags of renameat2 (Linux 3.15, linux/fs.h)."""
_AT_FDCWD = -100
_UNSUPPORTED = (errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP, errno.EPERM)


class NameTaken(FileProblem):
    """A file got the name of an output while that was being made; it was left as it is."""


@dataclass(frozen=True)
class Target:
    """A name that may be written."""

    path: Path
    replaces: Identity | None = None
    """The one file that may be there, None: nothing may."""
    device: int | None = None
    """Of the folder when it was chosen, so that a card which was taken out is noticed (None: not looked at)."""


@functools.cache
def _libc() -> ctypes.CDLL | None:
    try:
        library = ctypes.CDLL(None, use_errno=True)
        _ = library.renameat2
        return library
    except (OSError, AttributeError):
        return None


def _renameat2(old: Path, new: Path, flags: int) -> bool:
    """Rename with flags; False where system or file system cannot. Raises `OSError`."""
    library = _libc()
    if library is None:
        return False
    if library.renameat2(_AT_FDCWD, os.fsencode(old), _AT_FDCWD, os.fsencode(new), flags) == 0:
        return True
    code = ctypes.get_errno()
    if code in _UNSUPPORTED:
        return False
    raise OSError(code, os.strerror(code), str(new))


def _place_new(temporary: Path, path: Path) -> None:
    """Give a file a name that is free; raises `FileExistsError` where it is not."""
    if _renameat2(temporary, path, _NOREPLACE):
        return
    try:
        os.link(temporary, path)
    except OSError as error:
        if error.errno not in _UNSUPPORTED:
            raise
    else:
        temporary.unlink()
        return
    # a file system without either (some cards): the name is taken by an empty file of ours first
    os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))
    os.replace(temporary, path)


def _place_over(temporary: Path, path: Path, old: Identity) -> None:
    """Put a file in the place of one known file; raises `FileExistsError` where another, or a changed one, is there."""
    there = identity(path)
    if there is None:
        _place_new(temporary, path)
        return
    if there != old or why_not_regular(path):
        raise FileExistsError(errno.EEXIST, "changed meanwhile", str(path))
    if not _renameat2(temporary, path, _EXCHANGE):
        os.replace(temporary, path)
        return
    if identity(temporary) != old:  # changed in the moment between: back to how it was
        _renameat2(temporary, path, _EXCHANGE)
        raise FileExistsError(errno.EEXIST, "changed meanwhile", str(path))


def _settle(temporary: Path) -> None:
    """Bring a file to the disk, with the rights of any new file."""
    with temporary.open("rb") as stream:
        os.fsync(stream.fileno())
    umask = os.umask(0)
    os.umask(umask)
    with contextlib.suppress(PermissionError):  # cards and network disks have no such rights
        temporary.chmod(0o666 & ~umask)


def _settle_folder(folder: Path) -> None:
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


@contextmanager
def published(target: Target | str | Path) -> Iterator[Path]:
    """Give a temporary path that gets the target's name when the block ends well, and vanishes when it does not.

    A plain path is a new file: nothing may be under that name.

    Parameters
    ----------
    target
        File to write, from the output planner.

    Yields
    ------
    Path
        A temporary path that gets the target's name when the block ends well, and vanishes when it does not.

    Raises
    ------
    FileProblem
        Where something is, where the folder is missing or was exchanged, cannot be written, or the disk is full;
        what is there is then as it was.
    """
    if not isinstance(target, Target):
        target = Target(Path(target))
    path = target.path
    try:
        if target.replaces is None and identity(path) is not None:
            _refuse_existing(path)
        if not path.parent.is_dir():
            raise FileProblem(
                tr(
                    "Cannot write {path}: the folder {parent} does not exist. Check the name, or whether a card "
                    "or disk "
                    "was removed.",
                    path=path,
                    parent=path.parent,
                )
            )
        if target.device is not None and os.stat(path.parent).st_dev != target.device:
            raise FileProblem(
                tr(
                    "Cannot write {path}: its folder is on another disk than when you chose it. Was a card removed?",
                    path=path,
                )
            )
        with temporary_beside(path) as temporary:
            yield temporary
            _settle(temporary)
            if target.replaces is None:
                _place_new(temporary, path)
            else:
                _place_over(temporary, path, target.replaces)
        _settle_folder(path.parent)
    except FileExistsError as error:
        if target.replaces is None:
            raise NameTaken(
                tr("Cannot write {path}: {NOT_REPLACED}; choose another name.", path=path, NOT_REPLACED=NOT_REPLACED)
            ) from error
        raise NameTaken(
            tr("Cannot write {path}: another program wrote it in the meantime; it was left unchanged.", path=path)
        ) from error
    except OSError as error:
        raise explain(error, path, FileAction.WRITE) from error


def _refuse_existing(path: Path) -> None:
    reason = why_not_regular(path) or tr("{NOT_REPLACED}; choose another name", NOT_REPLACED=NOT_REPLACED)
    raise NameTaken(tr("Cannot write {path}: {reason}.", path=path, reason=reason))


@contextmanager
def own_file(path: str | Path, durable: bool = True) -> Iterator[Path]:
    """Return the same for what Bruto keeps for itself (values, records, cards, caches).

    The newest state replaces the older.

    Only a regular file is replaced.

    Parameters
    ----------
    path
        File concerned.
    durable
        Brought to the disk before it gets its name; caches need not be.

    Yields
    ------
    Path
        The same for what Bruto keeps for itself (values, records, cards, caches): the newest state replaces the
        older.
    """
    path = Path(path)
    try:
        reason = why_not_regular(path)
        if reason:
            raise FileProblem(tr("Cannot write {path}: {reason}.", path=path, reason=reason))
        with temporary_beside(path) as temporary:
            yield temporary
            if durable:
                _settle(temporary)
            else:
                temporary.chmod(0o644)
            os.replace(temporary, path)
    except OSError as error:
        raise explain(error, path, FileAction.WRITE) from error


def write_own(path: str | Path, data: bytes, durable: bool = True) -> None:
    """Write a whole file of Bruto's own.

    Parameters
    ----------
    path
        File concerned.
    data
        Bytes as stored in the file.
    durable
        Whether it must survive a power failure.
    """
    with own_file(path, durable) as temporary:
        temporary.write_bytes(data)


def write_new(target: Target | str | Path, data: bytes) -> None:
    """Write a whole new file, or the one that a target may replace.

    Parameters
    ----------
    target
        File to write, from the output planner.
    data
        Bytes as stored in the file.
    """
    with published(target) as temporary:
        temporary.write_bytes(data)


_MOUNTS = (Path("/media"), Path("/run/media"), Path("/mnt"))
"""Where cards and disks are put (Filesystem Hierarchy Standard 3.0, sections 3.11 and 3.12)."""


def usable_folder(folder: str | Path) -> Path:
    """Return a folder that exists, or is made in one that exists.

    One level only, and not where cards and disks are put, so that the place of one which is not there is not made
    anew on another disk. Raises `FileProblem`.
    """
    folder = Path(folder)
    try:
        if folder.is_dir():
            return folder
        place = folder.absolute()
        if any(place.parent == m or place.parent.parent == m for m in _MOUNTS) or not folder.parent.is_dir():
            raise FileProblem(
                tr(
                    "Cannot create the folder {folder}: neither it nor its parent folder exists. Check the name. "
                    "Was a card or "
                    "disk removed?",
                    folder=folder,
                )
            )
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise explain(error, folder, FileAction.CREATE_FOLDER) from error
    return folder


def own_folder(folder: Path) -> Path:
    """Return a folder of Bruto's own data, made with what leads to it.

    Raises `FileProblem`.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise explain(error, folder, FileAction.CREATE_FOLDER) from error
    return folder
