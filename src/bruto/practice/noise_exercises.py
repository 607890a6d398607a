"""Exercises on noise, sharpness and time."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import sentences, tr
from bruto.plan.equipment import USUAL_LIMIT
from bruto.plan.interval import watched
from bruto.plan.noise import HAND_SPREAD, blur_chance
from bruto.practice.rounds import (
    BRIGHT,
    LETTERS,
    Exercise,
    ExerciseScene,
    Picture,
    Round,
    seed_from,
    shuffled,
    snr_of,
    taken,
)
from bruto.sensor.advice import time_text
from bruto.simphone import sensor_model as sm
from bruto.simphone.preview import noisy
from bruto.tasks import Task

CHART = ExerciseScene("card", (120, 180, 320, 230))
FULL_WELL = 2300.0
"""Electrons that a small pixel of full resolution holds."""
FLAT = (20, 60, 90, 100)
"""An even part of it, the grey card: left, top, width, height."""
PRINT = ExerciseScene("net-loft", (560, 60, 240, 180))
CRYSTALS = ExerciseScene("crystals", (170, 230, 300, 225))
SHED = ExerciseScene("boiling-house", (200, 330, 300, 225))
LEAVES = ExerciseScene("pans", (0, 110, 400, 220))


def size(random: np.random.Generator) -> Round:
    """Ask for full resolution or binned, at one size of output.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        Full resolution against binned, at one size of output.
    """
    dark, read = bool(random.random() < 0.65), float(random.choice([1.7, 5.5]))
    level, iso = (BRIGHT / 20, 200.0) if dark else (BRIGHT, 50.0)
    light = CHART.light(level)
    gain = BRIGHT / level * 1.3
    binned = taken(light, iso, seed_from(random))
    twice = cv2.resize(light, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
    one = iso / sm.BASE_ISO / FULL_WELL
    large = noisy(twice, (one, (read * one) ** 2), seed_from(random))
    full = cv2.resize(large, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    both = (binned, full)
    quality = [snr_of(b, FLAT) for b in both]
    order = shuffled(random, 2)
    shown = tuple(Picture(LETTERS[n], CHART.picture(both[k], gain)) for n, k in enumerate(order))
    right = 2 if quality[0] / quality[1] < 1.2 else order.index(0)
    why = (
        tr("In this light, the noise of four read-outs shows.")
        if right != 2
        else tr("In good light they are equal.")
        if not dark
        else tr("This sensor reads its small pixels with little noise.")
    )
    return Round(
        shown,
        tr("One was taken at full resolution and reduced, one was binned by the phone. Which has less noise?"),
        ("A", "B", tr("No visible difference")),
        right,
        tr(
            "Signal to noise on the grey card: binned {quality:.1f}, full resolution at the "
            "same size "
            "{quality2:.1f}. {why}",
            quality=quality[0],
            quality2=quality[1],
            why=why,
        ),
        tuple(Picture(("binned", tr("full resolution"))[k], shown[n].pixels) for n, k in enumerate(order)),
    )


def iso_or_edit(random: np.random.Generator) -> Round:
    """Show a ladder at equal brightness: noise comes from too little light.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        A ladder at equal brightness.
    """
    settings = (
        (100.0, 1 / 60, tr("ISO 100, 1/60 s, lifted 4 EV")),
        (1600.0, 1 / 60, tr("ISO 1600, 1/60 s")),
        (100.0, 16 / 60, tr("ISO 100, 1/4 s")),
    )
    shots = []
    for iso, seconds, _ in settings:
        level = BRIGHT * (iso / 100) * (seconds * 60) / 16
        shots.append((taken(CHART.light(level), iso, seed_from(random)), BRIGHT / level * 1.3))
    quality = [snr_of(light, FLAT) for light, _ in shots]
    order = shuffled(random, 3)
    pixels = [CHART.picture(light, gain) for light, gain in shots]
    where = order.index(2)
    return Round(
        tuple(Picture(LETTERS[n], pixels[k]) for n, k in enumerate(order)),
        tr("Three shots, brought to equal brightness. One was exposed 16 × as long as the others. Which?"),
        ("A", "B", "C"),
        where,
        sentences(
            tr(
                "{letter}. Signal to noise: {ratios}.",
                letter=LETTERS[where],
                ratios="; ".join(f"{settings[k][2]}: {quality[k]:.1f}" for k in range(3)),
            ),
            tr("ISO 1600 and the lift in the edit look much alike: both had little light."),
        ),
        tuple(Picture(settings[k][2], pixels[k]) for k in order),
    )


def frames(random: np.random.Generator) -> Round:
    """Ask how many frames a wished noise takes.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        How many frames a wished noise takes.
    """
    factor = int(random.choice([2, 3, 4]))
    level, iso = BRIGHT / 3, 1600.0
    light = CHART.light(level)
    one, many = (taken(light, iso, seed_from(random), frames=n) for n in (1, factor**2))
    options = sorted({factor, factor**2, 2 * factor, factor**2 * 2})
    gain = BRIGHT / level * 1.3
    quality = [snr_of(x, FLAT) for x in (one, many)]
    return Round(
        (
            Picture(tr("one frame"), CHART.picture(one, gain)),
            Picture(tr("1/{factor} of its noise", factor=factor), CHART.picture(many, gain)),
        ),
        tr("How many frames must be averaged for 1/{factor} of the noise?", factor=factor),
        tuple(str(n) for n in options),
        options.index(factor**2),
        tr(
            "{factor}: noise falls with the square root of the number. Measured here: {quality:.1f} × better.",
            factor=factor**2,
            quality=quality[1] / quality[0],
        ),
    )


def handheld(random: np.random.Generator) -> Round:
    """Ask for handheld or a tripod.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        Handheld or tripod.
    """
    focal = float(random.choice([26.0, 68.0]))
    chance = float(random.choice([0.02, 0.5, 0.95]))
    limit = USUAL_LIMIT / focal
    wanted = limit * math.exp(HAND_SPREAD * {0.02: -2.05, 0.5: 0.0, 0.95: 1.64}[chance])
    seconds = 1 / max(round(1 / wanted / 5) * 5, 2) if wanted < 0.3 else 0.5
    truth = blur_chance(seconds, limit)
    own = [limit * math.exp(HAND_SPREAD * float(random.normal())) for _ in range(3)]
    light = SHED.light(BRIGHT)
    shots = tuple(
        Picture(
            tr("take {k}", k=k + 1),
            SHED.picture(taken(light, 400.0, seed_from(random), blur=min(seconds / o, 12)), 1.6),
        )
        for k, o in enumerate(own)
    )
    right = 0 if truth < 0.2 else 1 if truth < 0.8 else 2
    return Round(
        shots,
        tr(
            "A typical hand, {focal:.0f} mm, {time}: how many of 100 frames are blurred by a pixel or more?",
            focal=focal,
            time=time_text(seconds),
        ),
        (tr("Few: shoot handheld"), tr("About half: take several"), tr("Most: tripod or a shorter time")),
        right,
        sentences(
            tr(
                "{truth:.0f} of 100. Of these three: {blurs}.",
                truth=100 * truth,
                blurs=", ".join(tr("{blur:.1f} px", blur=min(seconds / o, 99)) for o in own),
            ),
            tr("The logbook shows your own limit once it has enough handheld shots."),
        ),
    )


def _bars(starts: list[float], exposure: float, until: float) -> NDArray[np.uint8]:
    """Frames over time as bars."""
    found = np.full((90, 640, 3), (108, 108, 108), np.uint8)
    for s in starts:
        a, b = round(10 + 620 * s / until), round(10 + 620 * (s + exposure) / until)
        found[25:65, a : max(b - 1, a + 1)] = (240, 236, 226)
    return found


def interval(random: np.random.Generator) -> Round:
    """Ask which interval the phone can keep up with.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        Which interval the phone can keep up with.
    """
    exposure = float(random.choice([8.0, 15.0, 20.0]))
    pause = float(random.uniform(1.3, 3.4))
    asked = exposure + 1.0
    starts = [round(2 * asked * k, 0) for k in range(5)]
    check = watched(starts, exposure, asked)
    right_value = math.ceil(exposure + pause)
    options = sorted({exposure + 1.0, float(right_value), 2 * asked, float(right_value) + 6})
    right = options.index(float(right_value)) if right_value > asked else 0
    times = ", ".join(f"{s:.0f}" for s in starts)
    return Round(
        (Picture(tr("frames over time"), _bars(starts, exposure, starts[-1] + 2 * asked)),),
        tr(
            "Exposure {exposure:g} s, interval set to {asked:g} s. Frames begin at {times} s. The "
            "phone takes "
            "{pause:.1f} s to save one. Which interval loses no frame and leaves the "
            "shortest gaps?",
            exposure=exposure,
            asked=asked,
            times=times,
            pause=pause,
        ),
        tuple(f"{o:g} s" for o in options),
        right,
        tr(
            "{options:g} s: {exposure:g} s exposure and {pause:.1f} s to save. With a shorter interval "
            "the phone "
            "was still saving, so only one of {skips} frames "
            "was taken.",
            options=options[right],
            exposure=exposure,
            pause=pause,
            skips=check.skips,
        ),
        (
            Picture(
                tr("every {options:g} s", options=options[right]),
                _bars([options[right] * k for k in range(9)], exposure, starts[-1] + 2 * asked),
            ),
        ),
    )


def edge(random: np.random.Generator) -> Round:
    """Ask what a sharpened edge is.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        What a sharpened edge is.
    """
    level = BRIGHT * 1.5
    light = PRINT if random.random() < 0.5 else CRYSTALS
    sharp = light.light(level)
    soft = cv2.GaussianBlur(sharp, (0, 0), 1.5)
    pushed = np.maximum(soft + 2.2 * (soft - cv2.GaussianBlur(soft, (0, 0), 2.0)), 0)
    shots = [taken(x, 50.0, seed_from(random)) for x in (sharp, pushed)]

    def fine(x: NDArray[np.float32]) -> float:
        g = x[..., 1]
        return float((cv2.GaussianBlur(g, (0, 0), 0.6) - cv2.GaussianBlur(g, (0, 0), 1.0)).std() / g.mean())

    order = shuffled(random, 2)
    pixels = [light.picture(x, 1.2) for x in shots]
    where = order.index(0)
    detail = [fine(x) for x in (sharp, pushed)]
    return Round(
        tuple(Picture(LETTERS[n], pixels[k]) for n, k in enumerate(order)),
        tr("One is as the lens drew it, one was blurred and then sharpened. Which holds more fine detail?"),
        ("A", "B"),
        where,
        tr(
            "{LETTERS}: its finest detail (1 to 2 px) has {detail:.1f} × the contrast. Sharpening lifts "
            "edges of "
            "3 to 6 px and outlines them; finer detail does not "
            "come back.",
            LETTERS=LETTERS[where],
            detail=detail[0] / detail[1],
        ),
        (Picture(tr("as the lens drew it"), pixels[0]), Picture(tr("blurred and sharpened"), pixels[1])),
    )


def infrared(random: np.random.Generator) -> Round:
    """Ask for the white of infrared.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        White for infrared.
    """
    light = LEAVES.light(BRIGHT)
    green, blue = light[..., 1], light[..., 2]
    leaf = np.clip((green / np.maximum(blue, 1e-6) - 1.62) * 5, 0, 1) * np.clip(2 - 4 * green, 0, 1)
    leaf = cv2.GaussianBlur(leaf, (0, 0), 1.2).astype(np.float32)
    sky = (np.clip((1.68 - green / np.maximum(blue, 1e-6)) * 12, 0, 1) * np.clip(4 * green, 0, 1)).astype(np.float32)
    grey = light.mean(axis=2) * (1 + 2.6 * leaf) * (1 - 0.55 * sky)
    seen = np.stack([grey, grey * (0.62 + 0.1 * leaf), grey * (0.6 + 0.1 * leaf - 0.14 * sky)], axis=2)
    seen = taken(seen.astype(np.float32), 100.0, seed_from(random))

    def with_white(gains: NDArray[np.float64], swap: bool = True) -> NDArray[np.uint8]:
        image = seen * gains.astype(np.float32)
        image = image[..., ::-1] if swap else image
        code = np.clip(image / (image + 0.28), 0, 1) ** 0.8
        return np.rint(code * 255).astype(np.uint8)

    def white_of(mask: NDArray[np.float32]) -> NDArray[np.float64]:
        some = seen[mask > 0.6].mean(axis=0) if (mask > 0.6).any() else seen.mean(axis=(0, 1))
        return np.asarray(some.mean() / some, np.float64)

    choices = [
        (tr("white set on the leaves"), white_of(leaf)),
        (tr("white set on the sky"), white_of(sky)),
        (tr("as the phone set it"), np.array([1.0, 1.1, 1.2])),
    ]
    order = shuffled(random, 3)
    where = order.index(0)
    return Round(
        tuple(Picture(LETTERS[n], with_white(choices[k][1])) for n, k in enumerate(order)),
        tr("Infrared, red and blue swapped: in which one was white set on the leaves?"),
        ("A", "B", "C"),
        where,
        tr(
            "{LETTERS}: leaves are the brightest thing in infrared and should be white; what differs "
            "from them, "
            "above all the sky, keeps a colour. Kelvin scales end long before "
            "this white.",
            LETTERS=LETTERS[where],
        ),
        tuple(Picture(choices[k][0], with_white(choices[k][1])) for k in order),
    )


EXERCISES = {
    "size": Exercise(
        tr("Full or binned"),
        tr("The right resolution for the light"),
        tr("Often thought: more megapixels are better, or worse. At equal output size they differ only in the dark."),
        Task.COMPARE,
        size,
    ),
    "handheld": Exercise(
        tr("Handheld or tripod"),
        tr("How many frames are blurred"),
        tr(
            "Often thought: one over the focal length is safe. It is half of that for one hand and a "
            "tenth for "
            "another: measure yours."
        ),
        Task.LOGBOOK,
        handheld,
    ),
    "interval": Exercise(
        tr("Which interval"),
        tr("The interval of a star trail"),
        tr("Often thought: one second more than the exposure is enough. The phone has to save, and some need three."),
        Task.PLAN,
        interval,
    ),
    "iso": Exercise(
        tr("ISO or edit"),
        tr("Where noise comes from"),
        tr(
            "Often thought: high ISO makes noise. Too little light does; at equal light, ISO and the "
            "edit look "
            "much the same."
        ),
        Task.COMPARE,
        iso_or_edit,
    ),
    "infrared": Exercise(
        tr("White for infrared"),
        tr("White beyond the kelvin scale"),
        tr("Often thought: infrared is red. It has hardly any colour: what you see depends on what was set to white."),
        Task.CORRECT,
        infrared,
    ),
    "frames": Exercise(
        tr("How many frames"),
        tr("How many frames to reach a noise level"),
        tr("Often thought: twice the frames, half the noise. It takes four times as many."),
        Task.MERGE,
        frames,
    ),
    "edge": Exercise(
        tr("A sharpened edge"),
        tr("Detail or sharpening"),
        tr("Often thought: crisp is sharp. Sharpening moves contrast to edges and brings back no detail."),
        Task.COMPARE,
        edge,
    ),
}
