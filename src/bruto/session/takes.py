"""The takes of one scene, best first: those of a set, or single shots of the same view."""

from __future__ import annotations

from bruto.session.shoot import Shoot
from bruto.shoot.ranking import Rank, rank
from bruto.shoot.shots import Shot
from bruto.shoot.similarity import takes_of


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
