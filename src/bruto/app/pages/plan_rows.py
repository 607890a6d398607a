"""Rows of the plan's ledger: values that the phone offers, times of the night, directions."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from fractions import Fraction

from bruto.app.ledger.rows import Row, Track
from bruto.app.widgets.formatted_spin_box import FormattedSpinBox
from bruto.app.widgets.value_box import plain_number
from bruto.catalog import tr
from bruto.develop.field_ui import FieldUi
from bruto.plan.equipment import Equipment
from bruto.plan.place import WINDS, Place, bearing_text
from bruto.plan.planned_shots import PlannedShot
from bruto.sensor.advice import time_text
from bruto.session.simulated_preview import Axis

FRAMES = (
    *range(1, 11),
    12,
    16,
    20,
    24,
    32,
    40,
    48,
    64,
    80,
    96,
    120,
    160,
    200,
    240,
    300,
    360,
    480,
    600,
    800,
    1000,
    1500,
)
CLOCK_STEP_S = 300.0
MOST_FRAMES = 100_000


class StepTrack(Track):
    """A track on which a phone's steps stand at equal distances; a value between two of them stands between them."""

    def __init__(self, steps: Sequence[float]) -> None:
        self.steps = tuple(sorted(steps))
        super().__init__(self.steps[0], self.steps[-1], 1.0)

    def _share(self, v: float) -> float:
        n = len(self.steps) - 1
        if n == 0:
            return 0.5
        k = sum(1 for s in self.steps if s <= v * (1 + 1e-6)) - 1
        if k < 0 or k >= n:
            return 0.0 if k < 0 else 1.0
        low, high = self.steps[k], self.steps[k + 1]
        return (k + math.log(v / low) / math.log(high / low)) / n

    def value_at(self, x: float) -> float:
        share = min(1.0, max(0.0, (x - 6) / (self.width() - 12)))
        return self.steps[round(share * (len(self.steps) - 1))]

    def nudged(self, steps: int) -> float:
        return next_step(self.steps, self.value, steps)


NAME = 64
"""Width of the column of names, pixels."""


def next_step(steps: Sequence[float], value: float, by: int) -> float:
    """The step so many places from a value.

    >>> next_step((1.0, 2.0, 4.0), 2.0, 1), next_step((1.0, 2.0, 4.0), 3.0, -1), next_step((1.0, 2.0, 4.0), 3.0, 1)
    (4.0, 2.0, 4.0)
    """
    below = [s for s in steps if s < value * (1 - 1e-6)]
    above = [s for s in steps if s > value * (1 + 1e-6)]
    if by < 0:
        return below[max(by, -len(below))] if below else steps[0]
    return above[min(by, len(above)) - 1] if above else steps[-1]


def read_time(text: str) -> float | None:
    """Seconds from what is typed.

    >>> read_time("1/60"), read_time("2,5 s"), read_time("1/0"), read_time("x")
    (0.016666666666666666, 2.5, None, None)
    """
    bare = text.strip().removesuffix("s").strip()
    try:
        return float(Fraction(bare)) if "/" in bare else float(plain_number(bare))
    except (ValueError, ZeroDivisionError):
        return None


def read_plain(text: str) -> float | None:
    """A number from what is typed, with or without its unit."""
    try:
        return float(plain_number(text.strip().rstrip("°mspxISO ").strip()))
    except ValueError:
        return None


def read_bearing(text: str) -> float | None:
    """Degrees from "186", "186° S" or "SW"."""
    bare = text.strip().upper().replace("°", " ").split()
    if len(bare) == 1 and bare[0] in WINDS:
        return 45.0 * WINDS.index(bare[0])
    return read_plain(bare[0]) if bare else None


class PlanRow(Row):
    """A row of a planned shot; what stands in it is written as `write` says."""

    FOUND = tr("recommended")

    @staticmethod
    def name_width() -> int:
        return NAME

    def __init__(
        self, field: str, title: str, span: tuple[float, float], about: str, track: Track,
        write: Callable[[float], str], read: Callable[[str], float | None], example: str,
    ) -> None:  # fmt: skip
        self.write = write

        def next_to(value: float, steps: int) -> float:
            if isinstance(track, StepTrack):
                return next_step(track.steps, value, steps)
            return round((value + steps * track.step) / track.step) * track.step

        super().__init__(
            field, FieldUi(title, "", 0.0001), span, about, track, FormattedSpinBox(write, read, next_to, example)
        )
        self.spin.setDecimals(6)  # the digits that are seen are those of `write`

    def text_of(self, value: float) -> str:
        return self.write(value)


