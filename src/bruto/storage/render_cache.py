"""What was made of files and can be made again, kept in the user's cache: suggested recipes, small pictures.

Entries belong to one version of the code that makes them, given by its text, so that no number has to be raised when it
changes; those of other versions are swept away.
"""

from __future__ import annotations

import contextlib
import hashlib
import re
import shutil
from functools import cache
from pathlib import Path

import platformdirs

import bruto
from bruto.errors import BrutoError
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.safe_read import read_bounded

MAKERS = ("color", "container", "sensor", "develop")
"""Packages whose code decides what a developed picture looks like."""
VERSION = re.compile("[0-9a-f]{16}")
LARGEST = 4 << 20
"""Bytes of an entry."""


@cache
def makers() -> str:
    """16 hexadecimal digits for the code that makes pictures."""
    digest = hashlib.blake2b(digest_size=8)
    root = Path(bruto.__file__).parent
    for package in MAKERS:
        for file in sorted((root / package).rglob("*.py")):
            digest.update(file.read_bytes())
    return digest.hexdigest()


def _folder(kind: str) -> Path:
    return Path(platformdirs.user_cache_dir("bruto")) / "made" / kind / makers()


def load(kind: str, key: str) -> bytes | None:
    """Read an entry, None where there is none or it cannot be read.

    Parameters
    ----------
    kind
        Which kind, by its identifier.
    key
        Hexadecimal digits.

    Returns
    -------
    bytes | None
        An entry, None where there is none or it cannot be read.
    """
    try:
        return read_bounded(_folder(kind) / key[:2] / key, LARGEST)
    except (BrutoError, OSError):
        return None


def store(kind: str, key: str, data: bytes) -> None:
    """Keep an entry; a full disk or a missing folder is no reason to fail.

    Parameters
    ----------
    kind
        Which kind, by its identifier.
    key
        Identifier.
    data
        Bytes as stored in the file.
    """
    with contextlib.suppress(BrutoError, OSError):
        folder = _folder(kind)
        if not folder.is_dir() and folder.parent.is_dir():
            for old in folder.parent.iterdir():
                if VERSION.fullmatch(old.name):  # and nothing else that may lie there
                    shutil.rmtree(old, ignore_errors=True)
        own_folder(folder / key[:2])
        write_own(folder / key[:2] / key, data, durable=False)
