"""What a DNG says is to be done to its pixels: the lists of operations, sorted by where they act."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from bruto.catalog import tr
from bruto.container.corrections import KNOWN, Correction, parse_correction
from bruto.container.dng_values import tag_value
from bruto.container.opcodes import GAIN_MAP, NAMES, OPTIONAL, parse_gain_map, parse_opcodes
from bruto.container.raw_frame import GainMap
from bruto.container.warps import (
    TRIM_BOUNDS,
    VIGNETTE,
    WARP_FISHEYE,
    WARP_RECTILINEAR,
    WARP_RECTILINEAR_2,
    Vignette,
    Warp,
    parse_trim,
    parse_vignette,
    parse_warp,
)
from bruto.errors import FileProblem


@dataclass
class _Operations:
    """What the three opcode lists hold."""

    maps: list[GainMap] = field(default_factory=list)
    codes: list[Correction] = field(default_factory=list)
    light: list[Correction] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    warps: list[Warp] = field(default_factory=list)
    vignettes: list[Vignette] = field(default_factory=list)
    trimmed: tuple[int, int, int, int] | None = None


def _opcodes(page: Any, warnings: list[str]) -> _Operations:
    """Return the parsed lists.

    Unknown optional operations are left out with a warning; unknown required ones raise `FileProblem`.
    """
    found = _Operations()
    for number, tag in ((1, 51008), (2, 51009), (3, 51022)):
        data = tag_value(page, tag)
        if data is None:
            continue
        where = tr("opcode list {number}", number=number)
        for opcode, flags, body in parse_opcodes(bytes(data), where):
            name = NAMES.get(opcode, f"opcode {opcode}")
            found.names.append(tr("list {number}: {name}", number=number, name=name))
            if opcode == GAIN_MAP and number == 2:
                found.maps.append(parse_gain_map(body, where))
            elif opcode in KNOWN and number < 3:
                (found.codes if number == 1 else found.light).append(parse_correction(opcode, body, where))
            elif opcode in (WARP_RECTILINEAR, WARP_FISHEYE, WARP_RECTILINEAR_2) and number == 3:
                found.warps.append(parse_warp(opcode, body, where))
            elif opcode == VIGNETTE and number > 1:
                found.vignettes.append(parse_vignette(body, where))
            elif opcode == TRIM_BOUNDS:
                found.trimmed = parse_trim(body, where)
            elif flags & OPTIONAL:
                warnings.append(
                    tr("{name} in {where} is not used; the file marks it as optional.", name=name, where=where)
                )
            elif opcode in NAMES:
                warnings.append(
                    tr(
                        "{name} in {where} is not supported yet; the picture may show what it would correct.",
                        name=name,
                        where=where,
                    )
                )
            else:
                raise FileProblem(
                    tr(
                        "{where} requires {name}, which Bruto does not know; without it the picture would be "
                        "wrong. A newer "
                        "version may read it.",
                        where=where,
                        name=name,
                    )
                )
    return found


def _preview(tif: Any, pages: list[Any], raw: Any, size: int) -> tuple[bytes | None, tuple[int, int] | None]:
    """Return the largest embedded JPEG preview."""
    best, best_size = None, None
    for page in pages:
        if page is raw or int(page.compression) not in (7, 6) or int(tag_value(page, 254, 0)) not in (1, 0x10001):
            continue
        if len(page.dataoffsets) != 1 or page.dataoffsets[0] + page.databytecounts[0] > size:
            continue
        if best_size is None or page.imagewidth * page.imagelength > best_size[0] * best_size[1]:
            tif.filehandle.seek(page.dataoffsets[0])
            best = tif.filehandle.read(page.databytecounts[0])
            best_size = (int(page.imagewidth), int(page.imagelength))
    return best, best_size
