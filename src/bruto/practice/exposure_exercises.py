"""Exercises on exposure: what is clipped, what is lost, what the preview hides."""

from __future__ import annotations

import cv2
import numpy as np

from bruto.catalog import tr
from bruto.practice.rounds import (
    BRIGHT,
    LETTERS,
    Exercise,
    ExerciseScene,
    Picture,
    Round,
    full,
    marked,
    seed_from,
    shuffled,
    taken,
)
from bruto.simphone.capture import Exposure, picture_of
from bruto.simphone.preview import phone_at
from bruto.tasks import Task

LAMP = ExerciseScene("sluice", (130, 90, 400, 300))
WINDOW = ExerciseScene("boiling-house", (440, 180, 340, 255))
SKY = ExerciseScene("pans", (0, 0, 400, 300))
SMALL = 0.0004
"""Share of a part that may be full without its being seen."""


def lamp(random: np.random.Generator) -> Round:
    """Ask for the highest exposure at which only the lamp is clipped.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        The highest exposure at which only the lamp is clipped.
    """
    steps = np.arange(-4.0, 2.1, 1.0) + float(random.uniform(-0.35, 0.2))
    y, x = np.mgrid[0 : LAMP.box[3], 0 : LAMP.box[2]]
    bright = LAMP.light(1.0)
    top, left = np.unravel_index(int(bright[..., 0].argmax()), bright.shape[:2])
    about = np.hypot(x - left, y - top) < 26  # the lamp and its glow
    good, shots, masks = [], [], []
    for ev in steps:
        light = LAMP.light(BRIGHT * 2**ev)
        mask = np.asarray(full(light).any(axis=2))
        good.append(bool(mask[about].any()) and float(mask[~about].mean()) < SMALL)
        picture = LAMP.picture(taken(light, 50.0, seed_from(random)), min(1.0, 2.0 ** -max(ev, 0.0)))
        shots.append(picture)
        masks.append(marked(picture, mask))
    right = max((k for k, g in enumerate(good) if g), default=0)
    first = max(0, min(right - int(random.integers(0, 4)), len(steps) - 4))
    some = range(first, first + 4)
    names = [
        tr("{LETTERS}: {steps:+.0f} EV", LETTERS=LETTERS[n], steps=steps[k] - steps[some[0]]).replace("+0", "0")
        for n, k in enumerate(some)
    ]
    return Round(
        tuple(Picture(n, shots[k]) for n, k in zip(names, some, strict=True)),
        tr("Which is the highest exposure at which only the lamp is clipped in the raw?"),
        tuple(LETTERS[n] for n in range(4)),
        right - first,
        tr(
            "{LETTERS}: one step more and the sky clips, too; one step less and everything else gets "
            "half the "
            "light for nothing.",
            LETTERS=LETTERS[right - first],
        ),
        tuple(Picture(tr("{n}, clipped is striped", n=n), masks[k]) for n, k in zip(names, some, strict=True)),
    )


def lost(random: np.random.Generator) -> Round:
    """Check whether what is clipped is lost.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        True where what is clipped is lost.
    """
    wanted = int(random.integers(0, 2))
    for ev in random.permutation(np.arange(-7.0, 3.0, 0.5)):
        light = WINDOW.light(BRIGHT * 2.0**ev)
        channels = full(light).sum(axis=2)
        share = float((channels > 0).mean())
        partly = float(((channels > 0) & (channels < 3)).mean()) / max(share, 1e-9)
        right = 0 if partly > 0.5 else 1
        if right == wanted and 0.01 < share < 0.6 and abs(partly - 0.5) > 0.1:
            break
    raw = taken(light, 50.0, seed_from(random))
    seen = WINDOW.picture(raw, 8.0 / 2 ** max(ev + 3, 0.0))
    dark = WINDOW.picture(raw, 0.4)
    return Round(
        (Picture(tr("the phone's picture, white in the window"), seen),),
        tr("The window is white in the picture. Of what is clipped in the raw, is most of it lost?"),
        (tr("Most can be rebuilt: at least one channel is left"), tr("Most is lost: all three channels are clipped")),
        right,
        tr(
            "{share:.1f} % of this part are clipped in some channel; of those, {partly:.0f} % keep "
            "one or two "
            "channels and can be rebuilt, {partly2:.0f} % have "
            "none left.",
            share=100 * share,
            partly=100 * partly,
            partly2=100 * (1 - partly),
        ),
        (Picture(tr("darkened"), dark), Picture(tr("all three clipped: striped"), marked(dark, channels == 3))),
    )


def preview(random: np.random.Generator) -> Round:
    """Ask how much is clipped in the raw where the preview is white.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        How much is clipped in the raw where the preview is white.
    """
    right = int(random.integers(0, 3))
    ev = (-0.4, 0.9, 3.0)[right] + float(random.uniform(-0.1, 0.1))
    light = SKY.light(BRIGHT * 2**ev)
    raw = taken(light, 50.0, seed_from(random))
    whole = np.asarray(full(light).any(axis=2))
    share = float(whole.mean())
    right = 0 if share < 0.005 else 1 if share < 0.4 else 2
    phone = SKY.picture(raw, 7.0 / 2 ** min(ev, 0.0))
    white = float((phone.min(axis=2) >= 240).mean())
    dark = SKY.picture(raw, 0.6 / 2 ** max(ev, 0.0))
    return Round(
        (Picture(tr("what the viewfinder shows"), phone),),
        tr("Much of the viewfinder's picture is white. How much of it is clipped in the raw?"),
        (tr("Hardly anything"), tr("Some of it"), tr("Most of it")),
        right,
        tr(
            "White in the viewfinder: {white:.0f} %. Clipped in some channel of the raw: "
            "{share:.1f} %. The "
            "viewfinder warns about its own 8-bit picture.",
            white=100 * white,
            share=100 * share,
        ),
        (Picture(tr("the raw, darkened"), dark), Picture(tr("clipped in the raw: striped"), marked(dark, whole))),
    )


