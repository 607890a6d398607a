"""From measured facts to what to do: advice for the next shot, each with its number and its reason."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from bruto.catalog import items, sentences, tr
from bruto.container.raw_frame import RawMeta
from bruto.sensor.clipping import CLIP_COUNTS
from bruto.sensor.noise import signal_at_snr
from bruto.sensor.report import Advice, SensorReport
from bruto.sensor.viewfinder import MOST_LATE_EV

HANDHELD = 1.0
"""A hand holds 1 / (focal length in mm at 35 mm film) seconds: the usual rule, before the phone's own steadying."""
SOFT_EDGES_PX = 1.8
"""Standard deviation from which edges are found to be soft, pixels."""
LATE_EV, EARLY_EV = -0.25, 0.35
"""Offsets of the viewfinder's warning that are worth a word."""


@dataclass(frozen=True)
class HandSteadiness:
    """How steady a hand is, learnt from shots."""

    steady_35mm: float
    """Seconds times mm (at 35 mm film) up to which nine of ten shots are sharp, of so many `shots`."""
    shots: int


@dataclass(frozen=True)
class Offer:
    """What a phone offers for one lens: ISO speeds and exposure times in seconds, ascending; empty = not known."""

    isos: tuple[float, ...] = ()
    seconds: tuple[float, ...] = ()
    binned_noise: tuple[float, float] | None = None
    """(a, b) at this ISO of the two resolutions where both are known."""
    full_noise: tuple[float, float] | None = None
    """(a, b) at this ISO of the two resolutions where both are known."""
    hand: HandSteadiness | None = None
    """What is learnt of this person's."""
    viewfinder: tuple[float, int] | None = None
    """How early it warned on other shots, EV, and on how many."""


def thirds(ev: float) -> str:
    """Return the exposure change in thirds of a stop, as a dial shows it.

    Parameters
    ----------
    ev
        Exposure change, EV.

    Returns
    -------
    str
        Exposure change in thirds of a stop, as a dial shows it.

    Examples
    --------
    >>> thirds(-0.7)
    '−⅔'
    """
    n = round(abs(ev) * 3)
    whole, part = divmod(n, 3)
    sign = "+" if ev > 0 else "−"
    return f"{sign}{whole or ''}{('', '⅓', '⅔')[part]}" if n else "0"


def time_text(seconds: float | None) -> str:
    """Return an exposure time as it is dialled.

    Parameters
    ----------
    seconds
        NDArray|Time since the first frame, seconds.

    Returns
    -------
    str
        An exposure time as it is dialled.

    Examples
    --------
    >>> time_text(1 / 50), time_text(2.5), time_text(None)
    ('1/50 s', '2.5 s', '–')
    """
    if not seconds:
        return "–"
    return f"1/{1 / seconds:.0f} s" if seconds < 0.4 else f"{seconds:g} s"


def _nearest(values: Sequence[float], wanted: float, at_most: bool) -> float:
    """Return the offered value nearest in stops that does not pass `wanted` in the wrong direction.

    A twelfth of a stop past it is allowed.
    """
    if not values:
        return wanted
    fits = [v for v in values if (v <= wanted * 2 ** (1 / 12) if at_most else v >= wanted / 2 ** (1 / 12))]
    pool = fits or list(values)
    return min(pool, key=lambda v: abs(math.log2(v / wanted)))


@dataclass(frozen=True)
class NextSetting:
    """ISO and seconds for the next shot, whether that needs a tripod, and the change of exposure they make, EV."""

    iso: float
    seconds: float
    tripod: bool
    ev: float


