"""Reading files without being held up, killed or filled up by them, and what went wrong in plain words."""

from __future__ import annotations

import errno
import hashlib
import os
import stat
from enum import StrEnum
from pathlib import Path
from typing import BinaryIO

from bruto.catalog import tr
from bruto.errors import FileProblem


class FileAction(StrEnum):
    """What was being done to a file when the operating system reported an error."""

    OPEN = "open"
    READ = "read"
    WRITE = "write"
    WRITE_TO = "write_to"
    COPY = "copy"
    IMPORT_TO = "import_to"
    CREATE_FOLDER = "create_folder"
    SET_ASIDE = "set_aside"
    DELETE = "delete"
    USE = "use"


def _sentence(action: FileAction, path: Path, reason: str) -> str:
    return {
        FileAction.OPEN: tr("Cannot open {path}: {reason}.", path=path, reason=reason),
        FileAction.READ: tr("Cannot read {path}: {reason}.", path=path, reason=reason),
        FileAction.WRITE: tr("Cannot write {path}: {reason}.", path=path, reason=reason),
        FileAction.WRITE_TO: tr("Cannot write to {path}: {reason}.", path=path, reason=reason),
        FileAction.COPY: tr("Cannot copy {path}: {reason}.", path=path, reason=reason),
        FileAction.IMPORT_TO: tr("Cannot import files into {path}: {reason}.", path=path, reason=reason),
        FileAction.CREATE_FOLDER: tr("Cannot create the folder {path}: {reason}.", path=path, reason=reason),
        FileAction.SET_ASIDE: tr("Cannot set aside {path}: {reason}.", path=path, reason=reason),
        FileAction.DELETE: tr("Cannot delete {path}: {reason}.", path=path, reason=reason),
        FileAction.USE: tr("Cannot use {path}: {reason}.", path=path, reason=reason),
    }[action]


def explain(error: OSError, path: Path, action: FileAction) -> FileProblem:
    """Explain an operating-system error, with what to do next.

    Parameters
    ----------
    error
        What the operating system reported.
    path
        The file or folder concerned.
    action
        What was being done to it.

    Returns
    -------
    FileProblem
        To be raised by the caller; its message says what failed, why, and what to do.
    """
    reasons = {
        errno.ENOSPC: tr("the disk is full; free some storage or choose another folder"),
        errno.EDQUOT: tr("your disk quota is used up; free some storage or choose another folder"),
        errno.EACCES: tr("you have no permission; choose another folder or change its permissions"),
        errno.EPERM: tr("you have no permission; choose another folder or change its permissions"),
        errno.EROFS: tr("the disk is read-only; choose another folder"),
        errno.ENOENT: tr("it does not exist; check the name"),
        errno.ENOTDIR: tr("part of its path is not a folder; check the name"),
        errno.EISDIR: tr("it is a folder; name a file in it"),
        errno.EFBIG: tr("the file would be larger than allowed here; choose another folder"),
        errno.ENAMETOOLONG: tr("its name is too long for this disk; choose a shorter one"),
        errno.ELOOP: tr("its links form a loop; name the file itself"),
        errno.ENXIO: tr("it is not a regular file; choose another"),
        errno.EEXIST: tr("a file with that name exists; choose another name"),
        errno.EIO: tr("the disk reports an error; copy the file elsewhere and try again"),
    }
    reason = reasons.get(error.errno or 0, error.strerror or str(error))
    return FileProblem(_sentence(action, path, reason))


def open_regular(path: str | Path) -> BinaryIO:
    """Return a regular file opened for reading.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    BinaryIO
        A regular file opened for reading.

    Raises
    ------
    FileProblem
        For anything else (a pipe would hold the reader for ever, a device never ends), and where it cannot be
        opened.
    """
    path = Path(path)
    try:
        stream = open(path, "rb", opener=_without_waiting)  # noqa: SIM115, it is handed on
    except IsADirectoryError as error:
        raise FileProblem(tr("{path} is a folder. Name a file in it.", path=path)) from error
    except OSError as error:
        if error.errno == errno.ENXIO:
            raise FileProblem(
                tr("{path} is not a regular file (a pipe, socket or device). Choose another.", path=path)
            ) from error
        raise explain(error, path, FileAction.READ) from error
    if stat.S_ISREG(os.fstat(stream.fileno()).st_mode):
        return stream
    stream.close()
    raise FileProblem(tr("{path} is not a regular file (a pipe, socket or device). Choose another.", path=path))


