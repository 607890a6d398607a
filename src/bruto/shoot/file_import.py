"""Taking files in from a phone or card: copied and verified, what is already there skipped, nothing deleted."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from bruto.catalog import items, tr, trn
from bruto.container.dng_reader import is_raw
from bruto.container.picture import is_picture
from bruto.errors import BrutoError, Cancelled, FileProblem
from bruto.output_planner import Outputs
from bruto.shoot.pairing import CLIPS
from bruto.storage.atomic_write import Target, published
from bruto.storage.safe_read import FileAction, explain, open_regular, whole_digest

_PIECE = 1 << 20


@dataclass
class ImportResult:
    """What became of the files of an import."""

    copied: list[Path] = field(default_factory=list)
    """New files."""
    skipped: list[Path] = field(default_factory=list)
    """Sources that are there already."""
    failed: list[tuple[Path, str]] = field(default_factory=list)
    """Source and why."""


def files_to_import(source: Path) -> list[Path]:
    """Return the raws, pictures and clips below a folder, in order of name; links are not followed.

    Parameters
    ----------
    source
        Folder of the phone or card.

    Returns
    -------
    list[Path]
        Raws, pictures and clips below a folder, in order of name.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    if not source.is_dir():
        raise FileProblem(
            tr("{source} is not a folder. Choose the folder of pictures on the phone or card.", source=source)
        )
    found = []
    for folder, folders, names in os.walk(source):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in sorted(names):
            path = Path(folder) / name
            if not name.startswith(".") and (is_raw(path) or is_picture(path) or path.suffix.lower() in CLIPS):
                found.append(path)
    return found


class _There:
    """What is in the folder already, by length first.

    Contents are compared whole, as only they prove that a file need not be copied.
    """

    def __init__(self, folder: Path) -> None:
        self._by_length: dict[int, list[Path]] = {}
        self._digests: dict[Path, str] = {}
        try:
            with os.scandir(folder) as found:
                entries = list(found)
        except OSError as error:
            raise explain(error, folder, FileAction.IMPORT_TO) from error
        for entry in entries:
            try:
                if not entry.name.startswith(".") and entry.is_file():
                    self.add(Path(entry.path), entry.stat().st_size)
            except OSError:
                continue  # links in a circle, files that went meanwhile

    def add(self, path: Path, length: int) -> None:
        self._by_length.setdefault(length, []).append(path)

    def holds(self, path: Path, length: int) -> bool:
        """Whether a file with every byte the same is there."""
        near = self._by_length.get(length, [])
        if not near:
            return False
        own = whole_digest(path)
        return any(self._digest(other) == own for other in near)

    def _digest(self, path: Path) -> str:
        if path not in self._digests:
            try:
                self._digests[path] = whole_digest(path)
            except (BrutoError, OSError):
                self._digests[path] = ""  # what cannot be read is no copy
        return self._digests[path]


def import_files(
    source: Path,
    folder: Path,
    progress: Callable[[float, str], None] = lambda share, text: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> ImportResult:
    """Copy what is not yet in `folder`; every copy is read back and compared before it gets its name.

    A file with the same bytes under any name counts as there. A name that another file has gets a number.

    Parameters
    ----------
    source
        Folder of the phone or card.
    folder
        Folder concerned.
    progress
        Called with the share done, 0 to 1, and what is being done.
    cancelled
        Returns whether to stop.

    Returns
    -------
    ImportResult
        See `ImportResult`.

    Raises
    ------
    FileProblem
        Where source or folder cannot be used at all, `Cancelled` when stopped (what was copied stays); trouble
        with one file is noted in `failed` and never stops the others.
    """
    wanted = files_to_import(source)
    if not folder.is_dir():  # it is not made: it may be on a card that was taken out
        raise FileProblem(
            tr("Cannot import into {folder}: it does not exist. Was a card or disk removed?", folder=folder)
        )
    there = _There(folder)
    outputs = Outputs()
    total = 0
    for path in wanted:
        with contextlib.suppress(OSError):
            total += path.stat().st_size
    result = ImportResult()
    done = 0
    for path in wanted:
        if cancelled():
            raise Cancelled(tr("Import stopped. Copied files are complete and stay."))
        try:
            size = path.stat().st_size
            if there.holds(path, size):
                result.skipped.append(path)
            else:
                if size > shutil.disk_usage(folder).free:
                    raise FileProblem(
                        tr("the disk of {folder} is full. Free some storage and try again.", folder=folder)
                    )
                target = outputs.in_folder(folder, path.name)
                result.copied.append(_copy_verified(path, target, cancelled))
                there.add(target.path, size)
            done += size
        except OSError as error:
            result.failed.append((path, str(explain(error, path, FileAction.COPY))))
        except Cancelled:
            raise
        except BrutoError as error:
            result.failed.append((path, str(error)))
        progress(min(1.0, done / max(total, 1)), path.name)
    return result


def _copy_verified(source: Path, target: Target, cancelled: Callable[[], bool]) -> Path:
    digest = hashlib.blake2b()
    with published(target) as temporary:
        with open_regular(source) as stream, temporary.open("wb") as out:
            while piece := stream.read(_PIECE):
                if cancelled():
                    raise Cancelled(tr("Import stopped. Copied files are complete and stay."))
                digest.update(piece)
                out.write(piece)
            out.flush()
            os.fsync(out.fileno())
            state = os.fstat(stream.fileno())
            os.posix_fadvise(out.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)  # read back from the disk where it can be
        if whole_digest(temporary) != digest.hexdigest():
            raise FileProblem(
                tr(
                    "{source}: the copy differs from the original. Check the card or cable and try again.",
                    source=source,
                )
            )
        os.utime(temporary, ns=(state.st_atime_ns, state.st_mtime_ns))
    return target.path


def outcome_text(result: ImportResult) -> str:
    """Say what came of an import.

    Parameters
    ----------
    result
        The outcome.

    Returns
    -------
    str
        What was copied, what was there already and what failed.
    """
    text = trn(
        "{copied_count} file copied and verified, {skipped_count} already there",
        "{copied_count} files copied and verified, {skipped_count} already there",
        copied_count=len(result.copied),
        skipped_count=len(result.skipped),
    )
    if result.failed:
        text = items(
            text,
            tr("{failed_count} failed: {failed}", failed_count=len(result.failed), failed=result.failed[0][1]),
        )
    return tr("{text}. Nothing was deleted.", text=text)
