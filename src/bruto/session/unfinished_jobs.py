"""Merging and taking in that the last window has not finished, offered again."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.storage.documents import read_as
from bruto.storage.unfinished_work import keep_unfinished, take_unfinished

KIND = "tasks"


@dataclass(frozen=True)
class ImportTask:
    """Taking in from a phone or card to a folder."""

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


class Unfinished:
    """What this window is at, by its kind; kept on the disk while it lasts."""

    def __init__(self) -> None:
        self._now: dict[str, Any] = {}

    def begin(self, kind: str, **what: Any) -> None:
        """Work of a kind has begun; `what` is needed to go on with it.

        Parameters
        ----------
        kind
            Which kind, by its identifier.
        **what
            Key of the step in the history.
        """
        self._now[kind] = what
        self._keep()

    def end(self, kind: str) -> None:
        """Return the it ended, or the user stopped it.

        Parameters
        ----------
        kind
            Which kind, by its identifier.
        """
        self._now.pop(kind, None)
        self._keep()

    def _keep(self) -> None:
        try:
            keep_unfinished(KIND, self._now)
        except (BrutoError, OSError):
            pass  # nothing of the user's is lost by it: the work can be asked for again

    def left(self) -> list[ImportTask | MergeTask]:
        """Find what earlier windows left."""
        found: list[ImportTask | MergeTask] = []
        for work in take_unfinished(KIND):
            waiting = work.get("waiting")
            sets = waiting.get("sets") if isinstance(waiting, dict) else None
            merges = [work.get("merge"), *(sets if isinstance(sets, list) else [])]
            for kind, what in (
                (ImportTask, work.get("import", work.get("take in"))),
                *((MergeTask, merge) for merge in merges),
            ):
                try:
                    found.append(read_as(kind, what))
                except BrutoError:
                    continue
        return [w for w in found if not (isinstance(w, MergeTask) and len(w.files) < 2)]
