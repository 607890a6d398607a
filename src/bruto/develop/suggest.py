"""A value for every correction, from measurements, with the evidence in one line.

Suggestions never depend on the recipe's current values, except that the tone handles stand on the light after the
suggested exposure.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import lightness
from bruto.color.temperature import kelvin_duv_of
from bruto.container.colour_model import neutral_to_xy
from bruto.container.orientation import orient
from bruto.develop.engine import Developer, Rect
from bruto.develop.frame import focal_px
from bruto.develop.lines import Held, facade_turn, find_lines, how_held
from bruto.develop.mixed_light import two_lights
from bruto.develop.recipe import Recipe
from bruto.develop.residual import Residual
from bruto.develop.spread import suggest_spread
from bruto.develop.suggestion import Suggestion
from bruto.develop.values import Handle, Tone
from bruto.develop.white import estimate_white, likely_neutral
from bruto.sensor.blur import edge_blur

MIDDLE_EV = -0.4
"""Where the mean of logarithms of an ordinary scene lies from middle grey, EV: its arithmetic mean is near 18 %."""
WHITE_SURFACE_EV = 2.2
"""A white surface (83 %) above middle grey (18 %), EV."""
HIGHLIGHTS_EV = 2.6
"""Where the brightest half percent may go in scenes without a light source in them, EV from grey."""
SURE_ENOUGH = 0.22
"""Confidence from which the picture's own white is trusted over the phone's."""
MOST_NOISE = 3.0
"""Standard deviation in L* at grey, at 1:1, up to which a scene is lifted."""
CLEAR_AIR = 0.45
"""Share of airlight that the estimate finds in clear scenes with bright surfaces in them."""
MOST_HAZE = 60.0
"""Most haze removal that is suggested, %."""
LINES_EDGE = 1400
"""Long edge of the picture that lines are looked for in, pixels, at most."""
LEAST_LEVEL, MOST_LEVEL = 0.25, 12.0
"""Leans that are seen and not meant, degrees."""
LEAST_VERTICALS, MOST_VERTICALS = 0.6, 12.0
"""Tilts that are seen and not meant, degrees."""
MOST_ON_DETAIL = 1.15
"""Variance of what noise reduction takes out on detail over that on plain surfaces, up to which it is noise alone."""
LESS_NOISE = (0.0, 0.1, 0.2)
"""Steps that noise reduction goes back by where detail would go with the noise, times the noise measured."""
PLACES = {
    "left": "on the left", "right": "on the right", "top": "above", "bottom": "below", "middle": "in the middle",
    "edges": "about the edges",
}  # fmt: skip
"""Where one of two lights lies, in words."""
VISIBLE_NOISE = 1.0
"""Standard deviation in L* from which noise is seen at 1:1 on a screen at arm's length."""


def scene_ev(developer: Developer) -> NDArray[np.float32]:
    """Scene EV (h, w) of a small picture of the frame, as-shot balance, before exposure; see the light strip."""
    factor = 4
    while max(developer.source.size) / factor > 1100:
        factor *= 2
    return np.log2(np.maximum(developer.luminance(factor), 2e-5) / 0.18)


def suggest_exposure(ev: NDArray[np.float32], most: float = 6.0) -> Suggestion:
    """Half way between bringing the mean of logarithms to grey and bringing the bright surfaces to white, held by the
    highlights.

    The mean alone greys down salt and snow, the white alone darkens scenes with a window in them.
    """
    middle = float(np.mean(np.clip(ev, -9, 4)))
    white = float(np.percentile(ev, 97))
    by_middle, by_white = MIDDLE_EV - middle, WHITE_SURFACE_EV - white
    gain = 0.5 * by_middle + 0.5 * by_white
    contrast = white - middle
    if contrast > 4.5:  # a window or lamp in a dark room: follow the room, the tone curve holds the window
        gain = by_middle - 1.2 if by_white < by_middle - 2 else gain
    else:
        gain = min(gain, HIGHLIGHTS_EV - float(np.percentile(ev, 99.5)))
    held = gain > most
    gain = float(np.clip(round(round(min(gain, most) / 0.05) * 0.05, 2), -3, 6))
    side = "under" if middle < 0 else "over"
    bright = f"{white:+.1f}".replace("-", "−")
    rest = "held back: noise would show" if held else f"bright surfaces at {bright} EV"
    return Suggestion("exposure", gain, f"middle of the scene lies {abs(middle):.1f} EV {side} grey, {rest}", middle)