def _without_waiting(path: str, flags: int) -> int:
    return os.open(path, flags | os.O_NONBLOCK)


def check_readable(path: str | Path) -> Path:
    """Return the path of a readable, non-empty regular file; raises `FileProblem` otherwise."""
    path = Path(path)
    with open_regular(path) as stream:
        try:
            if not stream.read(1):
                raise FileProblem(tr("{path} is empty (0 bytes). Copy it from the phone again.", path=path))
        except OSError as error:
            raise explain(error, path, FileAction.READ) from error
    return path


def read_bounded(path: str | Path, limit: int) -> bytes:
    """Read the whole of a regular file of at most `limit` bytes.

    Parameters
    ----------
    path
        File to read.
    limit
        Largest number.

    Returns
    -------
    bytes
        The whole of a regular file of at most `limit` bytes.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    with open_regular(path) as stream:
        try:
            data = stream.read(limit + 1)
        except OSError as error:
            raise explain(error, Path(path), FileAction.READ) from error
    if len(data) > limit:
        raise FileProblem(
            tr(
                "{path} is larger than {limit:.0f} MB, which cannot be real; it is left unchanged.",
                path=path,
                limit=limit / 1000000.0,
            )
        )
    return data


def available_memory() -> int:
    """Return the bytes that programs can still take, as the system estimates it.

    proc(5), MemAvailable, also within the limit of a control group; a large number where it does not say.
    """
    found = 1 << 50
    try:
        with open("/proc/meminfo", encoding="ascii") as stream:
            for line in stream:
                if line.startswith("MemAvailable:"):
                    found = int(line.split()[1]) * 1024
        limit = Path("/sys/fs/cgroup/memory.max").read_text().strip()
        if limit.isdigit():
            used = int(Path("/sys/fs/cgroup/memory.current").read_text())
            found = min(found, max(0, int(limit) - used))
    except (OSError, ValueError):
        pass
    return found


class MappedFile:
    """Bytes of a file by place, as of `bytes`, without a memory map.

    A file that becomes shorter while it is read ends in an error instead of the end of the process (SIGBUS).

    `data[a:b]` reads; what lies behind the end is missing. `len(data)`: length when it was opened.
    """

    PAGE = 1 << 15

    def __init__(self, stream: BinaryIO) -> None:
        self._handle = stream.fileno()
        self._length = os.fstat(self._handle).st_size
        self._pages: dict[int, bytes] = {}

    def __len__(self) -> int:
        return self._length

    def __getitem__(self, place: slice) -> bytes:
        start, stop, _ = place.indices(self._length)
        if stop <= start:
            return b""
        first, last = start // self.PAGE, (stop - 1) // self.PAGE
        if last - first > 8:
            return os.pread(self._handle, stop - start, start)
        pieces = []
        for k in range(first, last + 1):
            if k not in self._pages:
                self._pages[k] = os.pread(self._handle, self.PAGE, k * self.PAGE)
            pieces.append(self._pages[k])
        body = b"".join(pieces)
        return body[start - first * self.PAGE : stop - first * self.PAGE]


def content_key(path: str | Path) -> str:
    """Return 32 hexadecimal digits for a file's content.

    They stand for its length and 16 pieces of 64 KiB spread over it, so that files of many gigabytes are told
    apart in a moment.

    It finds what is kept of a file again (values, measures); it is no proof that two files are the same.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    str
        32 hexadecimal digits for a file's content.

    Raises
    ------
    OSError
        See its message.
    FileProblem
        Where the file cannot be read or written.
    """
    digest = hashlib.blake2b(digest_size=16)
    with open_regular(path) as stream:
        size = stream.seek(0, os.SEEK_END)
        digest.update(str(size).encode())
        piece, pieces = 1 << 16, 16
        places = (
            range(0, size, piece)
            if size <= piece * pieces
            else [k * (size - piece) // (pieces - 1) for k in range(pieces)]
        )
        for place in places:
            stream.seek(place)
            digest.update(stream.read(piece))
    return digest.hexdigest()


def whole_digest(path: str | Path) -> str:
    """Return a digest of every byte of a file (BLAKE2b).

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    str
        A digest of every byte of a file (BLAKE2b).

    Raises
    ------
    OSError
        See its message.
    FileProblem
        Where the file cannot be read or written.
    """
    digest = hashlib.blake2b()
    with open_regular(path) as stream:
        while piece := stream.read(1 << 20):
            digest.update(piece)
    return digest.hexdigest()
