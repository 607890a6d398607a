"""Taking files in from a phone or card: copied and verified, what is already there skipped, nothing deleted."""

from __future__ import annotations

import hashlib
import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from bruto.container.dng_reader import is_raw
from bruto.container.picture import is_picture
from bruto.errors import BrutoError, Cancelled, FileProblem
from bruto.files import atomic_path, content_key, explain
from bruto.shoot.pairing import CLIPS

_PIECE = 1 << 20


@dataclass
class TakenIn:
    """`copied`: new files; `skipped`: sources that are there already; `failed`: source and why."""

    copied: list[Path] = field(default_factory=list)
    skipped: list[Path] = field(default_factory=list)
    failed: list[tuple[Path, str]] = field(default_factory=list)


def files_to_take(source: Path) -> list[Path]:
    """Raws, pictures and clips below a folder, in order of name. Raises `FileProblem`."""
    if not source.is_dir():
        raise FileProblem(f"{source} is not a folder; choose the phone's or card's folder of pictures.")
    found = []
    for folder, folders, names in os.walk(source):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in sorted(names):
            path = Path(folder) / name
            if not name.startswith(".") and (is_raw(path) or is_picture(path) or path.suffix.lower() in CLIPS):
                found.append(path)
    return found


def take_in(
    source: Path,
    folder: Path,
    progress: Callable[[float, str], None] = lambda share, text: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> TakenIn:
    """Copy what is not yet in `folder`; every copy is read back and compared before it gets its name.

    A file of the same content under any name counts as there. A name that another file has gets a number. Raises
    `FileProblem` where source or folder cannot be used at all; trouble with one file is noted in `failed`.
    """
    wanted = files_to_take(source)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        there = {content_key(p) for p in folder.iterdir() if p.is_file() and not p.name.startswith(".")}
        total = sum(p.stat().st_size for p in wanted)
        free = shutil.disk_usage(folder).free
    except OSError as error:
        raise explain(error, folder, "take files into") from error
    result = TakenIn()
    done = 0
    for path in wanted:
        if cancelled():
            raise Cancelled("Taking in was stopped; what was copied is whole and stays.")
        try:
            size = path.stat().st_size
            key = content_key(path)
            if key in there:
                result.skipped.append(path)
            else:
                if size > free:
                    raise FileProblem(
                        f"there is no room for it on the disk of {folder}; free some space and try again."
                    )
                result.copied.append(_copy_verified(path, _free_name(folder, path.name)))
                there.add(key)
                free -= size
        except OSError as error:
            result.failed.append((path, str(explain(error, path, "copy"))))
        except BrutoError as error:
            result.failed.append((path, str(error)))
        else:
            done += size
        progress(done / max(total, 1), path.name)
    return result


def _free_name(folder: Path, name: str) -> Path:
    path, k = folder / name, 2
    while path.exists():
        path = folder / f"{Path(name).stem}-{k}{Path(name).suffix}"
        k += 1
    return path


def _digest(path: Path) -> str:
    digest = hashlib.blake2b()
    with path.open("rb") as stream:
        while piece := stream.read(_PIECE):
            digest.update(piece)
    return digest.hexdigest()


def _copy_verified(source: Path, target: Path) -> Path:
    digest = hashlib.blake2b()
    with atomic_path(target) as temporary:
        with source.open("rb") as stream, temporary.open("wb") as out:
            while piece := stream.read(_PIECE):
                digest.update(piece)
                out.write(piece)
            out.flush()
            os.fsync(out.fileno())
        if _digest(temporary) != digest.hexdigest():
            raise FileProblem(f"{source}: the copy differs from the original; check the card or cable and try again.")
        state = source.stat()
        os.utime(temporary, ns=(state.st_atime_ns, state.st_mtime_ns))
    return target
