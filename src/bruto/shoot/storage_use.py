"""How much storage shots take, and what a longer sequence would need."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from statistics import median

from bruto.catalog import clauses, tr, trn
from bruto.shoot.shots import Shot, ShotSet


@dataclass(frozen=True)
class StorageUse:
    """Bytes of raws, pictures, clips and double copies, and the number of each shot's mean."""

    raws: int
    pictures: int
    clips: int
    doubles: int
    raw_count: int
    picture_count: int

    @property
    def total(self) -> int:
        """All bytes."""
        return self.raws + self.pictures + self.clips + self.doubles


def _length(path: Path | None) -> int:
    try:
        return path.stat().st_size if path else 0
    except OSError:
        return 0


def space_of(shots: list[Shot]) -> StorageUse:
    """Find what shots take on the disk.

    Parameters
    ----------
    shots
        The shots concerned.

    Returns
    -------
    StorageUse
        What shots take on the disk.
    """
    return StorageUse(
        sum(_length(s.raw) for s in shots),
        sum(_length(s.picture) for s in shots),
        sum(_length(s.clip) for s in shots),
        sum(_length(d) for s in shots for d in s.doubles),
        sum(s.raw is not None for s in shots),
        sum(s.picture is not None for s in shots),
    )


def needed(group: ShotSet, count: int) -> int:
    """Compute the bytes that `count` shots like those of a set need, raw and picture together.

    Parameters
    ----------
    group
        Identifier of the group of fields.
    count
        Number of shots.

    Returns
    -------
    int
        Bytes that `count` shots like those of a set need, raw and picture together.
    """
    sizes = [_length(s.raw) + _length(s.picture) for s in group.shots]
    return round(median(sizes) * count) if sizes else 0


def size_text(count: float) -> str:
    """Return the bytes in words.

    Parameters
    ----------
    count
        Bytes.

    Returns
    -------
    str
        Bytes in words.

    Examples
    --------
    >>> size_text(15_437_879), size_text(2.4e9)
    ('15.4 MB', '2.40 GB')
    """
    for limit, unit, digits in ((1e3, "B", 0), (1e6, "kB", 0), (1e9, "MB", 1), (1e12, "GB", 2)):
        if count < limit:
            return f"{count / (limit / 1e3):.{digits}f} {unit}"
    return tr("{count:.2f} TB", count=count / 1000000000000.0)


def space_text(space: StorageUse) -> str:
    """Return one line on the storage of a shoot.

    Parameters
    ----------
    space
        Identifier of the output space.

    Returns
    -------
    str
        One line on what a shoot takes of the disk.

    Examples
    --------
    >>> space_text(StorageUse(10_000_000, 2_000_000, 0, 0, 1, 1))
    '12.0 MB: 1 raw 10.0 MB, 1 picture 2.0 MB; a raw takes 5.0 times its picture'
    """
    parts = []
    if space.raw_count:
        raws = size_text(space.raws)
        parts.append(trn("{count} raw {size}", "{count} raws {size}", count=space.raw_count, size=raws))
    if space.picture_count:
        pictures = size_text(space.pictures)
        parts.append(trn("{count} picture {size}", "{count} pictures {size}", count=space.picture_count, size=pictures))
    if space.clips:
        parts.append(tr("clips {size}", size=size_text(space.clips)))
    if space.doubles:
        parts.append(tr("duplicates {size}", size=size_text(space.doubles)))
    text = f"{size_text(space.total)}: " + ", ".join(parts)
    if space.raw_count and space.picture_count and space.pictures:
        ratio = (space.raws / space.raw_count) / (space.pictures / space.picture_count)
        text = clauses(text, tr("a raw takes {ratio:.1f} times its picture", ratio=ratio))
    return text
