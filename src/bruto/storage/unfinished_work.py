"""Long work that was not finished: kept on the disk by each running program, offered again by the next one.

One file for each program and kind of work; those of programs that are gone are taken over, each by one program.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import platformdirs

from bruto.errors import BrutoError
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.json_files import json_bytes, read_json
from bruto.storage.temporary_files import process_gone, process_mark


def _folder(kind: str) -> Path:
    return Path(platformdirs.user_state_dir("bruto")) / kind


def keep_unfinished(kind: str, work: dict[str, Any]) -> None:
    """Keep what this program is doing; an empty object when it is done.

    Parameters
    ----------
    kind
        Which kind, by its identifier.
    work
        What to call.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    place = _folder(kind) / f"{process_mark()}.json"
    if not work:
        place.unlink(missing_ok=True)
        return
    own_folder(place.parent)
    write_own(place, json_bytes(work))


def take_unfinished(kind: str) -> list[dict[str, Any]]:
    """Find what programs that are gone have not finished; what cannot be read is left out.

    Parameters
    ----------
    kind
        Which kind, by its identifier.

    Returns
    -------
    list[dict[str, Any]]
        What programs that are gone have not finished.
    """
    found = []
    try:
        places = sorted(_folder(kind).glob("*.json"))
    except OSError:
        return []
    for place in places:
        if not process_gone(place.stem):
            continue
        try:
            work = read_json(place)
            place.unlink()
        except (BrutoError, OSError):
            continue
        found.append(work)
    return found
