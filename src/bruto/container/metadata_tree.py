"""What is in a file, as a tree of names and values in plain words."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bruto.container.raw_frame import RawMeta

Row = tuple[str, str]
ILLUMINANTS = {
    1: "daylight", 2: "fluorescent", 3: "tungsten", 4: "flash", 10: "cloudy", 11: "shade", 17: "standard light A",
    18: "standard light B", 19: "standard light C", 20: "D55", 21: "D65", 22: "D75", 23: "D50", 24: "studio tungsten",
    255: "other",
}  # fmt: skip
"""LightSource of Exif 2.32, as DNG uses it."""
ORIENTATIONS = {
    1: "as stored", 2: "mirrored", 3: "turned by 180°", 4: "mirrored, turned by 180°", 5: "mirrored, turned left",
    6: "turned right", 7: "mirrored, turned right", 8: "turned left",
}  # fmt: skip


def _numbers(values: NDArray | tuple, digits: int = 4) -> str:
    return ", ".join(f"{float(v):.{digits}g}" for v in np.ravel(values))


def _area(box: tuple[int, int, int, int]) -> str:
    return f"{box[2]} × {box[3]} px from {box[0]}, {box[1]}"


def outline(meta: RawMeta, path: Path | None = None) -> list[tuple[str, list[Row]]]:
    """Groups of (name, value) rows; groups without rows are left out."""
    kinds = {
        "mosaic": "mosaic, one colour a pixel",
        "linear": "processed: linear, three colours a pixel",
        "picture": "finished picture",
    }
    w, h = meta.oriented_size
    picture = [
        ("Kind", kinds[meta.kind]),
        ("Size", f"{w} × {h} px, {w * h / 1e6:.1f} megapixels"),
        ("Orientation", ORIENTATIONS[meta.orientation]),
        ("Stored", f"{meta.width} × {meta.height} px"),
        ("Active area", _area(meta.active_area)),
        ("Default crop", _area(meta.default_crop)),
    ]
    if meta.default_scale != (1.0, 1.0):
        picture.append(("Default scale", _numbers(meta.default_scale)))
    if path is not None and path.exists():
        picture.append(("File", f"{path.name}, {path.stat().st_size / 1e6:.1f} MB"))
    groups = [("Picture", picture), ("Taken", _taken(meta))]
    if meta.kind != "picture":
        groups += [("Storage", _storage(meta)), ("Corrections", _corrections(meta)), ("Colour", _color(meta))]
        groups += [("Look", _look(meta)), ("Noise", _noise(meta)), ("Other pictures inside", _others(meta))]
    if meta.gps is not None:
        place = [("Latitude", f"{meta.gps.latitude:.5f}°"), ("Longitude", f"{meta.gps.longitude:.5f}°")]
        if meta.gps.altitude_m is not None:
            place.append(("Altitude", f"{meta.gps.altitude_m:.0f} m"))
        groups.append(("Place", place))
    groups.append(("To be aware of", [("", text) for text in meta.warnings]))
    return [(name, rows) for name, rows in groups if rows]


def _taken(m: RawMeta) -> list[Row]:
    rows = [
        ("Time", m.taken),
        ("Make", m.make),
        ("Model", m.model),
        ("Program", m.software),
        ("Description", m.description),
    ]
    if m.iso:
        rows.append(("ISO", f"{m.iso:g}"))
    if m.exposure_s:
        rows.append(("Exposure", f"1/{1 / m.exposure_s:.0f} s" if m.exposure_s < 0.3 else f"{m.exposure_s:g} s"))
    if m.f_number:
        rows.append(("Aperture", f"f/{m.f_number:g}"))
    if m.focal_mm:
        at35 = f", {m.focal_35mm:g} mm at 35 mm film" if m.focal_35mm else ""
        rows.append(("Focal length", f"{m.focal_mm:g} mm{at35}"))
    return [r for r in rows if r[1]]


def _storage(m: RawMeta) -> list[Row]:
    rows = [
        ("Container", f"{m.bits_container} bits a sample"),
        ("Compression", m.compression),
        ("Black level", _numbers(m.black)),
        ("White level", _numbers(m.white)),
    ]
    if m.cfa:
        rows.insert(0, ("Mosaic", m.cfa))
    if m.linearisation is not None:
        table = m.linearisation
        flat = int(np.argmax(table == table[-1]))
        rows.append(("Linearisation table", f"{len(table)} entries up to {int(table.max())}, flat from {flat}"))
    if m.masked_areas:
        rows.append(("Masked areas", "; ".join(_area(a) for a in m.masked_areas)))
    if m.black_rows is not None or m.black_columns is not None:
        rows.append(("Black by row or column", "yes"))
    return rows


def _corrections(m: RawMeta) -> list[Row]:
    return [(f"Step {k + 1}", text) for k, text in enumerate(m.opcodes)]


def _color(m: RawMeta) -> list[Row]:
    rows = [("As-shot neutral", _numbers(m.as_shot_neutral))]
    if not np.allclose(m.analog_balance, 1):
        rows.append(("Analog balance", _numbers(m.analog_balance)))
    for k, c in enumerate(m.calibrations):
        name = ILLUMINANTS.get(c.illuminant, f"light {c.illuminant}")
        rows.append((f"Calibration {k + 1}", name + (", with forward matrix" if c.forward is not None else "")))
        rows.append((f"Color matrix {k + 1}", _numbers(c.color)))
        if c.forward is not None:
            rows.append((f"Forward matrix {k + 1}", _numbers(c.forward)))
    return rows


def _look(m: RawMeta) -> list[Row]:
    rows = [("Baseline exposure", f"{m.baseline_exposure:+.2f} EV".replace("-", "−"))]
    for p in m.profiles:
        rows.append((f"Profile {p.name or 'without name'}", ", ".join(p.holds) or "matrices only"))
    return rows


def _noise(m: RawMeta) -> list[Row]:
    rows = []
    if m.noise_profile is not None:
        for k, (a, b) in enumerate(m.noise_profile):
            name = "All planes" if len(m.noise_profile) == 1 else f"Plane {k + 1}"
            rows.append((name, f"variance = {a:.3e} x + {b:.3e}"))
    stated = (
        ("Baseline noise", m.baseline_noise),
        ("Baseline sharpness", m.baseline_sharpness),
        ("Noise reduction applied", m.noise_reduction_applied),
    )
    for name, value in stated:
        if value is not None:
            rows.append((name, f"{value:g}"))
    return rows


def _others(m: RawMeta) -> list[Row]:
    rows = [(f"Preview {k + 1}", f"{w} × {h} px, {how}") for k, (w, h, how) in enumerate(m.previews)]
    return rows + [(f"Mask: {q.name}", f"{q.width} × {q.height} px") for q in m.semantic_masks]
