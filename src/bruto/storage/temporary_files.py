"""Temporary files that tell which process they belong to; what processes that are gone left is cleaned."""

from __future__ import annotations

import atexit
import contextlib
import functools
import hashlib
import itertools
import os
import shutil
import socket
import stat
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import platformdirs

_MARK = ".bruto-"
"""What the names of temporary files begin with."""


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
        Folder in which it is made.

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
