"""The shoot that is open: its shots in sets, what was measured and said of them, and which one is current."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.phones.card import PhoneCard
from bruto.sensor.advice import HandSteadiness, advise
from bruto.sensor.report import PictureReport, SensorReport
from bruto.session.known_phones import KnownPhones
from bruto.shoot.folder import Intent, ShootRecord, load_record, open_shoot, pair_by_hand, save_record
from bruto.shoot.intent import Finding, check, usual
from bruto.shoot.sets import find_sets
from bruto.shoot.shots import Shot, ShotSet
from bruto.shoot.timeless import is_timeless, with_timeless
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
        self.phones = KnownPhones()
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
        self.sets = with_timeless(find_sets(shots), self.reports)
        self._usual = usual(shots)
        self.phones.learn_from(shots, self.sets)
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
        """Find the set that a shot belongs to.

        Parameters
        ----------
        shot
            A frame of the set, or one of its test shots.

        Returns
        -------
        ShotSet
            The set; one of kind "single" where the shot stands alone.
        """
        return next((s for s in self.sets if shot in s.shots or shot in s.tests), ShotSet("single", (shot,)))

    # -- what is measured and said

    @property
    def made_up(self) -> bool:
        """Whether all that is open is of the simulated phone."""
        seen = [s.seen for s in self.shots if s.seen]
        return bool(seen) and all((s.make, s.model) == (MAKE, MODEL) for s in seen)

    def set_card(self, card: PhoneCard) -> None:
        """Use a card that was changed by hand: checks and advice follow it.

        Parameters
        ----------
        card
            Card of the phone.
        """
        self.phones.cards[(card.make, card.model)] = card
        self._advise_anew(lambda shot: self.phones.card_of(shot) is card)

    def set_hands(self, hands: dict[str, HandSteadiness]) -> None:
        """Set how steady the hand with each phone is, by model: advice follows it.

        Parameters
        ----------
        hands
            Handheld shots of each phone model.
        """
        before = self.phones.hands
        changed = {m for m in {*hands, *before} if hands.get(m) != before.get(m)}
        self.phones.hands = hands
        if changed:
            self._advise_anew(lambda shot: shot.seen is not None and shot.seen.model in changed)

    def _advise_anew(self, concerned: Callable[[Shot], bool]) -> None:
        for shot in self.shots:
            report = self.reports.get(str(shot.main))
            if report is not None and shot.meta is not None and concerned(shot):
                advice = advise(report, shot.meta, self.phones.offer(shot))
                self.reports[str(shot.main)] = replace(report, advice=advice)
        if self._current is not None:
            self.measured.emit(self._current)

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
        self.phones.learn_report(shot, report)
        self.measured.emit(shot)
        if is_timeless(shot) and all(str(s.main) in self.reports for s in self.shots if is_timeless(s)):
            sets = with_timeless(find_sets(self.shots), self.reports)
            if sets != self.sets:
                self.sets = sets
                self.opened.emit()

    def mark_broken(self, shot: Shot, problem: str) -> None:
        """Mark a raw that turned out not to be readable when it was measured.

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
        return check(shot, self.record.intent, self._usual, self.phones.card_of(shot) or PhoneCard("", ""))

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
        """Set what was meant to be got, remembered beside the files; a problem becomes a message.

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
