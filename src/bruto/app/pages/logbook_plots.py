"""What a logbook has learnt of a phone and of a hand, as plots with every shot as a dot."""

from __future__ import annotations

import math
from statistics import median

from PySide6.QtWidgets import QGridLayout, QWidget

from bruto.app.widgets.build import down, fill
from bruto.app.widgets.plain_text import Label
from bruto.app.widgets.plot import Plot, Scale, doublings
from bruto.catalog import sentences, tr
from bruto.logbook.estimates import BLURRED_PX
from bruto.logbook.questions import LogbookContent, plain_iso
from bruto.plan.noise import GREY, SHADOW_EV, blur_chance
from bruto.sensor.advice import time_text

USUAL_FOCAL_35MM = 26.0
"""Equivalent focal length, mm, for which the hand's limit is drawn where none is more common."""


def _sigma(a: float, b: float) -> float:
    """Noise of the shadow that is looked into, percent of its light."""
    x = GREY * 2**SHADOW_EV
    return 100 * math.sqrt(max(a * x + b, 1e-30)) / x


def _signed(ev: int) -> str:
    """Whole EV with their sign."""
    return tr("{ev:+d} EV", ev=ev) if ev else tr("0 EV")


def plot_noise(plot: Plot, state: LogbookContent) -> None:
    """Noise by ISO, with what is learnt and how far shots differ from it."""
    if not state.groups:
        plot.show_nothing(tr("No shot shows its noise yet. Open some mosaic raws of this phone."))
        return
    group = state.groups[0]
    shots = [r for r in group.shots if r.iso and r.noise_a and r.noise_b is not None]
    isos = [r.iso or 1 for r in shots]
    dots = [
        (r.iso or 1, _sigma(r.noise_a or 0, r.noise_b or 0), (r.name or r.key[:12]) not in group.noise.outliers)
        for r in shots
    ]
    low, high = min(isos), max(isos)
    every = [low / 1.2 * (high * 1.44 / low) ** (k / 40) for k in range(41)]
    model = [(i, _sigma(*group.noise.model.at(i))) for i in every]
    band = [[(i, s * f) for i, s in model] for f in (group.noise.model.error, 1 / group.noise.model.error)]
    values = [d[1] for d in dots] + [s for _, s in model]
    ticks = tuple((v, f"{v:g} %") for v in (0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500))
    y = Scale(min(values) / 1.3, max(values) * 1.3, ticks)
    y = Scale(y.low, y.high, tuple(t for t in ticks if y.low < t[0] < y.high))
    iso = group.noise.ceiling_iso
    text = "" if iso is None else tr("shadows usable up to ISO {plain_iso}", plain_iso=plain_iso(iso))
    plot.show_plot(
        doublings(low, high),
        y,
        ("ISO", tr("noise at −3 EV · {split}", split=group.title.split(",")[0])),
        dots,
        [model, *band],
        text,
    )


def plot_hand(plot: Plot, state: LogbookContent) -> None:
    """How many handheld shots are blurred by time."""
    if state.hand is None:
        plot.show_nothing(sentences(state.hand_text, tr("Mark handheld shots on the right.")))
        return
    shots = state.hand_shots
    times = [(r.exposure_s or 1) * (r.focal_35mm or USUAL_FOCAL_35MM) / USUAL_FOCAL_35MM for r in shots]
    dots = [(s, 100.0 if (r.blur_px or 0) >= BLURRED_PX else 0.0, True) for s, r in zip(times, shots, strict=True)]
    low, high = min(times), max(times)
    limit = state.hand.seconds(USUAL_FOCAL_35MM)
    every = [low * (high / low) ** (k / 60) for k in range(61)]
    curve = [(s, 100 * blur_chance(s, limit, state.hand.spread)) for s in every]
    ticks = tuple((1 / n, f"1/{n}") for n in (1000, 250, 60, 15, 4)) + ((1.0, "1 s"), (4.0, "4 s"))
    x = Scale(low / 1.2, high * 1.2, tuple(t for t in ticks if low / 1.2 < t[0] < high * 1.2))
    y = Scale(-6, 106, ((0, "0 %"), (50, "50 %"), (100, "100 %")), even=True)
    tenth = time_text(state.hand.seconds(USUAL_FOCAL_35MM, 0.1))
    least, most = (time_text(limit * f) for f in (1 / state.hand.error, state.hand.error))
    text = tr("half blurred at {least} to {most}, one in ten at {tenth}", least=least, most=most, tenth=tenth)
    plot.show_plot(
        x,
        y,
        (tr("time"), tr("blurred, at {USUAL_FOCAL_35MM:.0f} mm", USUAL_FOCAL_35MM=USUAL_FOCAL_35MM)),
        dots,
        [curve],
        text,
    )


