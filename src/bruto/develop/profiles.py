"""Which camera profile a recipe asks for, and what it brings for a light."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.color_model import calibration_weights
from bruto.container.profile import CameraProfile, HueSatMap, read_profile
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError

OWN, MATRIX = "own", "matrix"
"""The file's own profile with everything it brings; its colour matrices alone."""


def choices(meta: RawMeta) -> list[tuple[str, str]]:
    """Find what a recipe's `profile` may be for a file: its value and how it is called, the file's own first.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    list[tuple[str, str]]
        What a recipe's `profile` may be for a file.
    """
    own = meta.profiles[0] if meta.profiles else None
    found = [
        (
            OWN,
            tr("the file's own: {name}", name=own.name)
            if own is not None and own.holds
            else tr("the file's own matrices"),
        )
    ]
    if own is not None and own.holds:
        found.append((MATRIX, tr("only the file's matrices")))
    found += [(p.name, tr("in the file: {name}", name=p.name)) for p in meta.profiles[1:]]
    return found


def chosen(meta: RawMeta, choice: str) -> tuple[CameraProfile | None, str]:
    """Return the profile of a choice, and what went wrong.

    Where it cannot be had, the file's own is used and said so.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    choice
        What the recipe asks for.

    Returns
    -------
    tuple[CameraProfile | None, str]
        The profile of a choice, and what went wrong.
    """
    own = meta.profiles[0] if meta.profiles else None
    if choice == MATRIX:
        return None, ""
    if choice == OWN:
        return own, ""
    named = next((p for p in meta.profiles if p.name == choice), None)
    if named is not None:
        return named, ""
    try:
        path = Path(choice)
        return _read(choice, path.stat().st_mtime_ns), ""
    except (OSError, ValueError):
        return own, tr(
            "The profile {choice} no longer exists. The file's own is used until you choose another.", choice=choice
        )
    except BrutoError as error:
        return own, tr("{error} The file's own profile is used.", error=error)


@lru_cache(maxsize=16)
def _read(path: str, changed_ns: int) -> CameraProfile:
    return read_profile(path)


def with_profile(meta: RawMeta, profile: CameraProfile | None) -> RawMeta:
    """Return the file's facts under a profile.

    Its calibrations where it has any, its offset of the baseline exposure.

    The unit's own calibration of the file is dropped with the matrices that it belongs to.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    profile
        Camera profile.

    Returns
    -------
    RawMeta
        The file's facts under a profile.
    """
    if profile is None or (meta.profiles and profile is meta.profiles[0]):
        return meta
    baseline = meta.baseline_exposure - (meta.profiles[0].baseline_offset if meta.profiles else 0.0)
    return replace(
        meta,
        calibrations=profile.calibrations or meta.calibrations,
        baseline_exposure=baseline + profile.baseline_offset,
    )


def hue_sat_for(profile: CameraProfile, meta: RawMeta, neutral: NDArray[Any]) -> HueSatMap | None:
    """Return the profile's hue and saturation map for a camera neutral.

    Those of its illuminants mixed as their matrices are (DNG 1.7, chapter 6, "Hue/Saturation/Value Mapping
    Table").

    Parameters
    ----------
    profile
        Camera profile.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    neutral
        Camera neutral, green = 1.

    Returns
    -------
    HueSatMap | None
        The profile's hue and saturation map for a camera neutral.
    """
    maps = profile.hue_sat
    if not maps:
        return None
    calibrations = profile.calibrations or meta.calibrations
    if len(maps) == 1 or len(maps) != len(calibrations) or len({m.table.shape for m in maps}) > 1:
        return maps[0]
    weights = calibration_weights(replace(meta, calibrations=calibrations), neutral)
    mixed = sum(w * m.table for w, m in zip(weights, maps, strict=True))
    return HueSatMap(np.asarray(mixed, np.float32), maps[0].encoding)