def clock_reader(axis: Axis, place: Place) -> Callable[[str], float | None]:
    """What reads a time of day as its moment on an axis, POSIX seconds."""

    def read(text: str) -> float | None:
        parts = text.strip().replace(".", ":").split(":")
        try:
            hour, minute = int(parts[0]), int(parts[1]) if len(parts) > 1 and parts[1] else 0
        except ValueError:
            return None
        if not (0 <= hour < 24 and 0 <= minute < 60):
            return None
        begin = axis.begin.astimezone(place.clock)
        day = begin.replace(hour=hour, minute=minute, second=0, microsecond=0)
        for moment in (day, day + timedelta(days=1)):
            at = moment.astimezone(UTC)
            if axis.begin <= at < axis.end:
                return at.timestamp()
        return None

    return read


def clock_teller(place: Place) -> Callable[[float], str]:
    """What tells a moment, POSIX seconds, by the clock of a place."""
    return lambda value: f"{datetime.fromtimestamp(value, UTC).astimezone(place.clock):%H:%M}"


def rows_for(planned: PlannedShot, means: Equipment, axis: Axis, place: Place, names: Sequence[str]) -> list[PlanRow]:
    """The rows of a planned shot in working order; `names`: for which something is proposed."""
    lenses = sorted({q.focal_35mm for q in means.lenses})
    begin, end = axis.begin.timestamp(), axis.end.timestamp()
    seconds, isos = sorted(means.seconds), sorted(means.isos)
    exposure = planned.seconds or 1.0
    every: dict[str, Callable[[], PlanRow]] = {
        "at": lambda: PlanRow(
            "at",
            tr("Start"),
            (begin, end),
            tr("Start time by the clock of the place"),
            Track(begin, end, CLOCK_STEP_S),
            clock_teller(place),
            clock_reader(axis, place),
            "23:10",
        ),
        "focal_35mm": lambda: PlanRow(
            "focal_35mm",
            tr("Lens"),
            (lenses[0], lenses[-1]),
            tr("35 mm equivalent focal length, from the phone's lenses"),
            StepTrack(lenses),
            lambda v: tr("{v:.0f} mm", v=v),
            read_plain,
            "26",
        ),
        "altitude": lambda: PlanRow(
            "altitude",
            tr("Altitude"),
            (-10, 90),
            tr("Altitude of the frame's centre, degrees above the horizon"),
            Track(-10, 90, 1),
            lambda v: f"{v:.0f}°".replace("-", "−"),
            read_plain,
            "35",
        ),
        "azimuth": lambda: PlanRow(
            "azimuth",
            tr("Azimuth"),
            (0, 360),
            tr("Azimuth of the frame's centre, degrees clockwise from north"),
            Track(0, 360, 1),
            bearing_text,
            read_bearing,
            tr("180 or S"),
        ),
        "seconds": lambda: PlanRow(
            "seconds",
            tr("Time"),
            (min(seconds[0], 1e-5), max(seconds[-1], 3600)),
            tr("Exposure time, from those the phone offers"),
            StepTrack(seconds),
            time_text,
            read_time,
            tr("1/60 or 2.5"),
        ),
        "iso": lambda: PlanRow(
            "iso",
            "ISO",
            (min(isos[0], 10), max(isos[-1], 102400)),
            tr("ISO speed, from those the phone offers"),
            StepTrack(isos),
            lambda v: f"{v:.0f}",
            read_plain,
            "400",
        ),
        "interval_s": lambda: PlanRow(
            "interval_s",
            tr("Interval"),
            (0.1, 3600),
            tr("From the start of one frame to the next"),
            Track(exposure, exposure + 20, 0.1),
            lambda v: f"{v:.1f} s".replace(".0 s", " s"),
            read_time,
            "16.5",
        ),
        "frames": lambda: PlanRow(
            "frames",
            tr("Frames"),
            (1, MOST_FRAMES),
            tr("Number of frames"),
            StepTrack(FRAMES),
            lambda v: f"{v:.0f}",
            read_plain,
            "240",
        ),
    }
    return [make() for name, make in every.items() if name in names]
