"""The plan that is open: its planned shots with what is recommended and forecast, the sky, and what was taken."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import asdict, replace
from datetime import UTC, date, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.catalog import sentences, tr
from bruto.errors import BrutoError
from bruto.logbook.store import Logbook
from bruto.output_planner import Outputs
from bruto.phones.card import PhoneCard, known_phones
from bruto.plan.almanac import Spot, moon, pole, star, sun
from bruto.plan.alternatives import Alternative, alternatives_of
from bruto.plan.equipment import Equipment
from bruto.plan.examples import example
from bruto.plan.forecast import ShotForecast, forecast_of
from bruto.plan.night import Span
from bruto.plan.place import Place
from bruto.plan.plan_vs_actual import PlanMatch, matched
from bruto.plan.plan_vs_actual import TakenShot as Taken
from bruto.plan.planned_shots import MOST_ITEMS, Plan, PlannedShot, load_plan, plan_from
from bruto.plan.recommendations import (
    Recommendation,
    aim_of,
    at_text,
    moment_of,
    recommended,
    target_of,
    with_recommendations,
)
from bruto.plan.shot_kinds import KINDS, TARGETS, kind_of
from bruto.plan.shot_list import shot_list, sky_facts
from bruto.plan.sky_darkness import Darkness, darkness_of
from bruto.session.equipment import equipment_of
from bruto.session.plan_file import PlanFile, plans_folder
from bruto.session.shoot import Shoot
from bruto.session.simulated_preview import Sky, picture_of, sky_of
from bruto.session.workers import Post, Worker
from bruto.simphone.preview import SimulatedPreview
from bruto.storage.atomic_write import write_new

MOST_KNOWN = 50
"""Plans whose places are offered."""
MOST_FORECASTS = 1000
"""Wishes whose price is remembered."""
MOST_STEPS = 200
"""Changes that can be taken back."""
LEAST_SHOWN_S = 300.0
"""For which a block stands on the axis at least, so that it can be taken hold of."""


class PlanEditor:
    """`changed`: something else is to be seen; `previewed`: the picture of the chosen shot is another one."""

    changed = Signal()
    previewed = Signal()
    notice = Signal(str)
    message = Signal(str)

    def __init__(self, shoot: Shoot, post: Post, book: Callable[[], Path]) -> None:
        """`book`: where the logbook lies that is learnt from."""
        self.shoot, self._book = shoot, book
        self._worker = Worker("plan", post)
        self._calculating = self._worker.channel("the sky", 50)
        self._knowing = self._worker.channel("the phone", 60)
        self._picturing = self._worker.channel("the picture", 90)
        self._measuring = self._worker.channel("the sky's darkness", 70)
        self._keeping = self._worker.channel("writing the plan", 40)
        self.plan: Plan | None = None
        self.file = PlanFile(lambda: plans_folder(shoot.made_up))
        self.chosen = 0
        self.places: dict[str, Place] = {}
        """Places of other plans, by their names."""
        self.phones: list[tuple[str, str]] = []
        """Make and model of phones that are known."""
        self.sky: Sky | None = None
        self.means = Equipment()
        self.picture: SimulatedPreview | None = None
        self.picture_of: PlannedShot | None = None
        """The planned shot that the picture is of."""
        self.problem = ""
        """Why the sky or the picture is not there."""
        self.unsaved = ""
        self.wanted = False
        """Whether a page shows it: nothing is calculated before."""
        self._back: list[Plan] = []
        self._forward: list[Plan] = []
        self._joined = False
        self._paces: dict[str, str] = {}
        self._forecasts: dict[PlannedShot, ShotForecast] = {}
        """What planned shots cost under this sky and with these means: they are asked for at each move of a hand."""
        self._matches: list[PlanMatch] = []
        self._matches_of: tuple[Plan, int] | None = None
        self._shots_seen = 0
        shoot.measured.connect(lambda _: self._taken())
        shoot.opened.connect(self._taken)

    # -- which plan

    @property
    def path(self) -> Path | None:
        """The file of the plan."""
        return self.file.path

    def plans(self) -> list[Path]:
        """Plans that were made, the one that was changed last first."""
        return self.file.plans()

    def show_first(self) -> None:
        """Open the plan that was worked on last, where none is open; the demo's where the demo is."""
        self.wanted = True
        inside = self.path is not None and self.path.parent == plans_folder(self.shoot.made_up)
        if self.plan is not None and (inside or not self.shoot.made_up):
            self.again()
            return
        there = self.plans()
        if there:
            self.open(there[0])
        elif self.shoot.made_up:
            self.begin(example())
        else:
            self.changed.emit()

    def new(self) -> None:
        """Begin a plan for today, at the place and for the phone of the last one."""
        base, today = self.plan, date.today().isoformat()
        seen = next((s.seen for s in self.shoot.shots if s.seen and s.seen.model), None)
        make, model = (seen.make, seen.model) if seen else ("", "")
        if base is not None:
            fresh = replace(base, name=tr("New plan"), date=today, planned_shots=(), note="")
            self.begin(fresh)
        else:
            self.begin(Plan(tr("New plan"), today, make=make, model=model))

    def begin(self, plan: Plan) -> None:
        """Keep a new plan in a file of its own and show it.

        Parameters
        ----------
        plan
            The plan.
        """
        self.flush()
        try:
            self.file.begin(plan)
        except (BrutoError, OSError) as error:
            self.message.emit(str(error))
            return
        self._show(plan)

    def open(self, path: Path) -> None:
        """Show a plan of a file; a problem becomes a message."""
        self.flush()
        try:
            plan = self.file.open(path)
        except (BrutoError, OSError) as error:
            self.message.emit(str(error))
            return
        self._show(plan)

    def _show(self, plan: Plan) -> None:
        self.plan, self.chosen = plan, 0
        self._back, self._forward, self._joined = [], [], False
        self.unsaved = ""
        self._forecasts.clear()
        self._paces.clear()
        self.sky, self.picture, self.picture_of = None, None, None
        self.places, self.phones = self._known_places(), known_phones()
        self.again()

    def _known_places(self) -> dict[str, Place]:
        """Places of other plans, by their names."""
        found: dict[str, Place] = {}
        for path in self.plans()[:MOST_KNOWN]:
            with contextlib.suppress(BrutoError, OSError):
                plan = load_plan(path)
                if plan.place and (plan.latitude or plan.longitude):
                    found.setdefault(plan.place, plan.where)
        return found

    def go_to(self, name: str) -> None:
        """Turn the plan to a place that another plan knows.

        Parameters
        ----------
        name
            Name as the user sees it.
        """
        place = self.places.get(name)
        if place is not None:
            self.change(
                place=name, latitude=place.latitude, longitude=place.longitude, height_m=place.height_m, zone=place.zone
            )

    def delete(self) -> None:
        """Delete the plan that is shown, and show the next one."""
        self._keeping.forget()
        self.plan = self.sky = self.picture = self.picture_of = None
        try:
            self.file.delete()
        except BrutoError as error:
            self.message.emit(str(error))
        there = self.plans()
        if there:
            self.open(there[0])
        else:
            self.changed.emit()

    # -- changing it

    @property
    def planned(self) -> PlannedShot | None:
        """The planned shot that is chosen."""
        if self.plan is None or not 0 <= self.chosen < len(self.plan.planned_shots):
            return None
        return self.plan.planned_shots[self.chosen]

    def choose(self, index: int) -> None:
        """Choose a planned shot by its number.

        Parameters
        ----------
        index
            Position in the list.
        """
        if index != self.chosen:
            self.chosen, self._joined = index, False
            self.changed.emit()
            self._simulate()

    def change(self, joined: bool = False, **fields: Any) -> bool:
        """Return the change fields of the plan; Whether it was taken: what cannot be real becomes a message.

        Parameters
        ----------
        joined
            With the change before as one step.
        **fields
            Fields of the card with their values.

        Returns
        -------
        bool
            Change fields of the plan.
        """
        if self.plan is None:
            return False
        wanted = replace(self.plan, **fields)
        if wanted == self.plan:
            return True
        try:
            plan_from(asdict(wanted))
        except BrutoError as error:
            self.message.emit(str(error))
            self.changed.emit()
            return False
        if not (joined and self._joined):
            self._back = [*self._back, self.plan][-MOST_STEPS:]
        self._joined, self._forward = joined, []
        self._take(wanted)
        return True

    def change_shot(self, joined: bool = False, **fields: Any) -> bool:
        """Return the change fields of the chosen shot.

        Parameters
        ----------
        joined
            Whether it joins the last step of undo.
        **fields
            Fields of the card with their values.

        Returns
        -------
        bool
            Change fields of the chosen shot.
        """
        planned = self.planned
        if self.plan is None or planned is None:
            return False
        some = list(self.plan.planned_shots)
        some[self.chosen] = replace(planned, **fields)
        return self.change(joined, planned_shots=tuple(some))

    def settle(self) -> None:
        """Return a drag has ended: the next change is a step of its own, and shots are laid on the plan again."""
        if self._joined:
            self._joined = False
            self.changed.emit()

    def add(self, kind: str) -> None:
        """Add a planned shot with all that is proposed for it.

        Parameters
        ----------
        kind
            Which kind, by its identifier.
        """
        if self.plan is None:
            return
        if len(self.plan.planned_shots) >= MOST_ITEMS:
            self.message.emit(tr("A plan holds at most {MOST_ITEMS} shots. Start another one.", MOST_ITEMS=MOST_ITEMS))
            return
        known = KINDS[kind]
        planned = PlannedShot(known.title, kind, gear=known.gear, frames=known.frames)
        if self.sky is not None:
            planned = with_recommendations(planned, self.plan, self.means, self.sky.facts)
        planned_shots = (*self.plan.planned_shots, planned)
        if self.change(planned_shots=planned_shots):
            self.choose(len(planned_shots) - 1)

    def remove(self) -> None:
        """Take the chosen shot out of the plan."""
        if self.plan is not None and self.planned is not None:
            planned_shots = tuple(w for k, w in enumerate(self.plan.planned_shots) if k != self.chosen)
            self.chosen = max(0, min(self.chosen, len(planned_shots) - 1))
            self.change(planned_shots=planned_shots)

    def take(self, name: str) -> None:
        """Take what is proposed for a value of the chosen shot.

        Parameters
        ----------
        name
            Name as the user sees it.
        """
        offered = self.recommendations().get(name)
        if offered is not None and self.plan is not None:
            self.change_shot(**{name: self.stored(name, offered.value)})

    def stored(self, name: str, value: float) -> Any:
        """Return a value of a row as the planned shot holds it.

        Parameters
        ----------
        name
            Name as the user sees it.
        value
            Value shown or changed.

        Returns
        -------
        Any
            A value of a row as the planned shot holds it.
        """
        if name == "at":
            assert self.plan is not None
            return at_text(datetime.fromtimestamp(value, UTC), self.plan.where)
        return round(value) if name == "frames" else value

    def take_all(self) -> None:
        """Take everything that is proposed for the chosen shot."""
        if self.planned is not None:
            self._propose_anew(self.planned)

    def turn_into(self, kind: str) -> None:
        """Make the chosen shot one of another kind, with what is proposed for that.

        Parameters
        ----------
        kind
            Which kind, by its identifier.
        """
        planned = self.planned
        if planned is None or planned.kind == kind:
            return
        old, new = kind_of(planned.kind), kind_of(kind)
        title = new.title if planned.title == old.title else planned.title
        self._propose_anew(
            replace(
                planned, kind=kind, title=title, gear=new.gear if planned.gear == old.gear else planned.gear, support=""
            )
        )

    def _propose_anew(self, planned: PlannedShot) -> None:
        if self.plan is None or self.sky is None:
            return
        bare = replace(
            planned, at="", iso=None, seconds=None, focal_35mm=None, interval_s=None, altitude=None, azimuth=None
        )
        some = list(self.plan.planned_shots)
        some[self.chosen] = with_recommendations(bare, self.plan, self.means, self.sky.facts)
        self.change(planned_shots=tuple(some))

    def undo(self) -> None:
        """Take the last change back."""
        if self._back and self.plan is not None:
            self._forward.append(self.plan)
            self._step_to(self._back.pop())

    def redo(self) -> None:
        """Do again what was taken back."""
        if self._forward and self.plan is not None:
            self._back.append(self.plan)
            self._step_to(self._forward.pop())

    def _step_to(self, plan: Plan) -> None:
        self._joined = False
        self.chosen = max(0, min(self.chosen, len(plan.planned_shots) - 1))
        self._take(plan)

    def _take(self, plan: Plan) -> None:
        before, self.plan = self.plan, plan
        if (
            before is None
            or replace(before, planned_shots=()) != replace(plan, planned_shots=())
            or len(self._forecasts) > MOST_FORECASTS
        ):
            self._forecasts.clear()
        self._keeping.ask("plan", partial(self.file.write, plan), self._written, self._not_written)
        if before is None or _seen_by_sky(before) != _seen_by_sky(plan) or self.sky is None:
            self.again()
        else:
            self.changed.emit()
            self._simulate()

    # -- keeping it

    def _written(self, _: object) -> None:
        self.unsaved = ""

    def _not_written(self, why: str) -> None:
        if why != self.unsaved:
            self.unsaved = why
            self.message.emit(why)

    def flush(self) -> None:
        """Write what is not written yet."""
        if self.plan is not None and not self.file.is_saved(self.plan):
            self._keeping.forget()
            try:
                self.file.write(self.plan)
            except (BrutoError, OSError) as error:
                self._not_written(str(error))

    def finish(self) -> None:
        """Write and end."""
        self._worker.close()
        self.flush()

    # -- what is calculated

    def again(self) -> None:
        """Calculate anew what the sky does and what is known of the phone."""
        self.changed.emit()
        if self.plan is None or not self.wanted:
            return
        plan, book = self.plan, self._book()
        card = self.shoot.cards.get((plan.make, plan.model))
        self._knowing.ask("phone", partial(self._know, plan, book, card), self._known, self._failed)
        self._calculating.ask("sky", partial(sky_of, plan), self._calculated, self._failed)

    @staticmethod
    def _know(plan: Plan, book: Path, card: PhoneCard | None) -> tuple[Equipment, float | None]:
        """Find what is known of the phone, and of the place's sky."""
        dark = None
        if plan.place and plan.darkness is None and book.exists():
            with contextlib.suppress(BrutoError), Logbook(book) as opened:
                dark = opened.darkness(plan.place)
        return equipment_of(plan.make, plan.model, book, card), dark

    def _known(self, found: tuple[Equipment, float | None]) -> None:
        means, dark = found
        if dark is not None and self.plan is not None and self.plan.darkness is None:
            self.change(darkness=min(max(dark, 10.0), 23.0))
            self.notice.emit(
                tr(
                    "The sky at {place} has {dark:.1f} magnitudes per square arc second, as measured there.",
                    place=self.plan.place,
                    dark=dark,
                )
            )
        if means != self.means:
            self.means = means
            self._forecasts.clear()
            self.changed.emit()
            self._simulate()

    def _calculated(self, sky: Sky) -> None:
        self.sky, self.problem = sky, ""
        self._forecasts.clear()
        self.changed.emit()
        self._simulate()

    def _failed(self, why: str) -> None:
        self.problem = why
        self.changed.emit()

    def recommendations(self) -> dict[str, Recommendation]:
        """Find what is proposed for the chosen shot; empty until the sky is calculated."""
        if self.plan is None or self.planned is None or self.sky is None:
            return {}
        try:
            return recommended(self.planned, self.plan, self.means, self.sky.facts)
        except BrutoError as error:
            self.problem = str(error)
            return {}

    def forecast(self, planned: PlannedShot | None = None) -> ShotForecast | None:
        """Find what a planned shot, else the chosen one, costs.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        ShotForecast | None
            What a planned shot, else the chosen one, costs.
        """
        planned = planned or self.planned
        if self.plan is None or planned is None or self.sky is None:
            return None
        if planned not in self._forecasts:
            try:
                self._forecasts[planned] = forecast_of(planned, self.plan, self.means, self.sky.facts)
            except BrutoError:
                return None
        return self._forecasts[planned]

    def alternatives(self) -> list[Alternative]:
        """Other ways to take what the chosen shot is for."""
        if self.plan is None or self.planned is None or self.sky is None:
            return []
        try:
            return alternatives_of(self.planned, self.plan, self.means, self.sky.facts)
        except BrutoError:
            return []

    def _simulate(self) -> None:
        planned = self.planned
        if self.plan is None or planned is None or self.sky is None:
            self._picturing.forget()
            self.picture = self.picture_of = None
            self.previewed.emit()
            return
        work = partial(picture_of, planned, self.plan, self.means, self.sky.facts)
        self._picturing.ask("picture", work, partial(self._pictured, planned), self._not_pictured)

    def _pictured(self, planned: PlannedShot, picture: SimulatedPreview) -> None:
        self.picture, self.picture_of = picture, planned
        self.previewed.emit()

    def _not_pictured(self, why: str) -> None:
        self.picture, self.picture_of, self.problem = None, None, why
        self.previewed.emit()

    def idle(self) -> bool:
        """Whether nothing is calculated or written."""
        return self._worker.idle()

    def span_of(self, planned: PlannedShot) -> Span | None:
        """Find when a planned shot begins and ends, UTC; None where it is not known.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        Span | None
            When a planned shot begins and ends, UTC.
        """
        if self.plan is None:
            return None
        try:
            begin = moment_of(planned, self.plan.where)
        except BrutoError:
            return None
        if begin is None:
            return None
        forecast = self.forecast(planned)
        lasts = max(forecast.seconds if forecast is not None else 0.0, 1.0)
        return begin, begin + timedelta(seconds=lasts)

    def spot(self, moment: datetime) -> dict[str, Spot]:
        """Find where sun, moon and target are at a moment.

        Parameters
        ----------
        moment
            Point in time, with time zone.

        Returns
        -------
        dict[str, Spot]
            Where sun, moon and target are at a moment.
        """
        if self.plan is None:
            return {}
        where, aim = self.plan.where, target_of(self.plan.target)
        name = TARGETS[self.plan.target][0] if self.plan.target in TARGETS else tr("Target")
        found = {"Sun": sun(where, moment), "Moon": moon(where, moment)}
        found[name] = pole(where) if aim is None else star(*aim)(where, moment)
        return found

    def measure_darkness(self, path: Path) -> None:
        """Measure how dark the sky of a raw is, for this plan and for the shots of its place in the logbook."""
        if self.plan is None:
            return
        place, book = self.plan.place, self._book()

        def work() -> tuple[Darkness, int]:
            found, noted = darkness_of(path), 0
            if place and book.exists():
                with Logbook(book) as opened:
                    noted = opened.set_place(place, darkness=round(found.magnitudes, 2))
            return found, noted

        def done(result: tuple[Darkness, int]) -> None:
            found, noted = result
            self.settle()
            self.change(darkness=round(min(max(found.magnitudes, 10.0), 23.0), 2))
            text = tr(
                "{magnitudes:.1f} ± {error:.1f} magnitudes per square arc second: {called}.",
                magnitudes=found.magnitudes,
                error=found.error,
                called=found.called,
            )
            self.notice.emit(
                sentences(text, tr("Saved for {noted} shots at {place}.", noted=noted, place=place) if noted else "")
            )

        self._measuring.ask(path, work, done, self.message.emit)

    # -- what became of it

    def _taken(self) -> None:
        """Return a shot was measured: what is wrong with the interval.

        A fault in a sequence is reported while it can still be mended.
        """
        self._shots_seen += 1
        if not self.wanted or self.plan is None:
            return
        for each in self.matches():
            if each.pace and each.pace != self._paces.get(each.planned.title):
                self._paces[each.planned.title] = each.pace
                self.message.emit(f"{each.planned.title}: {each.pace}")
        self.changed.emit()

    def print_list(self, path: Path, night: bool, chosen: bool, write: Callable[[str, Any, bool], None]) -> None:
        """Write the list as a page,.html or.pdf, with what each shot costs.

        One that is there is replaced where its whole name was `chosen`.

        Parameters
        ----------
        path
            File to read.
        night
            Whether the frames are a night on a tripod.
        chosen
            Whether the user chose the name in a dialog that asked about replacing it.
        write
            Prints a page as PDF.

        Raises
        ------
        BrutoError
            Where that cannot be done; the message says why.
        """
        if self.plan is None:
            return
        notice = replace(self.plan, planned_shots=tuple(self._explained(w) for w in self.plan.planned_shots))
        page = shot_list(notice, sky_facts(self.plan), night)
        known = [f for s in self.shoot.shots for f in s.files]
        target = Outputs([*known, *([self.path] if self.path else [])], overwrite=chosen).file(path)
        if path.suffix.lower() == ".pdf":
            write(page, target, night)
        else:
            write_new(target, page.encode("utf-8", "surrogatepass"))
        self.notice.emit(tr("Saved {path}", path=path))

    def _explained(self, planned: PlannedShot) -> PlannedShot:
        """Return a planned shot with what it costs, and why its time is so where it is as proposed."""
        forecast = self.forecast(planned)
        if self.plan is None or self.sky is None or forecast is None:
            return planned
        got = recommended(planned, self.plan, self.means, self.sky.facts)
        why = got["seconds"].reason if got["seconds"].value == planned.seconds else ""
        aim = aim_of(planned, got) if "altitude" in got else None
        return replace(
            planned, forecast=planned.forecast or forecast.text()[:400],
            reason=planned.reason or why[:1].upper() + why[1:],
            altitude=aim.altitude if aim else None, azimuth=aim.azimuth if aim else None,
        )  # fmt: skip

    def matches(self) -> list[PlanMatch]:
        """Shots of the open shoot laid on the plan, where any was taken on its day or night; else empty.

        During a drag it is what it was before: thousands of shots are not laid on it at each move.
        """
        if self.plan is None:
            return []
        if self._joined and len(self._matches) in (0, len(self.plan.planned_shots)):
            return self._matches
        if self._matches_of != (self.plan, self._shots_seen):
            some = self._shots_of_the_day(self.plan)
            self._matches = matched(self.plan, some) if some else []
            self._matches_of = self.plan, self._shots_seen
        return self._matches

    def _shots_of_the_day(self, plan: Plan) -> list[Taken]:
        begin = datetime.fromisoformat(plan.date)
        end = begin + timedelta(days=1, hours=14)
        some = []
        for shot in self.shoot.shots:
            seen = shot.seen
            if seen is None or seen.merged or not seen.taken_iso:
                continue
            with contextlib.suppress(ValueError):
                if begin <= datetime.fromisoformat(seen.taken_iso) < end:
                    some.append(Taken(shot.main.stem, seen.iso, seen.exposure_s, seen.focal_35mm, seen.taken_iso))
        return some


def _seen_by_sky(plan: Plan) -> tuple[Any, ...]:
    """Find what the sky and the means depend on."""
    return (
        plan.date, plan.latitude, plan.longitude, plan.height_m, plan.zone, plan.target, plan.facade, plan.make,
        plan.model,
    )  # fmt: skip
