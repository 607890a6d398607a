"""Putting a finished file under its name: whole or not at all, and never over a file it was not meant for.

A file is written under a hidden temporary name in the folder of its target, brought to the disk, and then gets its
name in one step of the file system: exclusively where nothing may be there (`renameat2` with RENAME_NOREPLACE, else
`link`), by exchange where one known file is replaced, so that what took its place meanwhile is put back. Temporary
names tell which process they belong to; those of processes that are gone are cleaned (`clean_folder`,
`clean_leftovers`).
"""

from __future__ import annotations

import atexit
import contextlib
import ctypes
import errno
import functools
import hashlib
import itertools
import os
import shutil
import socket
import stat
import threading
import unicodedata
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from bruto.catalog import tr
from bruto.errors import FileProblem
from bruto.storage.safe_read import FileAction, explain

LONGEST_NAME = 255
"""Bytes of a file name (POSIX NAME_MAX of usual file systems)."""
NOT_REPLACED = tr("a file with that name exists")
_MARK = ".bruto-"
_NOREPLACE, _EXCHANGE = 1, 2
"""Flags of renameat2 (Linux 3.15, linux/fs.h)."""
_AT_FDCWD = -100
_UNSUPPORTED = (errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP, errno.EPERM)


class NameTaken(FileProblem):
    """A file got the name of an output while that was being made; it was left as it is."""


@dataclass(frozen=True)
class Identity:
    """Which file it is, and in which state: device and inode numbers, length in bytes, time of change in ns."""

    device: int
    inode: int
    length: int
    changed_ns: int


@dataclass(frozen=True)
class Target:
    """A name that may be written."""

    path: Path
    replaces: Identity | None = None
    """The one file that may be there, None: nothing may."""
    device: int | None = None
    """Of the folder when it was chosen, so that a card which was taken out is noticed (None: not looked at)."""


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
        Name, as stored or shown.

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
        Name, as stored or shown.
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


# -- temporary names


@functools.cache
def _host() -> str:
    return hashlib.sha256(socket.gethostname().encode()).hexdigest()[:6]


def _started(pid: int) -> int | None:
    """When a process began, in clock ticks since the start of the machine; None where there is none (proc(5))."""
    try:
        text = Path(f"/proc/{pid}/stat").read_text()
        return int(text.rpartition(")")[2].split()[19])
    except (OSError, ValueError, IndexError):
        return None


_numbers = itertools.count(1)


def process_mark() -> str:
    """Machine, number and start of this process: no other process has the same."""
    pid = os.getpid()
    return f"{_host()}-{pid}-{_started(pid) or 0}"


def process_gone(mark: str) -> bool:
    """Check whether a mark is of a process of this machine that has ended.

    Parameters
    ----------
    mark
        Mark of a process, see `process_mark`.

    Returns
    -------
    bool
        True where a mark is of a process of this machine that has ended.
    """
    host, _, rest = mark.partition("-")
    pid, _, started = rest.partition("-")
    if host != _host() or not (pid.isdigit() and started.isdigit()):
        return False
    now = _started(int(pid))
    if now is not None:
        return now != int(started)
    try:
        os.kill(int(pid), 0)  # processes of other users may be hidden from us, and live all the same
    except (ProcessLookupError, OverflowError):
        return True
    except OSError:
        return False
    return False


def _owner_gone(name: str) -> bool:
    """Whether a temporary name belongs to a process of this machine that has ended."""
    return name.startswith(_MARK) and process_gone(name[len(_MARK) :].rpartition("-")[0])


def clean_folder(folder: Path) -> int:
    """Delete temporary files in a folder that processes which are gone have left; returns how many.

    Parameters
    ----------
    folder
        Folder concerned.

    Returns
    -------
    int
        The number.
    """
    count = 0
    try:
        with os.scandir(folder) as entries:
            names = [e.name for e in entries if e.name.startswith(_MARK)]
    except OSError:
        return 0
    for name in names:
        if _owner_gone(name):
            with contextlib.suppress(OSError):
                if stat.S_ISDIR(os.lstat(folder / name).st_mode):
                    shutil.rmtree(folder / name)
                else:
                    os.unlink(folder / name)
                count += 1
    return count


def _journals() -> Path:
    return Path(platformdirs.user_state_dir("bruto")) / "writing"


_visited: set[str] = set()
_visit_lock = threading.Lock()


def _visit(folder: Path) -> None:
    """Before the first file that this process writes into a folder.

    What others left there is cleaned, and the folder is noted, so that the next start finds what this process may
    leave if it is killed.
    """
    name = os.path.abspath(folder)
    with _visit_lock:
        if name in _visited:
            return
        _visited.add(name)
        clean_folder(folder)
        with contextlib.suppress(OSError):  # without it the folder is cleaned when it is written to again
            place = _journals()
            place.mkdir(parents=True, exist_ok=True)
            journal = place / process_mark()
            if len(_visited) == 1:
                atexit.register(_forget_journal, journal, os.getpid())
            with journal.open("ab") as stream:
                stream.write(os.fsencode(name) + b"\0")


def _forget_journal(journal: Path, pid: int) -> None:
    if os.getpid() == pid:
        with contextlib.suppress(OSError):
            journal.unlink()


def clean_leftovers() -> int:
    """Delete the temporary files of processes that were killed, wherever they wrote; returns how many."""
    count = 0
    try:
        journals = list(_journals().iterdir())
    except OSError:
        return 0
    for journal in journals:
        if not process_gone(journal.name):
            continue
        with contextlib.suppress(OSError):
            for name in journal.read_bytes().split(b"\0"):
                if name:
                    count += clean_folder(Path(os.fsdecode(name)))
            journal.unlink()
    return count


@contextmanager
def temporary_beside(path: Path) -> Iterator[Path]:
    """Return an empty hidden file in the folder of `path`, gone after the block unless it was renamed.

    Parameters
    ----------
    path
        File concerned.

    Yields
    ------
    Path
        An empty hidden file in the folder of `path`, gone after the block unless it was renamed.

    Raises
    ------
    OSError
        See its message.
    """
    folder = path.parent
    _visit(folder)
    while True:
        temporary = folder / f"{_MARK}{process_mark()}-{next(_numbers)}"
        try:
            os.close(os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC, 0o600))
            break
        except FileExistsError:
            continue
    try:
        yield temporary
    finally:
        with contextlib.suppress(OSError):
            temporary.unlink(missing_ok=True)


@contextmanager
def temporary_folder(inside: Path) -> Iterator[Path]:
    """Return an empty hidden folder in another one, gone with all that is in it after the block.

    Parameters
    ----------
    inside
        Folder, or mask for kernels.

    Yields
    ------
    Path
        An empty hidden folder in another one, gone with all that is in it after the block.

    Raises
    ------
    OSError
        See its message.
    """
    _visit(inside)
    place = inside / f"{_MARK}{process_mark()}-{next(_numbers)}"
    place.mkdir()
    try:
        yield place
    finally:
        shutil.rmtree(place, ignore_errors=True)


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
    """Return a temporary path that gets the target's name when the block ends well, and vanishes when it does not.

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
