"""The takes of one scene, best first: those of a set, or single shots of the same view."""

from __future__ import annotations

from collections.abc import Sequence

from bruto.session.shoot import Shoot
from bruto.shoot.ranking import Rank, rank
from bruto.shoot.shots import Shot
from bruto.shoot.similarity import SAME_VIEW, likeness, takes_of


def best_of_set(shoot: Shoot, shot: Shot) -> list[Rank]:
    """Return the takes of the shot's set, best first, once all are measured.

    Parameters
    ----------
    shoot
        The open shoot.
    shot
        The shot concerned.

    Returns
    -------
    list[Rank]
        Takes of the shot's set, best first, once all are measured.
    """
    takes = [(s, shoot.reports[str(s.main)]) for s in shoot.set_of(shot).shots if str(s.main) in shoot.reports]
    return rank(takes) if len(takes) == len(shoot.set_of(shot).shots) > 1 else []


def same_scene(shoot: Shoot, shots: Sequence[Shot]) -> list[Shot]:
    """Return those of some shots that show what the first of them shows: of its set, or of the same view.

    Parameters
    ----------
    shoot
        The open shoot.
    shots
        Shots that are compared.

    Returns
    -------
    list[Shot]
        The first, and those of its scene.
    """
    of_set, reports = shoot.set_of(shots[0]).shots, [shoot.reports.get(str(s.main)) for s in shots]
    own = reports[0]
    return [
        shot
        for shot, report in zip(shots, reports, strict=True)
        if shot in of_set or (own is not None and report is not None and likeness(own, report) >= SAME_VIEW)
    ]


def best_of_similar(shoot: Shoot, shot: Shot) -> list[Rank]:
    """Return the single shots of the same view as this one, best first; empty where there is no other.

    Parameters
    ----------
    shoot
        The open shoot.
    shot
        The shot concerned.

    Returns
    -------
    list[Rank]
        Single shots of the same view as this one, best first.
    """
    if shoot.set_of(shot).kind != "single":
        return []
    single = [g.shots[0] for g in shoot.sets if g.kind == "single" and not g.tests]
    takes = takes_of(shot, single, shoot.reports)
    return rank([(s, shoot.reports[str(s.main)]) for s in takes]) if len(takes) > 1 else []