def next_setting(meta: RawMeta, ev: float, offer: Offer, *, tripod: bool = False) -> NextSetting | None:
    """Return the settings that the phone offers for an exposure change of `ev`.

    None where the file does not say its own.

    Too bright: the ISO goes down first, since that keeps the light; then the time. Headroom left: the time gets longer
    as far as a hand holds; then a lower ISO with a still longer time needs a tripod.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    ev
        Exposure change, EV.
    offer
        What the phone offers.
    tripod
        Whether a tripod is at hand.

    Returns
    -------
    NextSetting | None
        Settings that the phone offers for an exposure change of `ev`; None where the file does not say its own.
    """
    if not meta.iso or not meta.exposure_s:
        return None
    iso, seconds = meta.iso, meta.exposure_s
    if ev < 0:
        least = min(offer.isos, default=iso)
        down = min(-ev, max(0.0, math.log2(iso / least)))
        new_iso = _nearest(offer.isos, iso * 2**-down, at_most=False) if down > 0.2 else iso
        left = ev + math.log2(iso / new_iso)
        new_seconds = _nearest(offer.seconds, seconds * 2**left, at_most=True)
    else:
        new_iso, new_seconds = iso, _nearest(offer.seconds, seconds * 2**ev, at_most=True)
    steady = HANDHELD * 1.5 if offer.hand is None else offer.hand.steady_35mm
    change = math.log2(new_iso * new_seconds / (iso * seconds))
    return NextSetting(new_iso, new_seconds, tripod or new_seconds > steady / (meta.focal_35mm or 28.0), change)


def advise(report: SensorReport, meta: RawMeta, offer: Offer | None = None) -> tuple[Advice, ...]:
    """Return the plain advice from the measured facts; the first piece is the exposure of the next shot.

    Parameters
    ----------
    report
        What was measured.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    offer
        What the phone offers.

    Returns
    -------
    tuple[Advice, ...]
        Plain advice from the measured facts.
    """
    offer = offer or Offer()
    exposure = _exposure(report)
    found = [exposure]
    setting = next_setting(meta, exposure.value, offer)
    if setting is not None and abs(exposure.value) > 0.1 and abs(setting.ev) > 0.1:
        change = thirds(setting.ev)
        text = tr(
            "Next shot: ISO {iso:g} and {time} ({change} EV)",
            iso=setting.iso,
            time=time_text(setting.seconds),
            change=change,
        )
        if setting.tripod:
            text = items(text, tr("on a tripod"))
            if offer.hand is not None:
                text = tr("{setting}: {limit}", setting=text, limit=hand_text(offer.hand, meta))
        found.append(Advice("setting", tr("{setting}.", setting=text), setting.ev, "EV"))
    found += _viewfinder(report, offer)
    found += _support(report, meta, offer)
    found.append(_noise(report))
    found += _file_against_picture(report)
    found += _resolution(report, meta, offer)
    found += _veil(report)
    if meta.kind == "linear":
        found.append(
            Advice(
                "kind",
                tr(
                    "This is a processed raw: the phone already demosaiced and merged it. The noise shown is what "
                    "remains."
                ),
                0.0,
                "",
            )
        )
    return tuple(found)


def _exposure(report: SensorReport) -> Advice:
    c = report.clipped_percent
    if c["any"] >= CLIP_COUNTS:
        if c["all"] >= 0.5:
            change = -1.0 if c["all"] > 3 else -2 / 3
            text = tr(
                "{all:.1f} % is clipped in all channels and cannot be recovered. Change the exposure by {thirds} EV.",
                all=c["all"],
                thirds=thirds(change),
            )
            return Advice("exposure", text, change, "EV")
        kinds = [name for key, name in (("r", "red"), ("g", "green"), ("b", "blue")) if c[key] >= CLIP_COUNTS]
        change = -1 / 3 if c["any"] < 2 else -2 / 3
        names = (
            ", ".join(kinds[:-1]) + (" and " if len(kinds) > 1 else "") + kinds[-1] if kinds else tr("single pixels")
        )
        verb = "is" if len(kinds) == 1 else "are"
        text = tr(
            "{capitalize} {verb} clipped in {any:.2f} %; most can be rebuilt. Change the exposure by {thirds} EV "
            "to keep it.",
            capitalize=names.capitalize(),
            verb=verb,
            any=c["any"],
            thirds=thirds(change),
        )
        return Advice("exposure", text, change, "EV")
    if report.headroom_ev > 0.5:
        ev = math.floor(report.headroom_ev * 3) / 3
        text = tr("Nothing is clipped. {thirds} EV more light would fit and lower the noise.", thirds=thirds(ev))
        return Advice("exposure", text, ev, "EV")
    return Advice("exposure", tr("The exposure uses the sensor's range; keep it."), 0.0, "EV")


