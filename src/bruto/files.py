"""Writing files so that nothing is ever half-written and no original is touched."""

from __future__ import annotations

import errno
import hashlib
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

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
        errno.EIO: "the disk reports an error; copy the file elsewhere and try again",
    }
    reason = reasons.get(error.errno or 0, error.strerror or str(error))
    return FileProblem(f"Cannot {doing} {path}: {reason}.")


@contextmanager
def atomic_path(path: str | Path) -> Iterator[Path]:
    """A temporary path in the same folder that becomes `path` when the block ends well, and vanishes when it does not.

    Raises `FileProblem` where the folder is missing, cannot be written, or the disk is full.
    """
    path = Path(path)
    if path.is_dir():
        raise FileProblem(f"Cannot write {path}: it is a folder; name a file in it.")
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=path.suffix, dir=path.parent or Path("."))
        os.close(handle)
    except OSError as error:
        raise explain(error, path, "write") from error
    temporary = Path(name)
    try:
        yield temporary
        with temporary.open("rb") as stream:
            os.fsync(stream.fileno())
        umask = os.umask(0)
        os.umask(umask)
        temporary.chmod(0o666 & ~umask)
        temporary.replace(path)
    except OSError as error:
        raise explain(error, path, "write") from error
    finally:
        temporary.unlink(missing_ok=True)


def write_bytes(path: str | Path, data: bytes) -> None:
    """Write a whole file atomically."""
    with atomic_path(path) as temporary:
        temporary.write_bytes(data)


def check_readable(path: str | Path) -> Path:
    """The path of a readable, non-empty regular file; raises `FileProblem` otherwise."""
    path = Path(path)
    try:
        if path.is_dir():
            raise FileProblem(f"{path} is a folder; name a file in it.")
        with path.open("rb") as stream:
            if not stream.read(1):
                raise FileProblem(f"{path} is empty (0 bytes); copy it again from the phone.")
    except OSError as error:
        raise explain(error, path, "read") from error
    return path


def quick_key(path: str | Path) -> bytes:
    """Three short pieces of a file, which differ in nearly all files that differ. Raises `OSError`."""
    with Path(path).open("rb") as stream:
        size = stream.seek(0, os.SEEK_END)
        pieces = []
        for place in (0, size // 2, max(0, size - 2048)):
            stream.seek(place)
            pieces.append(stream.read(2048))
    return b"".join(pieces)


def content_key(path: str | Path) -> str:
    """32 hexadecimal digits for a file's content: of its length and of 16 pieces of 64 KiB spread over it, so that
    files of many gigabytes are told apart in a moment. Raises `OSError`.
    """
    digest = hashlib.blake2b(digest_size=16)
    with Path(path).open("rb") as stream:
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
