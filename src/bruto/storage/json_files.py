"""The one reader of stored JSON: regular files only, of a sane size, with numbers and depth that are sane too."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from bruto.catalog import tr
from bruto.errors import FileProblem
from bruto.storage.safe_read import read_bounded

LARGEST_JSON = 16 << 20
"""Bytes; a sidecar with 200 steps of history has some hundreds of kilobytes."""
DEEPEST = 40
"""Levels of lists and objects in each other; ours have six."""


class Damaged(FileProblem):
    """A stored file whose content cannot be used, in difference to one that cannot be read at this moment."""


def read_json(path: str | Path, limit: int = LARGEST_JSON) -> dict[str, Any]:
    """Read the object in a JSON file.

    Parameters
    ----------
    path
        File to read.
    limit
        Largest number.

    Returns
    -------
    dict[str, Any]
        The object in a JSON file.

    Raises
    ------
    FileProblem
        Where it is no JSON object of a sane form.
    Damaged
        Where it is no JSON object of a sane form.
    """
    return parse_json(read_bounded(path, limit), str(path))


def json_bytes(data: Any) -> bytes:
    """Return data as a JSON file holds it: a value a line, so that people can read it and see what changed.

    Parameters
    ----------
    data
        Objects, lists, texts and numbers.

    Returns
    -------
    bytes
        UTF-8 text.
    """
    return json.dumps(data, indent=1).encode() + b"\n"


def parse_json(data: bytes, where: str) -> dict[str, Any]:
    """Parse the object in JSON text.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    where
        Name of the structure for messages.

    Returns
    -------
    dict[str, Any]
        The object in JSON text.

    Raises
    ------
    Damaged
        Which names `where`.
    """
    try:
        found = json.loads(data.decode("utf-8"), parse_constant=str, parse_float=_number, parse_int=_integer)
    except (ValueError, RecursionError) as error:
        raise Damaged(tr("{where} is damaged: {plain}.", where=where, plain=_plain(error))) from error
    if not isinstance(found, dict):
        raise Damaged(tr("{where} is damaged: it is not a JSON object.", where=where))
    if _too_deep(found):
        raise Damaged(tr("{where} is nested too deeply to be real and is left unchanged.", where=where))
    return found


def _plain(error: Exception) -> str:
    if isinstance(error, json.JSONDecodeError):
        return tr("it is not JSON from line {lineno} on", lineno=error.lineno)
    if isinstance(error, UnicodeDecodeError):
        return tr("it is not text from byte {start} on", start=error.start)
    if isinstance(error, RecursionError):
        return tr("it is nested too deeply to be real")
    return str(error) or tr("it is not JSON")


def _too_deep(found: Any) -> bool:
    """Whether lists and objects lie deeper in each other than `DEEPEST`."""
    level = [found]
    for _ in range(DEEPEST):
        level = [
            child
            for item in level
            for child in (item.values() if isinstance(item, dict) else item)
            if isinstance(child, dict | list)
        ]
        if not level:
            return False
    return True


def _number(text: str) -> float | str:
    """Read a number; one that is too large stays text, so that only the value it stands for is refused."""
    value = float(text)
    return value if math.isfinite(value) else text


def _integer(text: str) -> int | str:
    return int(text) if len(text) <= 20 else text
