"""The shoot that is open: its shots in sets, what was measured and said of them, and which one is current."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.phones.card import PhoneCard, learn, learn_pace, learn_report, load_card, save_card
from bruto.phones.card import offer as phone_offer
from bruto.sensor.advice import HandSteadiness, Offer, advise
from bruto.sensor.report import PictureReport, SensorReport
from bruto.shoot.folder import Intent, ShootRecord, load_record, open_shoot, pair_by_hand, save_record
from bruto.shoot.intent import Finding, check, usual
from bruto.shoot.ranking import Rank, rank
from bruto.shoot.sets import find_sets
from bruto.shoot.shots import Shot, ShotSet, read_shot
from bruto.shoot.similarity import takes_of
from bruto.shoot.verdicts import KEEP_OR_BEST
from bruto.simphone.sensor_model import MAKE, MODEL


class Shoot:
    """The shots of a folder, in sets, with what is measured and said of them, and which one is current.

    `reports`, `picture_reports` (of the phone's pictures) and `verdicts` go by the path of a shot's main file.
    """

    opened = Signal()
    current_changed = Signal()
    selection_changed = Signal()
    measured = Signal(object)
    judged = Signal(object)
    message = Signal(str)

    def __init__(self) -> None:
        self.shots: list[Shot] = []
        self.sets: list[ShotSet] = []
        self.title = ""
        self.folder = Path()
        self.paths: list[str | Path] = []
        self.record = ShootRecord()
        self.reports: dict[str, SensorReport] = {}
        self.picture_reports: dict[str, PictureReport] = {}
        self.verdicts: dict[str, str] = {}
        self.cards: dict[tuple[str, str], PhoneCard] = {}
        self.hands: dict[str, HandSteadiness] = {}
        self._cards_before: dict[tuple[str, str], PhoneCard] = {}
        self._usual = Intent()
        self._current: Shot | None = None
        self._selected: tuple[str, ...] = ()
        self.opening = 0
        """How often a shoot was opened."""

    def open(self, paths: list[str | Path], title: str = "") -> None:
        """Replace the shoot.

        Parameters
        ----------
        paths
            Files in order.
        title
            Title for people.

        Raises
        ------
        BrutoError
            Where nothing can be opened.
        """
        first = Path(paths[0])
        folder = first if first.is_dir() else first.parent
        record = load_record(folder)
        shots = open_shoot(paths, record)
        self.paths, self.folder, self.record = list(paths), folder, record
        self.title = title or self.folder.resolve().name
        self.reports, self.picture_reports, self.verdicts = {}, {}, {}
        self._current, self._selected = None, ()
        self.opening += 1
        self._take(shots)

    def _take(self, shots: list[Shot]) -> None:
        self.shots = shots
        self.sets = find_sets(shots)
        self._usual = usual(shots)
        seen = [s.seen for s in shots if s.seen and s.seen.model]
        for make, model in {(g.make, g.model) for g in seen}:
            known = self.cards.get((make, model))
            if known is None:
                known = self._cards_before[(make, model)] = load_card(make, model)
            card = learn(known, seen)
            trails = [g.shots for g in self.sets if g.kind in ("trail", "burst") and g.shots[0].seen.model == model]  # type: ignore[union-attr]
            if trails:
                longest = max(trails, key=len)
                starts = [s.taken.timestamp() for s in longest if s.taken]
                card = learn_pace(card, starts, [s.seen.exposure_s or 0.0 for s in longest if s.seen])
            self.cards[(make, model)] = card
        self.opened.emit()

    def again(self, shots: list[Shot]) -> None:
        """Read the shots again after files came or went; the current one stays current.

        Parameters
        ----------
        shots
            The shots concerned.
        """
        before = self._current
        self._current = next((s for s in shots if before is not None and s.main == before.main), None)
        self._take(shots)

    @property
    def current(self) -> Shot | None:
        """The current shot, None where no shoot is open."""
        return self._current

    def select(self, shot: Shot | None, keep: bool = False) -> None:
        """Make a shot the current one; one outside the selection becomes all of it, unless that is to be kept.

        Parameters
        ----------
        shot
            The shot concerned.
        keep
            Whether it is kept.
        """
        if shot is not self._current:
            self._current = shot
            if not keep and (shot is None or str(shot.main) not in self._selected):
                self.choose([] if shot is None else [shot])
            self.current_changed.emit()

    @property
    def selection(self) -> list[Shot]:
        """The shots that are selected, in the order of the shoot: the current one at least."""
        chosen = [s for s in self.shots if str(s.main) in self._selected]
        return chosen or ([self._current] if self._current is not None else [])

    def choose(self, shots: list[Shot]) -> None:
        """Select shots; the current one stays as it is.

        Parameters
        ----------
        shots
            The shots concerned.
        """
        new = tuple(sorted({str(s.main) for s in shots}))
        if new != self._selected:
            self._selected = new
            self.selection_changed.emit()

    def set_of(self, shot: Shot) -> ShotSet:
        """Set of.

        Parameters
        ----------
        shot
            The shot concerned.

        Returns
        -------
        ShotSet
            See `ShotSet`.
        """
        return next((s for s in self.sets if shot in s.shots or shot in s.tests), ShotSet("single", (shot,)))

    def add_file(self, path: Path) -> Shot:
        """Put a new raw (a merge result) on the list.

        Parameters
        ----------
        path
            File to read.

        Returns
        -------
        Shot
            See `Shot`.
        """
        shot = read_shot(path, None)
        self.shots = [s for s in self.shots if s.raw != path] + [shot]
        self.sets = [s for s in self.sets if s.shots[0].raw != path] + [ShotSet("single", (shot,))]
        self.opened.emit()
        return shot

    # -- what is measured and said

    def offer(self, shot: Shot) -> Offer:
        """Find what the shot's phone offers.

        Parameters
        ----------
        shot
            The shot concerned.

        Returns
        -------
        Offer
            What the shot's phone offers.
        """
        card = self.card_of(shot)
        if card is None or shot.seen is None:
            return Offer()
        seen = (card.viewfinder_ev or {}).get(shot.seen.software, [])
        usual = card.viewfinder(shot.seen.software)
        return replace(
            phone_offer(card, shot.seen), hand=self.hands.get(shot.seen.model),
            viewfinder=None if usual is None else (usual, len(seen)),
        )  # fmt: skip

    @property
    def made_up(self) -> bool:
        """Whether all that is open is of the simulated phone."""
        seen = [s.seen for s in self.shots if s.seen]
        return bool(seen) and all((s.make, s.model) == (MAKE, MODEL) for s in seen)

    def card_of(self, shot: Shot) -> PhoneCard | None:
        """Return the card of the phone that took a shot.

        Parameters
        ----------
        shot
            The shot concerned.

        Returns
        -------
        PhoneCard | None
            The card of the phone that took a shot.
        """
        return self.cards.get((shot.seen.make, shot.seen.model)) if shot.seen else None

    def keep_cards(self) -> list[str]:
        """Keep what was learnt of phones; returns what went wrong."""
        problems = []
        for key, card in self.cards.items():
            before = self._cards_before.get(key)
            if card == before:
                continue
            try:
                save_card(card, before)
                self._cards_before[key] = card
            except (BrutoError, OSError) as error:
                problems.append(str(error))
        return problems

    def set_card(self, card: PhoneCard) -> None:
        """Use a card that was changed by hand: checks and advice follow it.

        Parameters
        ----------
        card
            Card of the phone.
        """
        self.cards[(card.make, card.model)] = card
        self._advise_anew(lambda shot: self.card_of(shot) is card)

    def set_hands(self, hands: dict[str, HandSteadiness]) -> None:
        """Find what is learnt of the hand that holds each phone, by model: advice follows it.

        Parameters
        ----------
        hands
            Handheld shots of each phone model.
        """
        changed = {m for m in {*hands, *self.hands} if hands.get(m) != self.hands.get(m)}
        self.hands = hands
        if changed:
            self._advise_anew(lambda shot: shot.seen is not None and shot.seen.model in changed)

    def _advise_anew(self, concerned: Callable[[Shot], bool]) -> None:
        for shot in self.shots:
            report = self.reports.get(str(shot.main))
            if report is not None and shot.meta is not None and concerned(shot):
                self.reports[str(shot.main)] = replace(report, advice=advise(report, shot.meta, self.offer(shot)))
        if self._current is not None:
            self.measured.emit(self._current)

    def viewfinder(self, shot: Shot) -> float | None:
        """Find how early (+) or late (-) the shot's camera program warns, learnt from its shots so far, EV.

        Parameters
        ----------
        shot
            The shot concerned.

        Returns
        -------
        float | None
            How early (+) or late (-) the shot's camera program warns, learnt from its shots so far, EV.
        """
        card = self.card_of(shot)
        return card.viewfinder(shot.seen.software) if card and shot.seen else None

    def set_report(self, shot: Shot, report: SensorReport) -> None:
        """Keep a measured report, and let the phone's card learn from it.

        Parameters
        ----------
        shot
            The shot concerned.
        report
            What was measured.
        """
        self.reports[str(shot.main)] = report
        seen = shot.seen
        if seen is not None and (seen.make, seen.model) in self.cards:
            self.cards[(seen.make, seen.model)] = learn_report(self.cards[(seen.make, seen.model)], seen, report)
        self.measured.emit(shot)

    def mark_broken(self, shot: Shot, problem: str) -> None:
        """Return a raw that turned out not to be readable when it was measured.

        Parameters
        ----------
        shot
            The shot concerned.
        problem
            What is wrong, in a sentence.
        """
        broken = replace(shot, problem=problem)
        self.shots = [broken if s is shot else s for s in self.shots]
        self.sets = [replace(g, shots=tuple(broken if s is shot else s for s in g.shots)) for g in self.sets]
        self.opened.emit()

    def set_verdict(self, shot: Shot, verdict: str) -> None:
        """Remember a verdict.

        Parameters
        ----------
        shot
            The shot concerned.
        verdict
            Verdict: discard, spare, keep, best, or "" for none.
        """
        self.verdicts[str(shot.main)] = verdict
        self.judged.emit(shot)

    def findings(self, shot: Shot) -> list[Finding]:
        """Compare what was intended with what a shot recorded.

        Parameters
        ----------
        shot
            The shot concerned.

        Returns
        -------
        list[Finding]
            Where they differ.
        """
        return check(shot, self.record.intent, self._usual, self.card_of(shot) or PhoneCard("", ""))

    def ranks(self, shot: Shot) -> list[Rank]:
        """Return the takes of the shot's set, best first, once all are measured.

        Parameters
        ----------
        shot
            The shot concerned.

        Returns
        -------
        list[Rank]
            Takes of the shot's set, best first, once all are measured.
        """
        takes = [(s, self.reports[str(s.main)]) for s in self.set_of(shot).shots if str(s.main) in self.reports]
        return rank(takes) if len(takes) == len(self.set_of(shot).shots) > 1 else []

    def similar_takes(self, shot: Shot) -> list[Rank]:
        """Return the single shots of the same view as this one, best first; empty where there is no other.

        Parameters
        ----------
        shot
            The shot concerned.

        Returns
        -------
        list[Rank]
            Single shots of the same view as this one, best first.
        """
        if self.set_of(shot).kind != "single":
            return []
        single = [g.shots[0] for g in self.sets if g.kind == "single" and not g.tests]
        takes = takes_of(shot, single, self.reports)
        return rank([(s, self.reports[str(s.main)]) for s in takes]) if len(takes) > 1 else []

    def targets(self, shot: Shot, target: str) -> list[Shot]:
        """Find the shots meant by "shot", "selection", "set", "keep_or_best" or "all".

        Parameters
        ----------
        shot
            The shot concerned.
        target
            Which shots: shot, selection, set, keep_or_best or all.

        Returns
        -------
        list[Shot]
            What was found, in order.
        """
        return {
            "shot": [shot],
            "selection": self.selection,
            "set": [*self.set_of(shot).shots, *self.set_of(shot).tests],
            "keep_or_best": [s for s in self.shots if self.verdicts.get(str(s.main)) in KEEP_OR_BEST],
            "all": [s for s in self.shots if not s.problem],
        }[target]

    def ask_for(self, **changes: Any) -> None:
        """Find what was meant to be got, remembered beside the files; a problem becomes a message.

        Parameters
        ----------
        **changes
            Fields with their new values.
        """
        self.record = replace(self.record, intent=replace(self.record.intent, **changes))
        self._keep_record()

    def _keep_record(self) -> None:
        try:
            save_record(self.folder, self.record)
        except (BrutoError, OSError) as error:
            self.message.emit(str(error))

    def pair_by_hand(self, shot: Shot, picture: Path | None) -> None:
        """Correct a pairing and remember it beside the files; a problem becomes a message.

        Parameters
        ----------
        shot
            The shot concerned.
        picture
            The finished picture.
        """
        if shot.raw is None:
            return
        self.record = pair_by_hand(self.record, shot.raw, picture)
        self._keep_record()
        self.again(open_shoot(self.paths, self.record))


def shot_facts(shot: Shot) -> list[str]:
    """Return two lines under a shot's name: settings and kind, as read from the file.

    Parameters
    ----------
    shot
        The shot concerned.

    Returns
    -------
    list[str]
        Two lines under a shot's name.
    """
    if shot.problem:
        return [tr("cannot be opened"), ""]
    m = shot.seen
    if m is None:
        return ["", ""]
    exposure = ""
    if m.exposure_s:
        seconds = f"1/{1 / m.exposure_s:.0f} s" if m.exposure_s < 0.3 else f"{m.exposure_s:g} s"
        exposure = tr("ISO {iso:.0f} · {seconds}", iso=m.iso, seconds=seconds) if m.iso else seconds
    kind = {"mosaic": "raw", "linear": tr("processed raw"), "picture": tr("picture only, no raw")}[m.kind]
    if m.merged:
        kind = tr("merged, {merged}", merged=m.merged)
    elif shot.raw and shot.picture:
        kind = tr("{kind} + picture", kind=kind)
    return [exposure, kind]
