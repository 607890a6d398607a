"""Which take of a set or of near-duplicates is best, and why."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bruto.catalog import tr
from bruto.sensor.report import SensorReport
from bruto.shoot.shots import Shot


@dataclass(frozen=True)
class Rank:
    """`place` from 1."""

    shot: Shot
    place: int
    score: float
    """Larger is better, in stops or so."""
    reasons: tuple[str, ...]
    """Why, in words with numbers."""


def rank(takes: list[tuple[Shot, SensorReport]]) -> list[Rank]:
    """Return the takes of one scene, best first: sharp, nothing lost, enough light, in that weight.

    Sharpness counts as log2 of the sharpest tenth's detail over the best take's, a movement as its length over 1.5
    px in stops, what is clipped in all channels by its share, light by the noise at grey.

    Parameters
    ----------
    takes
        Shots with what was measured of them.

    Returns
    -------
    list[Rank]
        Takes of one scene, best first.
    """
    if not takes:
        return []
    best = max(r.sharpest for _, r in takes) or 1e-6
    quiet = min(_grey_noise(r) for _, r in takes)
    scored = []
    for shot, r in takes:
        sharp = math.log2(max(r.sharpest, 1e-6) / best)
        shake = -math.log2(max(r.motion_px / 1.5, 1.0)) if r.motion_px else 0.0
        lost = -2.0 * min(r.clipped_percent["all"] / 2, 2.0)
        light = -0.5 * math.log2(_grey_noise(r) / quiet)
        score = min(sharp, 0.0) + shake + lost + light
        scored.append((score, shot, r, (sharp, shake, lost, light)))
    scored.sort(key=lambda s: -s[0])
    ranks = []
    for k, (score, shot, r, parts) in enumerate(scored):
        ranks.append(Rank(shot, k + 1, score, _reasons(r, parts, k == 0, len(takes))))
    return ranks


def _grey_noise(r: SensorReport) -> float:
    a, b = r.noise
    return math.sqrt(a * 0.18 + b) / 0.18


def _reasons(r: SensorReport, parts: tuple[float, float, float, float], first: bool, count: int) -> tuple[str, ...]:
    sharp, shake, lost, light = parts
    words = []
    if first and count > 1 and sharp > -0.02:
        words.append(tr("sharpest of {count}", count=count))
    elif sharp < -0.15:
        words.append(tr("{sharp:.0f} % less fine detail", sharp=100 * (1 - 2**sharp)))
    if shake < 0 and r.motion_px:
        words.append(tr("moved {motion_px:.0f} px", motion_px=r.motion_px))
    if lost < -0.05:
        words.append(tr("{all:.1f} % clipped in all channels", all=r.clipped_percent["all"]))
    if light < -0.1:
        words.append(tr("{light:.0f} % more noise", light=100 * (2 ** (-2 * light) - 1)))
    return tuple(words) or (tr("as good as the best"),)
