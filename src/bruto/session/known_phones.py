"""The phones of the open shots: their cards, which learn from the shots, and what their owner's hand does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from bruto.errors import BrutoError
from bruto.phones.card import PhoneCard, load_card, save_card
from bruto.phones.card_learning import learn, learn_pace, learn_report
from bruto.phones.card_learning import offer as phone_offer
from bruto.sensor.advice import HandSteadiness, Offer
from bruto.sensor.report import SensorReport
from bruto.shoot.shots import Shot, ShotSet


class KnownPhones:
    """`cards` by make and model; `hands`: how steady each phone is held, by model."""

    def __init__(self) -> None:
        self.cards: dict[tuple[str, str], PhoneCard] = {}
        self.hands: dict[str, HandSteadiness] = {}
        self._before: dict[tuple[str, str], PhoneCard] = {}

    def learn_from(self, shots: Sequence[Shot], sets: Sequence[ShotSet]) -> None:
        """Let the cards learn what the shots show of their phones.

        Parameters
        ----------
        shots
            All shots of the shoot.
        sets
            Its sets: the longest trail or burst of a phone tells how fast it takes one shot after the other.
        """
        seen = [s.seen for s in shots if s.seen and s.seen.model]
        for make, model in {(g.make, g.model) for g in seen}:
            known = self.cards.get((make, model))
            if known is None:
                known = self._before[(make, model)] = load_card(make, model)
            card = learn(known, seen)
            trails = [g.shots for g in sets if g.kind in ("trail", "burst") and g.shots[0].seen.model == model]  # type: ignore[union-attr]
            if trails:
                longest = max(trails, key=len)
                starts = [s.taken.timestamp() for s in longest if s.taken]
                card = learn_pace(card, starts, [s.seen.exposure_s or 0.0 for s in longest if s.seen])
            self.cards[(make, model)] = card

    def learn_report(self, shot: Shot, report: SensorReport) -> None:
        """Let the phone's card learn what was measured of a shot.

        Parameters
        ----------
        shot
            The shot concerned.
        report
            What was measured.
        """
        seen = shot.seen
        if seen is not None and (seen.make, seen.model) in self.cards:
            self.cards[(seen.make, seen.model)] = learn_report(self.cards[(seen.make, seen.model)], seen, report)

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

    def keep(self) -> list[str]:
        """Keep what was learnt of phones; returns what went wrong."""
        problems = []
        for key, card in self.cards.items():
            before = self._before.get(key)
            if card == before:
                continue
            try:
                save_card(card, before)
                self._before[key] = card
            except (BrutoError, OSError) as error:
                problems.append(str(error))
        return problems

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
