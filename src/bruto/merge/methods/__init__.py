"""The merge methods, in the order in which they are offered. One more: its file here, and a line below."""

from __future__ import annotations

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.merge.methods.bracket import BRACKET
from bruto.merge.methods.clipped_mean import CLIPPED
from bruto.merge.methods.long_exposure import LIGHTEN, LONG, LONG_ALL
from bruto.merge.methods.mean import MEAN
from bruto.merge.methods.median import MEDIAN
from bruto.merge.methods.method import Method
from bruto.merge.methods.starfield import SKY
from bruto.merge.methods.trails import TRAILS

METHODS: tuple[Method, ...] = (MEAN, MEDIAN, CLIPPED, BRACKET, TRAILS, SKY, LONG, LONG_ALL, LIGHTEN)


def commands() -> dict[str, list[Method]]:
    """Methods by their command; the first one of a command is what it does unless asked otherwise."""
    found: dict[str, list[Method]] = {}
    for method in METHODS:
        found.setdefault(method.command, []).append(method)
    return found


def method_of(key: str, command: str = "") -> Method:
    """Return a method by its key, of a command where one is named.

    Parameters
    ----------
    key
        Identifier.
    command
        Merge command: noise, exposure, long, trails or sky.

    Returns
    -------
    Method
        A method by its key, of a command where one is named.

    Raises
    ------
    BrutoError
        Where there is none.
    """
    found = [m for m in METHODS if not command or m.command == command]
    for method in found:
        if method.key == key:
            return method
    raise BrutoError(tr("The merge methods are {key}, not '{key2}'.", key=" or ".join(m.key for m in found), key2=key))