def hand_text(hand: HandSteadiness, meta: RawMeta) -> str:
    """Say what is learnt of a hand, for the lens of a shot.

    Parameters
    ----------
    hand
        What is known of the user's handheld shots.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.

    Returns
    -------
    str
        What is learnt of a hand, for the lens of a shot.
    """
    focal = meta.focal_35mm or 28.0
    return tr(
        "at {focal:.0f} mm, 9 of 10 of your handheld shots are sharp at {time} (from {shots} shots)",
        focal=focal,
        time=time_text(hand.steady_35mm / focal),
        shots=hand.shots,
    )


def _viewfinder(report: SensorReport, offer: Offer) -> list[Advice]:
    usual = ""
    if offer.viewfinder is not None:
        learnt, count = offer.viewfinder
        usual = tr(
            " On {count} shots of this phone it came {learnt:.1f} EV {value}.",
            count=count,
            learnt=abs(learnt),
            value=tr("early") if learnt >= 0 else tr("late"),
        )
    offset, shown, c = report.preview_offset_ev, report.preview_clipped_percent, report.clipped_percent
    if offset is not None and offset > EARLY_EV:
        text = tr(
            "Judged by the embedded preview as a stand-in, the viewfinder warns {offset:.1f} EV early: the raw "
            "still holds light there.{usual}",
            offset=offset,
            usual=usual,
        )
        return [Advice("preview", text, offset, "EV")]
    if offset is not None and offset < LATE_EV:
        lost = c["any"] >= CLIP_COUNTS
        least = tr("more than ") if -offset >= MOST_LATE_EV else ""
        what = tr("this is lost in the raw") if lost else tr("the raw clips before the preview shows it")
        text = tr(
            "Judged by the embedded preview as a stand-in, the viewfinder warns {least}{offset:.1f} EV late: "
            "{what}.{usual}",
            least=least,
            offset=-offset,
            what=what,
            usual=usual,
        )
        return [Advice("preview", text, offset, "EV")]
    if offset is None and shown is not None and shown["any"] > c["any"] + 1:
        text = tr(
            "The embedded preview shows {any:.1f} % clipped, the raw {any2:.1f} %: judged by it, the viewfinder "
            "warns early.",
            any=shown["any"],
            any2=c["any"],
        )
        return [Advice("preview", text, shown["any"] - c["any"], "%")]
    return []


def direction_text(degrees: float) -> str:
    """Return a direction in words.

    Parameters
    ----------
    degrees
        Direction, degrees.

    Returns
    -------
    str
        A direction in words.

    Examples
    --------
    >>> direction_text(5), direction_text(95)
    ('sideways', 'up and down')
    """
    d = degrees % 180
    if d < 22.5 or d >= 157.5:
        return "sideways"
    if d < 67.5:
        return tr("along the rising diagonal")
    return tr("up and down") if d < 112.5 else tr("along the falling diagonal")


def _support(report: SensorReport, meta: RawMeta, offer: Offer) -> list[Advice]:
    time = time_text(meta.exposure_s) if meta.exposure_s else tr("this time")
    if report.motion_px is not None and report.motion_degrees is not None:
        shorter = math.ceil(math.log2(report.motion_px / 1.5) * 3) / 3
        text = tr(
            "Camera shake: the picture moved {motion_px:.0f} px {direction} during {time}. Brace the phone, use "
            "a tripod, or shorten the exposure by {shorter:.1f} EV.",
            motion_px=report.motion_px,
            direction=direction_text(report.motion_degrees),
            time=time,
            shorter=shorter,
        )
        if offer.hand is not None:
            known = hand_text(offer.hand, meta)
            text = sentences(text, f"{known[:1].upper()}{known[1:]}.")
        return [Advice("sharpness", text, report.motion_px, "px")]
    if report.edge_blur_px is not None and report.edge_blur_px > SOFT_EDGES_PX:
        text = tr(
            "Edges are {edge_blur_px:.1f} px soft in every direction: the focus missed or the lens is smeared. "
            "Wipe it, focus again and retake.",
            edge_blur_px=report.edge_blur_px,
        )
        return [Advice("sharpness", text, report.edge_blur_px, "px")]
    return []


