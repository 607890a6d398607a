"""What a phone's measured noise foretells: which exposures are worth trying, and what long, many or bright cost."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.sensor.noise_model import NoiseModel

GREY = 0.18
"""Light of a middle grey, of saturation, in a frame that is exposed as phones expose."""
SHADOW_EV = -3.0
"""Of a shadow that is looked into, under grey."""
ENOUGH_SNR = 4.0
"""Signal over noise from which a shadow can be used."""
SEEN = 1.15
"""Times less noise that is seen at equal brightness."""


@dataclass(frozen=True)
class Step:
    """An exposure: where `grey` lies (of saturation), signal over noise of grey and of the shadow.

    And `headroom_ev` from grey to saturation.
    """

    iso: float
    seconds: float
    grey: float
    snr_grey: float
    snr_shadow: float
    headroom_ev: float

    def as_json(self) -> dict[str, float]:
        """As the command line tells it."""
        return {
            "iso": self.iso, "seconds": self.seconds, "grey": round(self.grey, 5),
            "snr_grey": round(self.snr_grey, 2), "snr_shadow": round(self.snr_shadow, 3),
            "room_ev": round(self.headroom_ev, 2),
        }  # fmt: skip


def step(model: NoiseModel, rate: float, iso: float, seconds: float, frames: int = 1) -> Step:
    """Return an exposure of a scene whose grey reaches `rate` of saturation at ISO 1 in one second.

    Mean of `frames`.

    Parameters
    ----------
    model
        Noise of the phone by ISO.
    rate
        Light per second at ISO 1, share of saturation.
    iso
        ISO speed.
    seconds
        Exposure time, seconds.
    frames
        Number of frames.

    Returns
    -------
    Step
        An exposure of a scene whose grey reaches `rate` of saturation at ISO 1 in one second.
    """
    grey = rate * iso * seconds
    lower = math.sqrt(frames)
    return Step(
        iso, seconds, grey, model.snr(grey, iso) * lower, model.snr(grey * 2**SHADOW_EV, iso) * lower,
        math.log2(1 / max(grey, 1e-12)),
    )  # fmt: skip


def rate_of(level: float, iso: float, seconds: float) -> float:
    """Compute the rate of a scene whose grey lies at `level` of saturation in a test shot.

    Parameters
    ----------
    level
        Light level, share of saturation, 0 to 1.
    iso
        ISO speed.
    seconds
        Exposure time, seconds.

    Returns
    -------
    float
        Rate of a scene whose grey lies at `level` of saturation in a test shot.
    """
    for name, value in ((tr("The light level"), level), (tr("The ISO"), iso), (tr("The exposure time"), seconds)):
        if not (math.isfinite(value) and value > 0):
            raise BrutoError(tr("{name} must be more than 0, not {value:g}.", name=name, value=value))
    return level / (iso * seconds)


def ladder(
    model: NoiseModel, rate: float, isos: Sequence[float], seconds: Sequence[float], highlights_ev: float = 2.0
) -> tuple[list[Step], list[Step]]:
    """Return the steps of ISO and time that are worth trying in a scene, and those that are left out.

    At one time, a higher ISO is worth a frame only where its read noise is seen to be lower at equal brightness (by
    `SEEN`), and where what lies `highlights_ev` over grey still fits. The lowest ISO of each time is the anchor.

    Parameters
    ----------
    model
        Noise of the phone by ISO.
    rate
        Light per second at ISO 1, share of saturation.
    isos
        ISO speeds on offer.
    seconds
        Exposure times on offer, seconds.
    highlights_ev
        Highlights of the scene, EV above grey.

    Returns
    -------
    tuple[list[Step], list[Step]]
        Steps of ISO and time that are worth trying in a scene, and those that are left out.
    """
    worthwhile: list[Step] = []
    out: list[Step] = []
    for s in sorted(set(seconds)):
        last: Step | None = None
        for iso in sorted(set(isos)):
            one = step(model, rate, iso, s)
            worth = last is None or one.snr_shadow >= SEEN * last.snr_shadow
            if one.headroom_ev < highlights_ev and last is not None:
                worth = False
            (worthwhile if worth else out).append(one)
            last = one if worth else last
    return _different(worthwhile, out), out


def _different(worthwhile: list[Step], out: list[Step]) -> list[Step]:
    """Return the steps of which no other has more signal and more headroom."""
    found: list[Step] = []
    for one in worthwhile:
        beaten = any(
            o.snr_shadow > one.snr_shadow * SEEN
            and o.headroom_ev >= one.headroom_ev - 1e-9
            and o.seconds <= one.seconds
            for o in worthwhile
        )
        (out if beaten else found).append(one)
    return found


@dataclass(frozen=True)
class LowLightAnswer:
    """One of the three ways in low light.

    `frames` of a step, `snr_grey` and `snr_shadow` of what they give together, `blur_chance` (0..1) that a frame
    is blurred, `total_s` that it takes.
    """

    name: str
    frames: int
    step: Step
    snr_grey: float
    snr_shadow: float
    blur_chance: float
    total_s: float

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        return {
            "name": self.name, "frames": self.frames, "iso": self.step.iso, "seconds": self.step.seconds,
            "snr_grey": round(self.snr_grey, 2), "snr_shadow": round(self.snr_shadow, 3),
            "blur_chance": round(self.blur_chance, 3), "total_s": round(self.total_s, 3),
        }  # fmt: skip


HAND_SPREAD = 0.55
"""Spread of the logarithm (natural) of the time at which a hand blurs a frame, as far as a person's own is not
learnt.
"""


def blur_chance(seconds: float, limit: float, spread: float = HAND_SPREAD) -> float:
    """Compute the chance that a frame held in the hand is blurred.

    Half at the person's `limit`, log-normal about it.

    Parameters
    ----------
    seconds
        Exposure time, seconds.
    limit
        Handheld limit: exposure time at which half of the frames are blurred, seconds.
    spread
        Spread of the handheld limit, natural logarithm.

    Returns
    -------
    float
        Chance that a frame held in the hand is blurred.

    Examples
    --------
    >>> blur_chance(0.1, 0.1)
    0.5
    """
    if not (limit > 0 and spread > 0 and seconds > 0):
        raise BrutoError(tr("The exposure time and the handheld limit must be more than 0 s."))
    return 0.5 * (1 + math.erf(math.log(seconds / limit) / (spread * math.sqrt(2))))


def time_of_chance(chance: float, limit: float, spread: float = HAND_SPREAD) -> float:
    """Compute the seconds at which a frame held in the hand is blurred with some chance.

    The inverse of `blur_chance`.

    Parameters
    ----------
    chance
        Chance of blur, 0 to 1.
    limit
        Handheld limit: exposure time at which half of the frames are blurred, seconds.
    spread
        Spread of the handheld limit, natural logarithm.

    Returns
    -------
    float
        Seconds at which a frame held in the hand is blurred with some chance.

    Examples
    --------
    >>> round(time_of_chance(0.5, 0.1), 6), round(blur_chance(time_of_chance(0.1, 0.1), 0.1), 6)
    (0.1, 0.1)
    """
    from scipy.special import ndtri  # takes long to import

    if not (0 < chance < 1 and limit > 0 and spread > 0):
        raise BrutoError(tr("A chance is between 0 and 1, a handheld limit more than 0 s."))
    return limit * math.exp(spread * float(ndtri(chance)))


def low_light(
    model: NoiseModel, rate: float, isos: Sequence[float], seconds: Sequence[float], limit: float, pause: float = 0.5,
    frames: int = 8,
) -> list[LowLightAnswer]:  # fmt: skip
    """Return three answers to low light: a tripod and a long time, a burst that is merged, and a higher ISO.

    `frames` of the burst, `pause` between them.

    Parameters
    ----------
    model
        Noise of the phone by ISO.
    rate
        Light per second at ISO 1, share of saturation.
    isos
        ISO speeds on offer.
    seconds
        Exposure times on offer, seconds.
    limit
        Seconds at which half of this person's frames are blurred.
    pause
        Time to save a frame, seconds.
    frames
        Number of frames.

    Returns
    -------
    list[LowLightAnswer]
        Three answers to low light.
    """
    if not isos or not seconds:
        raise BrutoError(tr("The phone's ISOs and times are not known. Give them, or open some of its shots once."))

    def nearest(values: Iterable[float], wanted: float) -> float:
        return min(values, key=lambda v: abs(math.log(v / wanted)))

    low = min(isos)
    long = nearest(seconds, GREY / (rate * low))
    hand = max((s for s in seconds if blur_chance(s, limit) <= 0.1), default=min(seconds))
    iso = nearest(isos, GREY / (rate * hand))
    found = []
    for name, count, one, by_hand in (
        (tr("tripod and long exposure"), 1, step(model, rate, low, long), False),
        (tr("burst of {frames}", frames=frames), frames, step(model, rate, iso, hand), True),
        (tr("higher ISO"), 1, step(model, rate, iso, hand), True),
    ):
        gain = math.sqrt(count)
        found.append(LowLightAnswer(
            name, count, one, one.snr_grey * gain, one.snr_shadow * gain,
            blur_chance(one.seconds, limit) if by_hand else 0.0, count * one.seconds + (count - 1) * pause,
        ))  # fmt: skip
    return found


def bracket(
    model: NoiseModel, iso: float, highlights_ev: float, shadows_ev: float, most_step: float = 3.0
) -> list[float]:
    """Return the exposures of a bracket, EV against the one that puts grey at `GREY`.

    For a scene that reaches from `shadows_ev` to `highlights_ev` about grey: the lightest holds the highlights,
    the darkest has the shadows at a signal of `ENOUGH_SNR` times the noise, and steps are no wider than
    `most_step`, so that neighbours overlap.

    Parameters
    ----------
    model
        Noise of the phone by ISO.
    iso
        ISO speed.
    highlights_ev
        Highlights of the scene, EV above grey.
    shadows_ev
        Shadows of the scene, EV, negative below grey.
    most_step
        Widest step, EV.

    Returns
    -------
    list[float]
        Exposures of a bracket, EV against the one that puts grey at `GREY`, for a scene that reaches from
        `shadows_ev` to `highlights_ev` about grey.

    Examples
    --------
    >>> bracket(NoiseModel(1e-6, 0, 1e-10), 50, 2.0, -3.0)
    [0.0]
    """
    if not (math.isfinite(highlights_ev) and math.isfinite(shadows_ev) and shadows_ev < highlights_ev):
        raise BrutoError(tr("Highlights must lie above shadows, both in EV around grey."))
    darkest = min(0.0, math.floor(3 * (math.log2(1 / GREY) - highlights_ev) + 1e-9) / 3)
    a, b = model.at(iso)
    least = (ENOUGH_SNR**2 * a + math.sqrt(ENOUGH_SNR**4 * a * a + 4 * ENOUGH_SNR**2 * b)) / 2  # x / sqrt(a x + b)
    lightest = max(0.0, math.ceil(3 * (math.log2(least / GREY) - shadows_ev) - 1e-9) / 3)
    if lightest - darkest < 1 / 6:
        return [0.0]
    count = max(2, math.ceil((lightest - darkest) / most_step - 1e-9) + 1)
    return [round(3 * (darkest + (lightest - darkest) * k / (count - 1))) / 3 for k in range(count)]


def sizes(
    binned: tuple[float, float], full: tuple[float, float], level: float = GREY * 2**SHADOW_EV, ratio: int = 4
) -> dict[str, float]:
    """Return the signal over noise of a frame at full resolution and of one that the phone binned, in one light.

    Both of single pixels and at equal output size, where `ratio` pixels of the full frame are averaged.

    Parameters
    ----------
    binned
        A and b of the binned mode.
    full
        A and b of the full-resolution mode.
    level
        Light level, share of saturation, 0 to 1.
    ratio
        Ratio.

    Returns
    -------
    dict[str, float]
        Signal over noise of a frame at full resolution and of one that the phone binned, in one light.
    """
    (a, b), (c, d) = binned, full
    if min(a, b, c, d) < 0 or not level > 0:
        raise BrutoError(tr("Noise cannot be negative, and light must be more than 0."))
    one, other = level / math.sqrt(a * level + b), level / math.sqrt(c * level + d)
    return {
        "binned_snr": one, "full_snr_pixel": other, "full_snr_equal_size": other * math.sqrt(ratio),
        "binned_better_by": one / max(other * math.sqrt(ratio), 1e-12),
    }  # fmt: skip
