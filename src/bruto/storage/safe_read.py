"""Reading files without being held up, killed or filled up by them, and what went wrong in plain words."""

from __future__ import annotations

import errno
import hashlib
import os
import stat
from pathlib import Path
from typing import BinaryIO

from bruto.errors import FileProblem


def explain(error: OSError, path: Path, doing: str) -> FileProblem:
    """A `FileProblem` for an operating-system error, with what to do next."""
    reasons = {
        errno.ENOSPC: "the disk is full; free some space or choose another folder",
        errno.EDQUOT: "your disk quota is used up; free some space or choose another folder",
        errno.EACCES: "permission is missing; choose another folder or change its permissions",
        errno.EPERM: "permission is missing; choose another folder or change its permissions",
        errno.EROFS: "the disk is read-only; choose another folder",
        errno.ENOENT: "it does not exist; check the name",
        errno.ENOTDIR: "a part of its path is not a folder; check the name",
        errno.EISDIR: "it is a folder; name a file in it",
        errno.EFBIG: "the file would be larger than allowed here; choose another folder",
        errno.ENAMETOOLONG: "its name is too long for this disk; choose a shorter one",
        errno.ELOOP: "its links lead round in a circle; name the file itself",
        errno.ENXIO: "it is no regular file; choose another",
        errno.EEXIST: "a file of that name is there already; choose another name",
        errno.EIO: "the disk reports an error; copy the file elsewhere and try again",
    }
    reason = reasons.get(error.errno or 0, error.strerror or str(error))
    return FileProblem(f"Cannot {doing} {path}: {reason}.")


def open_regular(path: str | Path) -> BinaryIO:
    """A regular file opened for reading. Raises `FileProblem` for anything else (a pipe would hold the reader for ever,
    a device never ends), and where it cannot be opened.
    """
    path = Path(path)
    try:
        stream = open(path, "rb", opener=_without_waiting)  # noqa: SIM115, it is handed on
    except IsADirectoryError as error:
        raise FileProblem(f"{path} is a folder; name a file in it.") from error
    except OSError as error:
        if error.errno == errno.ENXIO:
            raise FileProblem(f"{path} is no regular file (a pipe, socket or device); choose another.") from error
        raise explain(error, path, "read") from error
    if stat.S_ISREG(os.fstat(stream.fileno()).st_mode):
        return stream
    stream.close()
    raise FileProblem(f"{path} is no regular file (a pipe, socket or device); choose another.")


def _without_waiting(path: str, flags: int) -> int:
    return os.open(path, flags | os.O_NONBLOCK)


def check_readable(path: str | Path) -> Path:
    """The path of a readable, non-empty regular file; raises `FileProblem` otherwise."""
    path = Path(path)
    with open_regular(path) as stream:
        try:
            if not stream.read(1):
                raise FileProblem(f"{path} is empty (0 bytes); copy it again from the phone.")
        except OSError as error:
            raise explain(error, path, "read") from error
    return path


def read_bounded(path: str | Path, limit: int) -> bytes:
    """The whole of a regular file of at most `limit` bytes. Raises `FileProblem`."""
    with open_regular(path) as stream:
        try:
            data = stream.read(limit + 1)
        except OSError as error:
            raise explain(error, Path(path), "read") from error
    if len(data) > limit:
        raise FileProblem(f"{path} is larger than {limit / 1e6:.0f} MB, more than can be real; it is left alone.")
    return data


def available_memory() -> int:
    """Bytes that programs can still take, as the system estimates it (proc(5), MemAvailable), also within the limit of
    a control group; a large number where it does not say.
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
    """Bytes of a file by place, as of `bytes`, without a memory map: a file that becomes shorter while it is read ends
    in an error instead of the end of the process (SIGBUS).

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
    """32 hexadecimal digits for a file's content: of its length and of 16 pieces of 64 KiB spread over it, so that
    files of many gigabytes are told apart in a moment. Raises `OSError`, `FileProblem`.

    It finds what is kept of a file again (values, measures); it is no proof that two files are the same.
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
    """A digest of every byte of a file (BLAKE2b). Raises `OSError`, `FileProblem`."""
    digest = hashlib.blake2b()
    with open_regular(path) as stream:
        while piece := stream.read(1 << 20):
            digest.update(piece)
    return digest.hexdigest()
