"""What can be compared of a shot, and what makes each side of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from bruto.catalog import tr
from bruto.compare.sources import Side, side_of, side_of_pixels
from bruto.develop.recipe import Recipe
from bruto.session.compared_pair import (
    CORRECTED,
    DEFAULTS,
    MATCHED,
    OTHER,
    PHONE,
    PREVIEW,
    VERSION,
    SourceChoice,
)
from bruto.session.open_shots import OpenShots
from bruto.session.phone_look import PhoneLookSearch
from bruto.session.shoot import Shoot
from bruto.shoot.shots import oriented_preview

Wells = tuple[tuple[str, str], tuple[str, str]]
"""Kind and name of what stands in the first and the second well."""


class SideSources:
    """What can stand in the two wells of a comparison: sides of the shown shot, and other shots.

    `guests`: shots that were brought here from anywhere in the shoot, by their paths.
    """

    def __init__(self, opened: OpenShots, shoot: Shoot, phone: PhoneLookSearch) -> None:
        self.opened, self.shoot, self.phone = opened, shoot, phone
        self.guests: list[str] = []

    def choices(self) -> list[SourceChoice]:
        """Find what may be compared of the shown shot, and the other shots that are selected with it or in its set."""
        shot, edit = self.opened.shot, self.opened.edit
        if shot is None or edit is None:
            return []
        raw = shot.raw is not None
        found = [SourceChoice(CORRECTED, "", tr("the raw, corrected") if raw else tr("the picture, corrected"))]
        found.append(SourceChoice(DEFAULTS, "", tr("the raw, default values") if raw else tr("the picture, unchanged")))
        if self.phone.matched is not None and self.phone.of == shot.main:
            found.append(SourceChoice(MATCHED, "", tr("the raw, with the phone's look")))
        found += [SourceChoice(VERSION, name, tr("version {name}", name=name)) for name in edit.sidecar.versions]
        if raw and shot.picture is not None:
            found.append(SourceChoice(PHONE, "", tr("the phone's picture")))
        if shot.preview is not None:
            found.append(SourceChoice(PREVIEW, "", tr("the embedded preview")))
        near = [s for s in self.shoot.selection if s.main != shot.main and not s.problem]
        near += [s for s in self.shoot.shots if str(s.main) in self.guests and s not in near and s.main != shot.main]
        near += [s for s in self.shoot.set_of(shot).shots if s.main != shot.main and s not in near and not s.problem]
        best = max(
            (s for s in (shot, *near) if str(s.main) in self.shoot.reports),
            key=lambda s: self.shoot.reports[str(s.main)].sharpest or 0.0, default=None,
        )  # fmt: skip
        for s in near[:24]:
            sharpest = tr(", the sharpest of these") if s is best and len(near) > 1 else ""
            found.append(SourceChoice(OTHER, str(s.main), f"{s.name}{sharpest}"))
        return found

    def settled(self, chosen: Wells) -> Wells:
        """Give wells that hold what this shot does not have what it has.

        Parameters
        ----------
        chosen
            Kind and name of what is to stand in both.

        Returns
        -------
        Wells
            Kind and name of what stands in both.
        """
        known = {(c.kind, c.name) for c in self.choices()}
        usual = [(CORRECTED, ""), next((w for w in ((PHONE, ""), (PREVIEW, ""), (DEFAULTS, "")) if w in known), None)]
        wells = [w if w in known else u for w, u in zip(chosen, usual, strict=True)]
        if wells[0] == wells[1]:
            wells[1] = next((w for w in (usual[1], (DEFAULTS, "")) if w != wells[0]), wells[1])
        return (wells[0] or (CORRECTED, ""), wells[1] or (DEFAULTS, ""))

    def recipe_of(self, kind: str, name: str) -> Recipe | None:
        """Return the values of a side of the shown shot; None where its file is finished.

        Parameters
        ----------
        kind
            What a side is: corrected, defaults, phone, preview, matched, version or shot.
        name
            Name as the user sees it.

        Returns
        -------
        Recipe | None
            The values of a side of the shown shot.
        """
        edit = self.opened.edit
        assert edit is not None
        if kind == VERSION:
            return edit.versions.get(name) or edit.recipe
        if kind == MATCHED and self.phone.matched is not None:
            return self.phone.recipe()
        if kind == DEFAULTS:
            return Recipe()
        return edit.recipe if kind == CORRECTED else None

    def maker(self, kind: str, name: str) -> Callable[[Recipe], Side]:
        """Find what makes a side under a push, for the thread that renders.

        Parameters
        ----------
        kind
            What a side is: corrected, defaults, phone, preview, matched, version or shot.
        name
            Name as the user sees it.

        Returns
        -------
        Callable[[Recipe], Side]
            What makes a side under a push, for the thread that renders.
        """
        shot, developer = self.opened.shot, self.opened.developer
        assert shot is not None
        if kind == PHONE:
            path = shot.picture
            assert path is not None
            return lambda push: side_of(path, None, push)
        if kind == PREVIEW:
            return lambda push: side_of_pixels(shot.main, np.ascontiguousarray(oriented_preview(shot)), push)
        if kind == OTHER:
            values, other = self.opened.values(), Path(name)
            decoded = self.opened.opened(other)
            return lambda push: side_of(other, values(other), push, decoded)
        recipe = self.recipe_of(kind, name)
        main = shot.main
        if kind == DEFAULTS and shot.raw is None:
            return lambda push: side_of(main, None, push)
        return lambda push: side_of(main, recipe, push, developer)