def noise_limit(developer: Developer) -> float:
    """The exposure gain, EV, at which noise at middle grey reaches `MOST_NOISE`."""
    low, high = -3.0, 8.0
    for _ in range(24):
        middle = (low + high) / 2
        low, high = (middle, high) if grey_noise(developer, middle) < MOST_NOISE else (low, middle)
    return max(low, 1.0)


def suggest_white(developer: Developer) -> tuple[Suggestion, Suggestion]:
    """Temperature and tint: grey surfaces, the file's own white and the locus of lights, weighed by their errors."""
    factor = 4
    while max(developer.source.size) / factor > 1100:
        factor *= 2
    estimate = estimate_white(developer.level(factor))
    own = developer.as_shot()
    neutral = likely_neutral(developer.source.meta, developer.source.neutral, estimate)
    kelvin, duv = kelvin_duv_of(*neutral_to_xy(developer.source.meta, neutral))
    kelvin, duv = float(np.clip(round(kelvin / 10) * 10, 1500, 50000)), float(np.clip(round(duv, 4), -0.08, 0.08))
    if estimate.confidence < SURE_ENOUGH:
        text = f"no clear neutral in the picture; near the file's own {own[0]:.0f} K"
    elif developer.source.kind == "picture":
        text = f"grey surfaces and the locus of lights say {kelvin:.0f} K (relative: the phone balanced it already)"
    else:
        text = f"grey surfaces say {kelvin:.0f} K, the file {own[0]:.0f} K, weighed by their errors"
    meta = developer.source.meta
    mixed = two_lights(orient(developer.level(factor), meta.orientation), meta, developer.balance)
    if mixed is not None:
        text = (
            f"two lights, {mixed.warm:.0f} K {PLACES[mixed.side]} and {mixed.cold:.0f} K elsewhere, cannot both be "
            f"white; most greys ask for {kelvin:.0f} K"
        )
    file_duv = f"{own[1]:+.4f}".replace("-", "−")
    return (
        Suggestion("temperature", kelvin, text, estimate.confidence),
        Suggestion("tint", duv, f"lights lie near the locus; the file's own white has Duv {file_duv}", own[1]),
    )


def grey_noise(developer: Developer, exposure: float) -> float:
    """Standard deviation in L* that brightness noise has at middle grey after an exposure gain, at 1:1."""
    a, b = developer.noise[1]
    x = 0.18 / 2.0 ** (exposure + developer.source.meta.baseline_exposure)
    sigma = math.sqrt(a * x + b) / x * 0.18
    return float((lightness(0.18 + sigma) - lightness(max(0.18 - sigma, 0.0))) / 2)


def suggest_noise(developer: Developer, exposure: float) -> tuple[Suggestion, Suggestion]:
    """As much as was measured where it would be seen, less where it would not; colour noise nearly all."""
    sigma = grey_noise(developer, exposure)
    share = float(np.clip(sigma / (sigma + 0.35 * VISIBLE_NOISE), 0.0, 0.98))
    brightness = round(0.3 + 0.75 * share, 2)
    colour = round(0.9 + 0.5 * share, 2)
    where = "from the file" if developer.source.noise_from == "file" else "measured in the picture"
    text = f"σ {sigma:.1f} L* at grey after exposure, {where}"
    residual = Residual(developer)
    fits = (less for less in LESS_NOISE if residual.on_detail(brightness - less, colour) <= MOST_ON_DETAIL)
    less = next(fits, LESS_NOISE[-1] if sigma < VISIBLE_NOISE else None)
    if less is None:  # however little is taken, and it must be taken
        text = f"{text}; the finest detail is lost in it"
    elif less:
        text = f"{text}; more would take detail with it"
        brightness = round(brightness - less, 2)
    return (
        Suggestion("brightness_noise", brightness, text, sigma),
        Suggestion("colour_noise", colour, "colour has no detail this fine; nearly all of it goes", sigma),
    )


