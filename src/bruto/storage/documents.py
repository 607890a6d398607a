"""Reading stored data as what it stands for: checked against types and ranges (pydantic), by one pair of functions.

`read_as` takes all or nothing. `readable` takes what can be used, value by value, and says what cannot: the user's own
words and values are worth more than a whole file in order.
"""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from bruto.catalog import tr
from bruto.storage.json_files import Damaged

T = TypeVar("T")
_MOST_ROUNDS = 200
_Path = tuple[int | str, ...]


_adapters: dict[Any, TypeAdapter[Any]] = {}


def _adapter(kind: Any) -> TypeAdapter[Any]:
    if kind not in _adapters:
        _adapters[kind] = TypeAdapter(kind)
    return _adapters[kind]


def read_as(kind: type[T], data: Any, where: str = tr("It")) -> T:
    """Read the stored data as an object of a kind.

    Parameters
    ----------
    kind
        A dataclass or pydantic model; its annotations say what is allowed. Fields it does not know are passed
        over.
    data
        Stored data.
    where
        What the data are called in the message.

    Returns
    -------
    T
        An object of the kind.

    Raises
    ------
    Damaged
        Naming the first value that cannot be used.
    """
    try:
        return _adapter(kind).validate_python(data)
    except (ValidationError, RecursionError) as error:
        raise Damaged(
            tr("{where} cannot be used: {first_problem}.", where=where, first_problem=_first_problem(error))
        ) from error


def readable(kind: type[T], data: dict[str, Any]) -> tuple[T, list[str]]:
    """Find what can be used of stored data, and what cannot, in words; never raises where each field has a default.

    A value of a list or of named values goes alone, any other with its field.

    Parameters
    ----------
    kind
        Which kind, by its identifier.
    data
        Decoded JSON.

    Returns
    -------
    tuple[T, list[str]]
        What can be used of stored data, and what cannot, in words.
    """
    known = _known(kind)
    left = {k: _copy(v) for k, v in data.items() if k in known}
    lost: list[str] = []
    for _ in range(_MOST_ROUNDS):
        try:
            return _adapter(kind).validate_python(left), lost
        except RecursionError:
            break
        except ValidationError as error:
            places = sorted({_part(e["loc"], left) for e in error.errors()}, key=str, reverse=True)
            messages = {_part(e["loc"], left): e["msg"] for e in error.errors()}
            for place in sorted(places, key=_last_first, reverse=True):
                _remove(left, place)
                lost.append(f"{' '.join(str(p) for p in place[:2])[:60]}: {messages[place][:80]}")
    return _adapter(kind).validate_python({}), [*lost, tr("its values cannot be used")]


def unknown(kind: type, data: dict[str, Any]) -> dict[str, Any]:
    """Return the fields of stored data that a kind does not know, to be written back as they are.

    Parameters
    ----------
    kind
        Which kind, by its identifier.
    data
        Decoded JSON.

    Returns
    -------
    dict[str, Any]
        Fields of stored data that a kind does not know, to be written back as they are.
    """
    known = _known(kind)
    return {k: v for k, v in data.items() if k not in known}


def _known(kind: Any) -> set[str]:
    return {f.name for f in fields(kind)} if is_dataclass(kind) else set(kind.model_fields)


def _copy(value: Any) -> Any:
    return list(value) if isinstance(value, list) else dict(value) if isinstance(value, dict) else value


def _part(loc: _Path, data: dict[str, Any]) -> _Path:
    """Return the smallest part that can go alone: an entry of a list or of named values, else the field."""
    if len(loc) > 1:
        holder = data.get(str(loc[0]))
        if isinstance(holder, list) and isinstance(loc[1], int) and loc[1] < len(holder):
            return loc[:2]
        if isinstance(holder, dict) and loc[1] in holder:
            return loc[:2]
    return loc[:1]


def _last_first(place: _Path) -> tuple[str, int]:
    """Entries of a list are removed from its end, so that places of the others stay."""
    return str(place[0]), place[1] if len(place) > 1 and isinstance(place[1], int) else -1


def _remove(data: dict[str, Any], place: _Path) -> None:
    holder = data.get(str(place[0]))
    if len(place) == 1 or not isinstance(holder, list | dict):
        data.pop(str(place[0]), None)
    elif isinstance(holder, list) and isinstance(place[1], int):
        del holder[place[1]]
    elif isinstance(holder, dict):
        holder.pop(str(place[1]), None)


def _first_problem(error: ValidationError | RecursionError) -> str:
    if isinstance(error, RecursionError):
        return tr("it is nested too deeply to be real")
    first = error.errors()[0]
    place = ".".join(str(p) for p in first["loc"])
    return f"'{place[:80]}': {first['msg']}" if place else str(first["msg"])
