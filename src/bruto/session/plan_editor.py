"""What a user does with plans: begins, opens, changes and prints them, and measures the sky for them."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.catalog import sentences, tr, trn
from bruto.errors import BrutoError
from bruto.logbook.store import Logbook
from bruto.output_planner import Outputs
from bruto.phones.card import known_phones, load_card, save_card
from bruto.phones.ranges import with_limit
from bruto.plan.examples import example
from bruto.plan.place import Place, apart_deg
from bruto.plan.planned_shots import MOST_ITEMS, Plan, PlannedShot, load_plan
from bruto.plan.recommendation import Assumption
from bruto.plan.recommendations import at_text
from bruto.plan.shot_kinds import KINDS, kind_of
from bruto.plan.shot_list import shot_list, sky_facts
from bruto.plan.sky_darkness import Darkness, darkness_of
from bruto.session.plan_calculation import DARKNESS_RANGE, PlanCalculation
from bruto.session.plan_document import PlanDocument
from bruto.session.plan_file import plans_folder
from bruto.session.plan_matches import PlanMatches
from bruto.session.plan_places import PlanPlaces
from bruto.session.shoot import Shoot
from bruto.session.workers import Post, Precedence, Worker
from bruto.storage.atomic_write import write_new

ELSEWHERE_DEG = 0.5
"""From a town of its name at which a place is another one, degrees: some fifty kilometres."""
MOST_KNOWN = 50
"""Plans whose places are offered."""


class PlanEditor:
    """The `document` with its `calculation` and `matches`; `changed`: something else is to be seen."""

    changed = Signal()
    notice = Signal(str)
    message = Signal(str)

    def __init__(self, shoot: Shoot, post: Post, book: Callable[[], Path]) -> None:
        """`book`: where the logbook lies that is learnt from."""
        self.shoot, self._book = shoot, book
        self._worker = Worker("plan", post, Precedence.PAGE)
        self._measuring = self._worker.channel("the sky's darkness", 70)
        self.places = PlanPlaces(post, shoot, self.message.emit, book)
        self._bare = False
        """Whether shots were added before anything could be recommended for them."""
        self.phones: list[tuple[str, str]] = []
        """Make and model of phones that are known."""
        self.document = PlanDocument(lambda: plans_folder(shoot.made_up), self._worker)
        self.document.shown.connect(self._learn)
        self.calculation = PlanCalculation(self.document, self._worker, book, shoot.phones.cards.get)
        self.matches = PlanMatches(self.document, shoot)
        self.document.message.connect(self.message.emit)
        self.matches.pace_found.connect(self.message.emit)
        self.calculation.changed.connect(self._calculated)
        self.calculation.darkness_found.connect(self._darkness_found)
        shoot.measured.connect(lambda _: self._taken())
        shoot.opened.connect(self._taken)

    # -- which plan

    def show_first(self) -> None:
        """Open the plan that was worked on last, where none is open; the demo's where the demo is."""
        self.calculation.wanted = True
        path = self.document.file.path
        inside = path is not None and path.parent == plans_folder(self.shoot.made_up)
        if self.document.plan is not None and (inside or not self.shoot.made_up):
            self.calculation.again()
        elif there := self.document.file.plans():
            self.document.open(there[0])
        elif self.shoot.made_up:
            self.document.begin(example())
        else:
            self.changed.emit()

    def new(self) -> None:
        """Begin a plan for today, at the place and for the phone of the last one."""
        base, today = self.document.plan, date.today().isoformat()
        if base is not None:
            self.document.begin(replace(base, name=tr("New plan"), date=today, planned_shots=(), note=""))
            return
        seen = next((s.seen for s in self.shoot.shots if s.seen and s.seen.model), None)
        make, model = (seen.make, seen.model) if seen else ("", "")
        self.document.begin(Plan(tr("New plan"), today, make=make, model=model))
        self.places.of_shots(self._placed)
        self.places.find("", lambda _: None)  # so that the list of towns is there when a name is typed

    def _placed(self, place: Place, source: str) -> None:
        """Turn a plan without a place to one that was found."""
        plan = self.document.plan
        if plan is not None and not plan.placed:
            self._turn_to(place)
            self.notice.emit(tr("Place from {source}.", source=source))

    def _turn_to(self, place: Place) -> None:
        name: dict[str, Any] = {"place": place.name} if place.name else {}
        self.document.change(
            latitude=place.latitude, longitude=place.longitude, height_m=place.height_m, zone=place.zone, **name
        )

    def delete(self) -> None:
        """Delete the plan that is shown, and show the next one."""
        self.calculation.forget()
        self.document.delete()
        if there := self.document.file.plans():
            self.document.open(there[0])
        else:
            self.changed.emit()

    def _learn(self) -> None:
        """Learn the places of other plans, and the phones."""
        self._bare = False
        self.phones = known_phones()
        plans = []
        for path in self.document.file.plans()[:MOST_KNOWN]:
            with contextlib.suppress(BrutoError, OSError):
                plans.append(load_plan(path))
        self.places.learn(plans)

    def go_to(self, label: str) -> None:
        """Turn the plan to a place that was offered.

        Parameters
        ----------
        label
            As it was offered.
        """
        if place := self.places.offered.get(label):
            self._turn_to(place)
        elif label in self.places.offered:
            self.name_place(label)

    def name_place(self, name: str) -> None:
        """Name the plan's place; where it has none yet, the town of that name is taken.

        Parameters
        ----------
        name
            What the user calls it.
        """
        self.document.settle()
        self.document.change(place=name)
        if name:
            self.places.named(name, self._named)

    def _named(self, place: Place, label: str) -> None:
        plan = self.document.plan
        if plan is None:
            return
        if not plan.placed:
            self._placed(place, tr("the largest town of this name: {label}", label=label))
        elif apart_deg(plan.where, place) > ELSEWHERE_DEG:
            self.notice.emit(
                tr(
                    "The coordinates are as before. To go to {label}, choose it in the list under the name.",
                    label=label,
                )
            )

    # -- its shots

    def add(self, kind: str) -> None:
        """Add a planned shot with all that is recommended for it.

        Parameters
        ----------
        kind
            Which kind, by its identifier.
        """
        plan, forecasts = self.document.plan, self.calculation.forecasts
        if plan is None:
            return
        if len(plan.planned_shots) >= MOST_ITEMS:
            self.message.emit(tr("A plan holds at most {most} shots. Start another one.", most=MOST_ITEMS))
            return
        known = KINDS[kind]
        self._bare = self._bare or forecasts is None
        planned = PlannedShot(known.title, kind, gear=known.gear, frames=known.frames)
        if forecasts is not None:
            planned = forecasts.with_recommendations(planned)
        planned_shots = (*plan.planned_shots, planned)
        if self.document.change(planned_shots=planned_shots):
            self.document.choose(len(planned_shots) - 1)

    def _calculated(self) -> None:
        plan, forecasts = self.document.plan, self.calculation.forecasts
        if plan is not None and forecasts is not None and self._bare:
            self._bare = False
            self.document.change(
                joined=True,
                planned_shots=tuple(
                    p if p.at or p.seconds or p.iso else forecasts.with_recommendations(p) for p in plan.planned_shots
                ),
            )
        self.changed.emit()

    def take(self, name: str) -> None:
        """Take what is recommended for a value of the chosen shot.

        Parameters
        ----------
        name
            Field of the planned shot.
        """
        offered = self.calculation.recommendations().get(name)
        if offered is not None:
            self.document.change_shot(**{name: self.stored(name, offered.value)})

    def stored(self, name: str, value: float) -> Any:
        """Return a value of a row as the planned shot holds it.

        Parameters
        ----------
        name
            Field of the planned shot.
        value
            Value shown or changed; a time as seconds since 1970, UTC.

        Returns
        -------
        Any
            Value of the field.
        """
        if name == "at":
            assert self.document.plan is not None
            return at_text(datetime.fromtimestamp(value, UTC), self.document.plan.where)
        return round(value) if name == "frames" else value

    def answer(self, assumption: Assumption, value: float) -> None:
        """Write on the phone's card what a recommendation had to assume.

        Parameters
        ----------
        assumption
            What was assumed.
        value
            What the phone offers: exposure time, seconds, or ISO speed.
        """
        plan = self.document.plan
        if plan is None or not plan.model:
            return
        phone = (plan.make, plan.model)
        card = self.shoot.phones.cards.get(phone) or load_card(*phone)
        try:
            known = with_limit(card, assumption.scale, assumption.end, value)
            save_card(known, card)
        except (BrutoError, OSError) as error:
            self.message.emit(str(error))
            return
        if phone in self.shoot.phones.cards:
            self.shoot.set_card(known)
        self.phones = known_phones()
        self.calculation.again()

    def take_all(self) -> None:
        """Take everything that is recommended for the chosen shot."""
        if self.document.planned is not None:
            self._recommend_anew(self.document.planned)

    def turn_into(self, kind: str) -> None:
        """Make the chosen shot one of another kind, with what is recommended for that.

        Parameters
        ----------
        kind
            Which kind, by its identifier.
        """
        planned = self.document.planned
        if planned is None or planned.kind == kind:
            return
        old, new = kind_of(planned.kind), kind_of(kind)
        title = new.title if planned.title == old.title else planned.title
        gear = new.gear if planned.gear == old.gear else planned.gear
        self._recommend_anew(replace(planned, kind=kind, title=title, gear=gear, support=""))

    def _recommend_anew(self, planned: PlannedShot) -> None:
        plan, forecasts = self.document.plan, self.calculation.forecasts
        if plan is None or forecasts is None:
            return
        bare = replace(
            planned, at="", iso=None, seconds=None, focal_35mm=None, interval_s=None, altitude=None, azimuth=None
        )
        some = list(plan.planned_shots)
        some[self.document.chosen] = forecasts.with_recommendations(bare)
        self.document.change(planned_shots=tuple(some))

    # -- the sky, the list, the shots taken

    def measure_darkness(self, path: Path) -> None:
        """Measure how dark the sky of a raw is, for this plan and for the shots of its place in the logbook."""
        plan, book = self.document.plan, self._book()
        if plan is None:
            return

        def work() -> tuple[Darkness, int]:
            found, noted = darkness_of(path), 0
            if plan.place and book.exists():
                with Logbook(book) as opened:
                    noted = opened.set_place(plan.place, darkness=round(found.magnitudes, 2))
            return found, noted

        def done(result: tuple[Darkness, int]) -> None:
            found, noted = result
            self.document.settle()
            self._set_darkness(found.magnitudes)
            text = tr(
                "{magnitudes:.1f} ± {error:.1f} magnitudes per square arc second: {called}.",
                magnitudes=found.magnitudes,
                error=found.error,
                called=found.called,
            )
            saved = (
                trn(
                    "Saved for {noted} shot at {place}.",
                    "Saved for {noted} shots at {place}.",
                    noted=noted,
                    place=plan.place,
                )
                if noted
                else ""
            )
            self.notice.emit(sentences(text, saved))

        self._measuring.ask(path, work, done, self.message.emit)

    def _set_darkness(self, magnitudes: float) -> None:
        least, most = DARKNESS_RANGE
        self.document.change(darkness=round(min(max(magnitudes, least), most), 2))

    def _darkness_found(self, dark: float) -> None:
        self._set_darkness(dark)
        assert self.document.plan is not None
        text = tr(
            "The sky at {place} has {dark:.1f} magnitudes per square arc second, as measured there.",
            place=self.document.plan.place,
            dark=dark,
        )
        self.notice.emit(text)

    def print_list(self, path: Path, night: bool, chosen: bool, write: Callable[[str, Any, bool], None]) -> None:
        """Write the shot list, .html or .pdf, with what each shot costs.

        Parameters
        ----------
        path
            File to write.
        night
            Whether it is red on black.
        chosen
            Whether the user chose the name in a dialog that asked about replacing what is there.
        write
            Prints a page as PDF.

        Raises
        ------
        BrutoError
            Where that cannot be done; the message says why.
        """
        plan, forecasts = self.document.plan, self.calculation.forecasts
        if plan is None:
            return
        if forecasts is not None:
            plan = replace(plan, planned_shots=tuple(forecasts.explained(w) for w in plan.planned_shots))
        page = shot_list(plan, sky_facts(plan), night)
        known = [f for s in self.shoot.shots for f in s.files]
        own = [self.document.file.path] if self.document.file.path else []
        target = Outputs([*known, *own], overwrite=chosen).file(path)
        if path.suffix.lower() == ".pdf":
            write(page, target, night)
        else:
            write_new(target, page.encode("utf-8", "surrogatepass"))
        self.notice.emit(tr("Saved {path}", path=path))

    def _taken(self) -> None:
        if self.calculation.wanted and self.document.plan is not None:
            self.matches.look()
            self.changed.emit()

    # -- its end

    def idle(self) -> bool:
        """Whether nothing is calculated or written."""
        return self._worker.idle() and self.places.worker.idle()

    def finish(self) -> None:
        """Write and end."""
        self.places.worker.close(0.2)
        self._worker.close()
        self.document.flush()
