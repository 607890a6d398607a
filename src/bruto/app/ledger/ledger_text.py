"""Sentences for folded groups of the ledger: what they do now."""

from __future__ import annotations

from bruto.develop.recipe import Recipe
from bruto.develop.values import IDENTITY, SWAP_RED_BLUE


def _n(value: float, digits: int = 2, signed: bool = False) -> str:
    return f"{value:{'+' if signed else ''}.{digits}f}".replace("-", "−")


def sentence(group: str, recipe: Recipe) -> str:
    """What a group of a recipe does, in words with numbers."""
    parts = {
        "light": _light,
        "white": _white,
        "noise": _noise,
        "sharpness": _sharpness,
        "relief": _relief,
        "colour": _colour,
        "hues": _hues,
        "curves": _curves,
        "tints": _tints,
        "frame": _frame,
        "finish": _finish,
    }[group](recipe)
    return ", ".join(parts) if parts else "nothing changed"


def _light(r: Recipe) -> list[str]:
    parts = [f"exposure {_n(r.exposure, signed=True)} EV"] if r.exposure else []
    return parts + ([f"contrast {_n(r.contrast)} ×"] if r.contrast != 1 else [])


def _white(r: Recipe) -> list[str]:
    if r.raw_neutral is not None:
        return ["white by the sensor's own colour"]
    if r.temperature is None and r.tint is None:
        return ["white as shot"]
    return [f"white at {r.temperature:.0f} K" if r.temperature else "temperature as shot"]


def _noise(r: Recipe) -> list[str]:
    best = ", best grade in files" if r.noise_best else ""
    return [f"brightness {_n(r.brightness_noise)} σ and colour {_n(r.colour_noise)} σ taken out{best}"]


def _sharpness(r: Recipe) -> list[str]:
    if r.sharpness == 0:
        return []
    if r.sharpness < 0:
        return [f"softened by {_n(-r.sharpness)} at {_n(r.sharpness_radius)} px"]
    return [f"{_n(100 * r.sharpness, 0)} % of a blur of {_n(r.sharpness_radius)} px taken back"]


def _relief(r: Recipe) -> list[str]:
    parts = [f"haze {_n(r.haze, 0)} %"] if r.haze else []
    for name in ("fine", "medium", "broad"):
        value = getattr(r, f"relief_{name}")
        if value != 1:
            parts.append(f"{name} {_n(value)} ×")
    return parts


def _colour(r: Recipe) -> list[str]:
    if r.monochrome:
        return ["monochrome"]
    parts = [f"chroma {_n(r.chroma)} ×"] if r.chroma != 1 else []
    parts += [f"quiet colours {_n(r.quiet_colours)} ×"] if r.quiet_colours != 1 else []
    if r.mixing == SWAP_RED_BLUE:
        parts.append("red and blue exchanged")
    elif r.mixing != IDENTITY:
        parts.append("channels mixed")
    return parts


def _hues(r: Recipe) -> list[str]:
    return [f"{len(r.hue_nodes)} hue{'s' if len(r.hue_nodes) > 1 else ''} changed"] if r.hue_nodes else []


def _curves(r: Recipe) -> list[str]:
    return [name for name in ("joint", "red", "green", "blue") if getattr(r.curves, name)]


def _tints(r: Recipe) -> list[str]:
    zones = ((name, getattr(r.balance, name)) for name in ("dark", "middle", "bright"))
    return [f"{name} towards {zone.hue:.0f}°" for name, zone in zones if zone.amount]


def _frame(r: Recipe) -> list[str]:
    named = (("level", "turned"), ("verticals", "verticals"), ("horizontals", "horizontals"))
    parts = [f"{text} {_n(getattr(r, name), 1, signed=True)}°" for name, text in named if getattr(r, name)]
    if r.turns:
        parts.insert(0, f"{90 * r.turns}° clockwise")
    if r.whole_area:
        parts.append("all recorded")
    if r.aspect:
        parts.append(f"{_n(r.aspect)} : 1")
    return parts + (["cropped"] if r.crop is not None else [])


def _finish(r: Recipe) -> list[str]:
    parts = [f"edges {_n(r.edge_light, signed=True)} EV"] if r.edge_light else []
    return parts + ([f"grain {_n(r.grain)} × of {_n(r.grain_size, 1)} px"] if r.grain else [])
