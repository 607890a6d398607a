"""What is in a file, as a tree of names and values in plain words."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import items, tr
from bruto.container.raw_frame import RawMeta

Row = tuple[str, str]
ILLUMINANTS = {
    1: "daylight",
    2: "fluorescent",
    3: "tungsten",
    4: "flash",
    10: "cloudy",
    11: "shade",
    17: tr("standard light A"),
    18: tr("standard light B"),
    19: tr("standard light C"),
    20: "D55",
    21: "D65",
    22: "D75",
    23: "D50",
    24: tr("studio tungsten"),
    255: "other",
}
"""LightSource of Exif 2.32, as DNG uses it."""
ORIENTATIONS = {
    1: tr("as stored"),
    2: tr("mirrored"),
    3: tr("rotated by 180°"),
    4: tr("mirrored, rotated by 180°"),
    5: tr("mirrored, rotated left"),
    6: tr("rotated right"),
    7: tr("mirrored, rotated right"),
    8: tr("rotated left"),
}


def _numbers(values: NDArray[Any] | tuple[Any, ...], digits: int = 4) -> str:
    return ", ".join(f"{float(v):.{digits}g}" for v in np.ravel(values))


def _area(box: tuple[int, int, int, int]) -> str:
    return tr("{box} × {box2} px from {box3}, {box4}", box=box[2], box2=box[3], box3=box[0], box4=box[1])


def outline(meta: RawMeta, path: Path | None = None) -> list[tuple[str, list[Row]]]:
    """Return the groups of (name, value) rows; groups without rows are left out.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    path
        File to read.

    Returns
    -------
    list[tuple[str, list[Row]]]
        Groups of (name, value) rows.
    """
    kinds = {
        "mosaic": tr("mosaic, one colour per pixel"),
        "linear": tr("processed: linear, three colours per pixel"),
        "picture": tr("finished picture"),
    }
    w, h = meta.oriented_size
    picture = [
        (tr("Kind"), kinds[meta.kind]),
        (tr("Size"), tr("{w} × {h} px, {w2:.1f} megapixels", w=w, h=h, w2=w * h / 1000000.0)),
        (tr("Orientation"), ORIENTATIONS[meta.orientation]),
        (tr("Stored"), tr("{width} × {height} px", width=meta.width, height=meta.height)),
        (tr("Active area"), _area(meta.active_area)),
        (tr("Default crop"), _area(meta.default_crop)),
    ]
    if meta.default_scale != (1.0, 1.0):
        picture.append((tr("Default scale"), _numbers(meta.default_scale)))
    if path is not None and path.exists():
        picture.append(
            (tr("File"), tr("{name}, {st_size:.1f} MB", name=path.name, st_size=path.stat().st_size / 1000000.0))
        )
    groups = [(tr("Picture"), picture), (tr("Taken"), _taken(meta))]
    if meta.kind != "picture":
        groups += [
            (tr("Storage"), _storage(meta)),
            (tr("Corrections"), _corrections(meta)),
            (tr("Colour"), _color(meta)),
        ]
        groups += [
            (tr("Look"), _look(meta)),
            (tr("Noise"), _noise(meta)),
            (tr("Other pictures in the file"), _others(meta)),
        ]
    if meta.gps is not None:
        place = [(tr("Latitude"), f"{meta.gps.latitude:.5f}°"), (tr("Longitude"), f"{meta.gps.longitude:.5f}°")]
        if meta.gps.altitude_m is not None:
            place.append(("Altitude", f"{meta.gps.altitude_m:.0f} m"))
        groups.append((tr("Location"), place))
    groups.append((tr("Warnings"), [("", text) for text in meta.warnings]))
    return [(name, rows) for name, rows in groups if rows]


def _taken(m: RawMeta) -> list[Row]:
    rows = [
        (tr("Time"), m.taken),
        (tr("Make"), m.make),
        (tr("Model"), m.model),
        (tr("Software"), m.software),
        (tr("Description"), m.description),
    ]
    if m.iso:
        rows.append(("ISO", f"{m.iso:g}"))
    if m.exposure_s:
        rows.append((tr("Exposure"), f"1/{1 / m.exposure_s:.0f} s" if m.exposure_s < 0.3 else f"{m.exposure_s:g} s"))
    if m.f_number:
        rows.append((tr("Aperture"), f"f/{m.f_number:g}"))
    if m.focal_mm:
        at35 = tr("{focal_35mm:g} mm equivalent", focal_35mm=m.focal_35mm) if m.focal_35mm else ""
        rows.append((tr("Focal length"), items(tr("{focal_mm:g} mm", focal_mm=m.focal_mm), at35)))
    return [r for r in rows if r[1]]


def _storage(m: RawMeta) -> list[Row]:
    rows = [
        (tr("Container"), tr("{bits_container} bits per sample", bits_container=m.bits_container)),
        (tr("Compression"), m.compression),
        (tr("Black level"), _numbers(m.black)),
        (tr("White level"), _numbers(m.white)),
    ]
    if m.cfa:
        rows.insert(0, (tr("Mosaic"), m.cfa))
    if m.linearisation is not None:
        table = m.linearisation
        flat = int(np.argmax(table == table[-1]))
        rows.append(
            (
                tr("Linearisation table"),
                tr(
                    "{table_count} entries up to {value}, flat from {flat}",
                    table_count=len(table),
                    value=int(table.max()),
                    flat=flat,
                ),
            )
        )
    if m.masked_areas:
        rows.append((tr("Masked areas"), "; ".join(_area(a) for a in m.masked_areas)))
    if m.black_rows is not None or m.black_columns is not None:
        rows.append((tr("Black by row or column"), "yes"))
    return rows


def _corrections(m: RawMeta) -> list[Row]:
    return [(tr("Step {k}", k=k + 1), text) for k, text in enumerate(m.opcodes)]


def _color(m: RawMeta) -> list[Row]:
    rows = [(tr("As-shot neutral"), _numbers(m.as_shot_neutral))]
    if not np.allclose(m.analog_balance, 1):
        rows.append((tr("Analog balance"), _numbers(m.analog_balance)))
    for k, c in enumerate(m.calibrations):
        name = ILLUMINANTS.get(c.illuminant, f"light {c.illuminant}")
        rows.append(
            (tr("Calibration {k}", k=k + 1), items(name, tr("with forward matrix") if c.forward is not None else ""))
        )
        rows.append((tr("Colour matrix {k}", k=k + 1), _numbers(c.color)))
        if c.forward is not None:
            rows.append((tr("Forward matrix {k}", k=k + 1), _numbers(c.forward)))
    return rows


def _look(m: RawMeta) -> list[Row]:
    rows = [
        (
            tr("Baseline exposure"),
            tr("{baseline_exposure:+.2f} EV", baseline_exposure=m.baseline_exposure),
        )
    ]
    for p in m.profiles:
        rows.append((tr("Profile {name}", name=p.name or tr("unnamed")), ", ".join(p.holds) or tr("matrices only")))
    return rows


def _noise(m: RawMeta) -> list[Row]:
    rows = []
    if m.noise_profile is not None:
        for k, (a, b) in enumerate(m.noise_profile):
            name = tr("All planes") if len(m.noise_profile) == 1 else tr("Plane {k}", k=k + 1)
            rows.append((name, tr("variance = {a:.3e} x + {b:.3e}", a=a, b=b)))
    stated = (
        (tr("Baseline noise"), m.baseline_noise),
        (tr("Baseline sharpness"), m.baseline_sharpness),
        (tr("Noise reduction applied"), m.noise_reduction_applied),
    )
    for name, value in stated:
        if value is not None:
            rows.append((name, f"{value:g}"))
    return rows


def _others(m: RawMeta) -> list[Row]:
    rows = [
        (tr("Preview {k}", k=k + 1), tr("{w} × {h} px, {how}", w=w, h=h, how=how))
        for k, (w, h, how) in enumerate(m.previews)
    ]
    return rows + [
        (tr("Mask: {name}", name=q.name), tr("{width} × {height} px", width=q.width, height=q.height))
        for q in m.semantic_masks
    ]
