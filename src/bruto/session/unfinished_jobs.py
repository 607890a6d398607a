"""Merging and importing that the last window has not finished, offered again."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.session.long_tasks import KEPT
from bruto.storage.documents import read_as
from bruto.storage.unfinished_work import take_unfinished

IMPORT, MERGE = "import", "merge"
"""Kinds of task that are offered again."""


@dataclass(frozen=True)
class ImportTask:
    """Importing from a phone or card to a folder."""

    source: Path
    folder: Path

    @property
    def text(self) -> str:
        """A sentence that says what did not finish."""
        return tr("Importing from {name} did not finish.", name=self.source.name)


@dataclass(frozen=True)
class MergeTask:
    """A merge of files by a method to an output."""

    files: tuple[Path, ...]
    method: str
    output: Path
    choices: dict[str, bool | float | list[dict[str, Any]]] = field(default_factory=dict)

    @property
    def text(self) -> str:
        """A sentence that says what did not finish."""
        return tr(
            "Merging {files_count} frames to {name} did not finish.", files_count=len(self.files), name=self.output.name
        )


_READ_AS = {IMPORT: ImportTask, MERGE: MergeTask}


def _rows(work: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    """List kind and description of stored work; before there was one list, each kind had a key of its own."""
    tasks, waiting = work.get("tasks"), work.get("waiting")
    for row in tasks if isinstance(tasks, list) else ():
        if isinstance(row, dict):
            yield str(row.get("kind")), {k: v for k, v in row.items() if k != "kind"}
    yield IMPORT, work.get("import", work.get("take in"))
    yield MERGE, work.get("merge")
    sets = waiting.get("sets") if isinstance(waiting, dict) else None
    for row in sets if isinstance(sets, list) else ():
        yield MERGE, row


def unfinished_jobs() -> list[ImportTask | MergeTask]:
    """Find what earlier windows left; what cannot be read is passed over."""
    found: list[ImportTask | MergeTask] = []
    for work in take_unfinished(KEPT):
        for kind, what in _rows(work):
            try:
                if kind in _READ_AS:
                    found.append(read_as(_READ_AS[kind], what))
            except BrutoError:
                continue
    return [w for w in found if not (isinstance(w, MergeTask) and len(w.files) < 2)]