def suggest_sharpness(developer: Developer, exposure: float) -> tuple[Suggestion, Suggestion]:
    """Radius: the blur of the edges in the middle of the frame; amount: less where noise would be raised."""
    w, h = developer.source.size
    side_w, side_h = min(w, 1800), min(h, 1400)
    rect = Rect((w - side_w) // 2, (h - side_h) // 2, side_w, side_h)
    rgb, dx, dy = developer.piece(rect)
    green = np.ascontiguousarray(rgb[dy : dy + side_h, dx : dx + side_w, 1])
    blur = edge_blur(green, math.sqrt(developer.noise[1, 0]) / 2)
    sigma = grey_noise(developer, exposure)
    if blur is None:
        return (
            Suggestion("sharpness", 0.4, "no clear edges to measure; a little is safe", 0.0),
            Suggestion("sharpness_radius", 0.7, "no clear edges to measure; the usual lens blur", 0.7),
        )
    over = overshoot(green)
    if over > 0.10:
        return (
            Suggestion(
                "sharpness",
                -0.3,
                f"edges overshoot {over * 100:.0f} %: already over-sharpened, softened a little",
                over,
            ),
            Suggestion("sharpness_radius", 1.0, "softened at the halo's own scale", blur),
        )
    radius = float(np.clip(round(blur, 2), 0.35, 2.5))
    amount = float(np.clip(round(1.0 - 0.16 * sigma, 2), 0.25, 1.0))
    return (
        Suggestion(
            "sharpness",
            amount,
            f"σ {sigma:.1f} L* of noise at grey allows {amount:.2f} of the blur to be taken back",
            sigma,
        ),
        Suggestion("sharpness_radius", radius, f"edges measured {blur:.2f} px wide (σ)", blur),
    )


def overshoot(plane: NDArray[np.float32]) -> float:
    """Median overshoot of strong isolated edges as a share of the step (0 for a clean lens).

    Beside an edge's peak gradient the profile is followed 6 pixels to both sides; the excess over the plateau beyond
    is taken.
    """
    root = np.sqrt(np.maximum(plane, 0))
    gx = cv2.Sobel(root, cv2.CV_32F, 1, 0, scale=1 / 8)
    strength = np.abs(gx)
    peak = (
        (strength >= np.roll(strength, 1, 1))
        & (strength >= np.roll(strength, -1, 1))
        & (strength > np.percentile(strength[::3, ::3], 98))
    )
    ys, xs = np.nonzero(peak[:, 12:-12])
    if len(ys) < 80:
        return 0.0
    pick = np.random.default_rng(0).choice(len(ys), min(4000, len(ys)), replace=False)
    ys, xs = ys[pick], xs[pick] + 12
    profile = root[ys[:, None], xs[:, None] + np.arange(-10, 11)[None]] * np.sign(gx[ys, xs])[:, None]
    high, low = profile[:, 17:].mean(axis=1), profile[:, :4].mean(axis=1)
    step = high - low
    flat = (profile[:, 17:].std(axis=1) < 0.08 * step) & (profile[:, :4].std(axis=1) < 0.08 * step) & (step > 0.03)
    if flat.sum() < 40:
        return 0.0
    over = (profile[flat][:, 11:17].max(axis=1) - high[flat]) / step[flat]
    return float(max(0.0, np.median(over)))


def suggest_tone(developer: Developer, ev: NDArray[np.float32], exposure: float) -> Suggestion:
    """Handles on the evidence: black and white where the light ends, shadow and bright bent by how much light lies
    beyond them.
    """
    light = ev + exposure
    a, b = developer.noise[1]
    floor = math.log2(math.sqrt(b + a * 1e-4) / 0.18) + exposure + developer.source.meta.baseline_exposure
    low, high = float(np.percentile(light, 0.3)), float(np.percentile(light, 99.7))
    deep = float((light < -3.5).mean())
    far = float((light > 2.0).mean())
    black_ev = float(np.clip(max(low - 0.6, floor - 0.5), -11.0, -4.6))
    white_ev = float(np.clip(high + 0.15, 2.45, 7.0))
    shadow_l = 13.0 + 13.0 * min(1.0, deep / 0.35)
    bright_l = 81.0 - 7.0 * min(1.0, far / 0.25)
    tone = Tone(
        black=Handle(ev=round(black_ev, 1), lightness=1.0),
        shadow=Handle(ev=-3.0, lightness=round(shadow_l, 1)),
        grey=Handle(ev=0.0, lightness=51.5),
        bright=Handle(ev=1.6, lightness=round(bright_l, 1)),
        white=Handle(ev=round(white_ev, 1), lightness=99.0),
    )
    evidence = (
        f"light from {low:+.1f} to {high:+.1f} EV; {deep * 100:.0f} % deep in shadow, {far * 100:.0f} % above bright"
    )
    return Suggestion(
        "tone",
        tone,
        evidence.replace("-", "−"),
        deep,
    )


def suggest_haze(developer: Developer) -> Suggestion:
    """Take out part of the airlight where it is more than bright surfaces make of themselves."""
    typical = developer.haze().typical
    amount = float(np.clip(round((typical - CLEAR_AIR) * 200 / 2) * 2, 0, MOST_HAZE))
    if amount == 0:
        return Suggestion(
            "haze",
            0.0,
            f"the air is clear: a veil of {100 * typical:.0f} % at most, as bright ground alone gives",
            typical,
        )
    return Suggestion("haze", amount, f"airlight is {100 * typical:.0f} % of the light in the far third", typical)


def suggest_base_look(developer: Developer) -> Suggestion | None:
    """Drop a look that lays out the light itself: the tone handles do that from what was measured. None without one."""
    profile = next(iter(developer.source.meta.profiles), None)
    if profile is None or (profile.tone_curve is None and profile.gain_table is None):
        return None
    if profile.gain_table is None:
        return Suggestion("base_look", False, "its tone curve knows nothing of this scene; the light was measured", 0.0)
    low, high = float(profile.gain_table.gains.min()), float(profile.gain_table.gains.max())
    stops = math.log2(max(high, 1e-3) / max(low, 1e-3))
    evidence = f"the phone evens the light by up to {stops:.1f} EV ({low:.2f} to {high:.1f} ×), noise with it"
    return Suggestion("base_look", False, evidence, stops)


def suggest_finish(developer: Developer, exposure: float) -> list[Suggestion]:
    """Edge light and grain do nothing by themselves; the evidence says what they would act on."""
    light = developer.luminance(8)
    h, w = light.shape
    y, x = np.mgrid[:h, :w]
    r = np.hypot((x - w / 2) / w, (y - h / 2) / h) * 2
    ev = np.log2(np.maximum(light, 2e-5))
    outer, inner = ev[r >= 0.9 * r.max()], ev[r <= max(0.45, float(r.min()))]
    fall = float(np.median(outer) - np.median(inner))
    sigma = grey_noise(developer, exposure)
    side = "darker" if fall < 0 else "brighter"
    return [
        Suggestion("edge_light", 0.0, f"corners are {abs(fall):.1f} EV {side} than the middle, the scene's own", fall),
        Suggestion("grain", 0.0, f"a matter of taste; the raw's own noise is σ {sigma:.1f} L* at grey", sigma),
    ]


def suggest_frame(developer: Developer) -> list[Suggestion]:
    """Level and verticals from the lines of the picture; a phone held down or up on purpose is left so."""
    factor = 2
    while max(developer.source.size) / factor > LINES_EDGE:
        factor *= 2
    meta = developer.source.meta
    light = developer.light(Recipe(), factor)[..., 1]
    oriented = np.ascontiguousarray(orient(light, meta.orientation))
    lines, focal, edge = find_lines(oriented), focal_px(meta) / factor, max(oriented.shape)
    return [*_held(how_held(lines, focal, edge)), _square(facade_turn(lines, focal, edge))]


def _square(turn: float | None) -> Suggestion:
    """How a facade was faced is measured; whether it should be squared is the picture's own matter."""
    if turn is None:
        return Suggestion("horizontals", 0.0, "no level lines that tell how a facade was faced", 0.0)
    side = "right" if turn > 0 else "left"
    text = f"level lines tell {turn:+.1f}° (looked to the {side}); set it to square a facade"
    return Suggestion("horizontals", 0.0, text.replace("-", "−"), turn)


def _held(held: Held | None) -> list[Suggestion]:
    if held is None:
        text = "no lines that say how the phone was held"
        return [Suggestion("level", 0.0, text, 0.0), Suggestion("verticals", 0.0, text, 0.0)]
    kind = "level lines" if held.verticals is None and held.level_lines else "plumb lines"
    side = "clockwise" if held.level < 0 else "anticlockwise"
    level = round(held.level, 1) if LEAST_LEVEL <= abs(held.level) <= MOST_LEVEL else 0.0
    lean = f"{held.lines} {kind}, {100 * held.share:.0f} % of such, lean {abs(held.level):.1f}°"
    text = f"{lean} {side}" if level else f"{lean}: level enough"
    if abs(held.level) > MOST_LEVEL:
        text = f"{lean}: turned on purpose"
    found = [Suggestion("level", level, text, held.level)]
    if held.verticals is None:
        text = "no plumb lines far enough apart to tell a tilt"
        return [*found, Suggestion("verticals", 0.0, text, 0.0)]
    where = "up" if held.verticals > 0 else "down"
    text = f"{held.lines} plumb lines say that the phone looked {abs(held.verticals):.1f}° {where}"
    if abs(held.verticals) > MOST_VERTICALS:
        return [*found, Suggestion("verticals", 0.0, f"{text}: on purpose, left so", held.verticals)]
    amount = round(held.verticals, 1) if abs(held.verticals) >= LEAST_VERTICALS else 0.0
    return [*found, Suggestion("verticals", amount, text if amount else f"{text}: straight enough", held.verticals)]


class Suggesting:
    """Suggestions found part by part (tenths of a second each), so that pictures can be made in between."""

    def __init__(self, developer: Developer) -> None:
        self.developer = developer
        self.found: dict[str, Suggestion] = {}
        self._parts = _parts_of(developer, self.found)  # knows nothing of this object: no circle keeps the raw alive

    def step(self) -> bool:
        """Find the next part; False when all is found."""
        part = next(self._parts, None)
        if part is None:
            return False
        self.found.update((s.field, s) for s in part)
        return True


def _parts_of(developer: Developer, found: dict[str, Suggestion]) -> Iterator[Iterable[Suggestion]]:
    ev = scene_ev(developer)
    exposure = suggest_exposure(ev, noise_limit(developer))
    yield [exposure]
    yield suggest_white(developer)
    yield suggest_noise(developer, exposure.value)
    yield suggest_sharpness(developer, exposure.value)
    yield [suggest_tone(developer, ev, exposure.value)]
    look = suggest_base_look(developer)
    yield [look] if look is not None else []
    yield [suggest_haze(developer)]
    yield suggest_frame(developer)
    so_far = take_all(Recipe(), found)
    yield suggest_spread(developer, so_far, grey_noise(developer, exposure.value))
    yield suggest_finish(developer, exposure.value)


def suggest_all(developer: Developer) -> dict[str, Suggestion]:
    """All suggestions by field name."""
    suggesting = Suggesting(developer)
    while suggesting.step():
        pass
    return suggesting.found


def take_all(recipe: Recipe, suggestions: dict[str, Suggestion]) -> Recipe:
    """The recipe with every suggestion taken."""
    values = {
        field: (s.value.model_dump() if isinstance(s.value, Tone) else s.value) for field, s in suggestions.items()
    }
    return recipe.changed(**values)