def phone_wins(random: np.random.Generator) -> Round:
    """Ask when the phone's picture keeps more than the raw.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        When the phone's picture keeps more than the raw.
    """
    over = bool(random.random() < 0.5)
    bracket, single = 1 / 420, 1 / 40 if over else 1 / 500
    lights = WINDOW.light(single), WINDOW.light(bracket)
    shots = [taken(x, 50.0, seed_from(random), n) for x, n in zip(lights, (1, 8), strict=True)]
    pixels = [WINDOW.picture(x, 1.6 * bracket / lv) for x, lv in zip(shots, (single, bracket), strict=True)]
    smooth = cv2.bilateralFilter(pixels[1], 5, 22, 3)
    pixels[1] = cv2.addWeighted(smooth, 1.7, cv2.GaussianBlur(smooth, (0, 0), 1.6), -0.7, 0)
    bright = WINDOW.light(1.0)[..., 1] > 20
    gone = [float(np.asarray(full(x).all(axis=2))[bright].mean()) for x in lights]
    right = 1 if gone[0] > gone[1] + 0.02 else 0
    order = shuffled(random, 2)
    where = order.index(right)
    who = (tr("the raw"), tr("the phone's picture"))[right]
    return Round(
        tuple(Picture(LETTERS[n], pixels[k]) for n, k in enumerate(order)),
        tr(
            "One is a raw, one the phone's own picture, merged from a bracket. Highlights are darkened "
            "in both. "
            "Which is the better start?"
        ),
        ("A", "B"),
        where,
        tr(
            "{LETTERS}, {who}: all channels are clipped in {gone:.0f} % of the window in the "
            "raw and in "
            "{gone2:.0f} % in the phone's "
            "picture. ",
            LETTERS=LETTERS[where],
            who=who,
            gone=100 * gone[0],
            gone2=100 * gone[1],
        )
        + (
            tr("An overexposed raw has nothing left there.")
            if over
            else tr("Exposed equally well, the raw keeps the texture that the phone smoothed and outlined.")
        ),
        (Picture(tr("the raw"), pixels[0]), Picture(tr("the phone's picture"), pixels[1])),
    )


def which_raw(random: np.random.Generator) -> Round:
    """Ask which of two is the raw.

    Parameters
    ----------
    random
        Random generator, so that the round can be repeated.

    Returns
    -------
    Round
        Which of two is the raw.
    """
    scene = str(random.choice(["crystals", "sluice"]))
    iso = float(random.choice([1600.0, 3200.0]))
    phone = phone_at(scene)
    metered = phone.meter()
    capture = phone.shoot(Exposure(iso, metered.seconds * metered.iso / iso), seed=seed_from(random) % 9973)
    left, top = (250, 190) if scene == "crystals" else (230, 80)
    cut = ExerciseScene(scene, (left, top, 320, 240))
    made = picture_of(capture)[top : top + 240, left : left + 320]
    light = cut.light(0.12)
    raw = cut.picture(taken(light, iso, seed_from(random)), 1.3)
    order = shuffled(random, 2)
    shown = tuple(Picture(LETTERS[n], (raw, made)[k]) for n, k in enumerate(order))
    where = order.index(0)
    return Round(
        shown,
        tr("The same shot twice, at 1:1. Which one is the raw, developed without noise reduction?"),
        ("A", "B"),
        where,
        tr(
            "{LETTERS}: the raw has grain and soft edges, and its fine texture is still there. At ISO "
            "{iso:.0f} "
            "the phone's picture smears noise and texture alike, and its edges "
            "have halos.",
            LETTERS=LETTERS[where],
            iso=iso,
        ),
        (Picture(tr("the raw"), raw), Picture(tr("the phone's picture"), made)),
    )


EXERCISES = {
    "lamp": Exercise(
        tr("Only the lamp"),
        tr("Expose so that only the lamp clips"),
        tr("Often thought: nothing may ever clip. A lamp may; what matters is the brightest thing with detail."),
        Task.INTAKE,
        lamp,
    ),
    "raw": Exercise(
        tr("Which is the raw?"),
        tr("Raw or the phone's picture"),
        tr("Often thought: the raw looks better. At first it is flat, soft and grainy: that is what the sensor saw."),
        Task.COMPARE,
        which_raw,
    ),
    "lost": Exercise(
        tr("Is it lost?"),
        tr("Clipped is not always lost"),
        tr("Often thought: white in the picture is lost. It is lost only where all three channels are clipped."),
        Task.CORRECT,
        lost,
    ),
    "preview": Exercise(
        tr("What the preview hides"),
        tr("The raw behind a white preview"),
        tr("Often thought: the stripes in the viewfinder show what is clipped. They show it for the phone's picture."),
        Task.INTAKE,
        preview,
    ),
    "phone": Exercise(
        tr("When the phone wins"),
        tr("Which of the two keeps more"),
        tr(
            "Often thought: the raw always holds more. An overexposed raw can hold less than a "
            "picture merged "
            "from many frames."
        ),
        Task.COMPARE,
        phone_wins,
    ),
}