def plot_viewfinder(plot: Plot, state: LogbookContent) -> None:
    """How early or late the viewfinder warns."""
    shots = [r for g in state.groups for r in g.shots if r.viewfinder_ev is not None and r.iso]
    if not state.viewfinder or not shots:
        plot.show_nothing(tr("Three shots close to clipping show how early the viewfinder warns."))
        return
    learnt = max(state.viewfinder.values(), key=lambda v: v.count)
    values = [r.viewfinder_ev or 0.0 for r in shots]
    reach = max(1.0, math.ceil(max(abs(v) for v in values) + 0.2))
    isos = [r.iso or 1 for r in shots]
    x = doublings(min(isos), max(isos))
    y = Scale(-reach, reach, tuple((float(v), _signed(v)) for v in range(-int(reach), int(reach) + 1)), even=True)
    alternative = tr("early") if learnt.value >= 0 else tr("late")
    plot.show_plot(
        x,
        y,
        ("ISO", tr("warns early (+)")),
        [(r.iso or 1, r.viewfinder_ev or 0.0, True) for r in shots],
        [[(x.low, learnt.value), (x.high, learnt.value)]],
        tr(
            "it warns {value:.1f} ± {error:.1f} EV {alternative}",
            value=abs(learnt.value),
            error=max(learnt.error, 0.05),
            alternative=alternative,
        ),
    )


def plot_storage(plot: Plot, state: LogbookContent) -> None:
    """Megabytes of a shot."""
    shots = [r for g in state.groups[:1] for r in g.shots if r.bytes and r.iso]
    if not state.storage or not shots:
        plot.show_nothing(tr("The storage a shot takes appears once some shots are measured."))
        return
    name, most = max(state.storage.items(), key=lambda kv: kv[1].count)
    isos = [r.iso or 1 for r in shots]
    sizes = [(r.bytes or 0) / 1e6 for r in shots]
    top = max(sizes) * 1.15
    step = 10 ** math.floor(math.log10(top / 2))
    step *= next(f for f in (1, 2, 5, 10) if top / (f * step) <= 5)
    ticks = tuple((k * step, tr("{k:g} MB", k=k * step)) for k in range(math.floor(top / step) + 1))
    x = doublings(min(isos), max(isos))
    plot.show_plot(
        x,
        Scale(0, top, ticks, even=True),
        ("ISO", tr("one shot with its files")),
        [(r.iso or 1, (r.bytes or 0) / 1e6, True) for r in shots],
        [[(x.low, most.value / 1e6), (x.high, most.value / 1e6)]],
        tr("{name}: {value:.1f} ± {error:.1f} MB a shot", name=name, value=most.value / 1e6, error=most.error / 1e6),
    )


def plot_headroom(plot: Plot, state: LogbookContent) -> None:
    """Light that shots left unused below clipping, with the median."""
    shots = [r for g in state.groups for r in g.shots if r.headroom_ev is not None and r.iso]
    if len(shots) < LEAST_SHOTS:
        plot.show_nothing(tr("Three measured shots show how much headroom is usually left."))
        return
    values = [r.headroom_ev or 0.0 for r in shots]
    top = max(1, math.ceil(max(values) + 0.2))
    low = min(0, math.floor(min(values)))
    isos = [r.iso or 1 for r in shots]
    x, middle = doublings(min(isos), max(isos)), median(values)
    plot.show_plot(
        x,
        Scale(low - 0.2, top, tuple((float(v), _signed(v)) for v in range(low, top + 1)), even=True),
        ("ISO", tr("below clipping")),
        [(r.iso or 1, r.headroom_ev or 0.0, True) for r in shots],
        [[(x.low, middle), (x.high, middle)]],
        tr("half of the shots leave more than {middle:.1f} EV unused", middle=middle),
    )


LEAST_SHOTS = 3
"""Shots from which a median says something."""
PLOTS = (
    ("noise", tr("Noise by ISO"), plot_noise),
    ("hand", tr("Blur by time"), plot_hand),
    ("viewfinder", tr("Viewfinder"), plot_viewfinder),
    ("storage", tr("Storage"), plot_storage),
    ("headroom", tr("Headroom"), plot_headroom),
)
"""Identifier and title of every plot, and what fills it; one more is an entry here."""
COLUMNS = 2


class LearntPlots(QWidget):
    """The plots of `PLOTS`; and pace and battery in a sentence."""

    def __init__(self) -> None:
        super().__init__()
        column = down(self, margins=0)
        grid = QGridLayout()
        self.plots = {name: Plot(title) for name, title, _ in PLOTS}
        for k, plot in enumerate(self.plots.values()):
            alone = k == len(self.plots) - 1 and k % COLUMNS == 0
            grid.addWidget(plot, k // COLUMNS, k % COLUMNS, 1, COLUMNS if alone else 1)
        self.learnt = Label("", objectName="quiet", wordWrap=True)
        fill(column, (grid, 1), self.learnt)

    def show_state(self, state: LogbookContent) -> None:
        """Show what is learnt."""
        for name, _, draw in PLOTS:
            draw(self.plots[name], state)
        parts = []
        if state.pace:
            parts += [
                tr("saving a {kind} takes {value:.1f} ± {error:.1f} s", kind=kind, value=v.value, error=v.error)
                for kind, v in state.pace.items()
            ]
        if state.battery is not None:
            rate = state.battery
            parts.append(
                tr("the battery loses {value:.0f} ± {error:.0f} % an hour", value=rate.value, error=rate.error)
            )
        text = "; ".join(parts)
        sure = tr("± holds nine times in ten.")
        said = text[:1].upper() + text[1:] + "." if text else ""
        self.learnt.setText(sentences(said, sure) if text or state.groups else "")