def _noise(report: SensorReport) -> Advice:
    a, b = report.noise
    grey = 100 * math.sqrt(a * 0.18 + b) / 0.18
    if report.shadow_lift_ev > 0:
        lift = tr(
            "shadows can be lifted {shadow_lift_ev:.1f} EV at 1:1, {shadow_lift_screen_ev:.1f} EV at screen "
            "size, to a signal of 4 times the noise",
            shadow_lift_ev=report.shadow_lift_ev,
            shadow_lift_screen_ev=report.shadow_lift_screen_ev,
        )
    else:
        lift = tr("at 1:1 even mid-grey is below 4 times the noise, so shadows cannot be lifted")
    text = tr("At mid-grey the noise is {grey:.1f} % of the signal; {lift}.", grey=grey, lift=lift)
    return Advice("noise", text, grey, "%")


def _file_against_picture(report: SensorReport) -> list[Advice]:
    """Where the noise that the file states is not the noise that the picture shows."""
    if report.noise_source != "file":
        return []
    (a, b), (ma, mb) = report.noise, report.noise_measured
    x = signal_at_snr(a, b, 10)
    ratio = math.sqrt((ma * x + mb) / max(a * x + b, 1e-12))
    low, high = report.noise_interval
    if ratio * low > 1.25 or ratio * high < 0.8:
        text = tr(
            "Where the signal is ten times the noise, the file states {sqrt:.1f} % noise and the picture shows "
            "{sqrt2:.1f} % (picture / file {ratio:.2f}).",
            sqrt=100 * math.sqrt(a * x + b) / x,
            sqrt2=100 * math.sqrt(max(ma * x + mb, 0)) / x,
            ratio=ratio,
        )
        return [Advice("noise", text, ratio, "×")]
    return []


def _resolution(report: SensorReport, meta: RawMeta, offer: Offer) -> list[Advice]:
    """Full resolution or binned, by their noise at equal output size.

    A quad of full-resolution sites is set against one binned site.
    """
    if offer.binned_noise is None or offer.full_noise is None:
        return []
    x = 0.18 * 2.0**-4  # a shadow four stops under grey
    binned = math.sqrt(offer.binned_noise[0] * x + offer.binned_noise[1])
    full = math.sqrt((offer.full_noise[0] * x + offer.full_noise[1]) / 4)
    ratio = full / binned
    if ratio > 1.1:
        text = tr(
            "In shadows the binned mode has {ratio:.0f} % less noise at equal size; use full resolution only to crop.",
            ratio=100 * (1 - 1 / ratio),
        )
    elif ratio > 1.01:
        text = tr(
            "At equal size, full resolution has {ratio:.0f} % more noise in shadows; use it if you may crop.",
            ratio=100 * (ratio - 1),
        )
    else:
        text = tr("At equal size, full resolution is no noisier in shadows; use it if you may crop.")
    return [Advice("resolution", text, ratio, "×")]


def _veil(report: SensorReport) -> list[Advice]:
    found = []
    if report.smeared and report.glare_at_most is not None:
        text = tr(
            "Even the darkest places hold {glare_at_most:.0f} % of the surrounding light: the lens may be "
            "smeared. Wipe it.",
            glare_at_most=100 * report.glare_at_most,
        )
        found.append(Advice("veil", text, 100 * report.glare_at_most, "%"))
    if report.leak:
        text = tr(
            "Dark places brighten towards the {leak} edge: light may leak in there, unless the scene itself does that.",
            leak=report.leak,
        )
        found.append(Advice("leak", text, 0.0, ""))
    return found
