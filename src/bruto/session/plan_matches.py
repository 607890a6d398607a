"""What became of a plan: the shots of the open shoot laid on it while they come in."""

from __future__ import annotations

import contextlib
from datetime import datetime, timedelta

from psygnal import Signal

from bruto.plan.plan_vs_actual import PlanMatch, matched
from bruto.plan.plan_vs_actual import TakenShot as Taken
from bruto.plan.planned_shots import Plan
from bruto.session.plan_document import PlanDocument
from bruto.session.shoot import Shoot

LASTS = timedelta(days=1, hours=14)
"""From the beginning of a plan's date to the end of its night."""


class PlanMatches:
    """`pace_found`: what is wrong with the interval of a sequence, while it can still be mended."""

    pace_found = Signal(str)

    def __init__(self, document: PlanDocument, shoot: Shoot) -> None:
        """Lay a shoot on a document.

        Parameters
        ----------
        document
            The plan.
        shoot
            The shoot that is open.
        """
        self.document, self.shoot = document, shoot
        self._paces: dict[str, str] = {}
        self._matches: list[PlanMatch] = []
        self._matches_of: tuple[Plan, int] | None = None
        self._shots_seen = 0
        document.shown.connect(lambda: self._paces.clear())

    def look(self) -> None:
        """Look again, as another shot was measured."""
        self._shots_seen += 1
        for each in self.found():
            if each.pace and each.pace != self._paces.get(each.planned.title):
                self._paces[each.planned.title] = each.pace
                self.pace_found.emit(f"{each.planned.title}: {each.pace}")

    def found(self) -> list[PlanMatch]:
        """Match the shoot with the plan, where any shot was taken on its day or night; else empty.

        During a drag it is what it was before: thousands of shots are not laid on it at each move.
        """
        plan = self.document.plan
        if plan is None:
            return []
        if self.document.joined and len(self._matches) in (0, len(plan.planned_shots)):
            return self._matches
        if self._matches_of != (plan, self._shots_seen):
            some = self._shots_of_the_day(plan)
            self._matches = matched(plan, some) if some else []
            self._matches_of = plan, self._shots_seen
        return self._matches

    def _shots_of_the_day(self, plan: Plan) -> list[Taken]:
        begin = datetime.fromisoformat(plan.date)
        some = []
        for shot in self.shoot.shots:
            seen = shot.seen
            if seen is None or seen.merged or not seen.taken_iso:
                continue
            with contextlib.suppress(ValueError):
                if begin <= datetime.fromisoformat(seen.taken_iso) < begin + LASTS:
                    some.append(Taken(shot.main.stem, seen.iso, seen.exposure_s, seen.focal_35mm, seen.taken_iso))
        return some
