"""`bruto inspect`, `bruto measure`: what a file says of itself, and what its pixels hold."""

from __future__ import annotations

from pathlib import Path

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, app
from bruto.terminal import print_json, shown


@app.command()
def inspect(file: Path, as_json: JsonFlag = False) -> None:
    """Say what a raw file contains."""
    import numpy as np

    from bruto.container.dng_reader import read_dng

    frame = read_dng(file)
    m = frame.meta
    used = (
        len(np.unique(frame.codes[::1, ::1]))
        if frame.codes.dtype.kind == "f"
        else int(np.count_nonzero(np.bincount(frame.codes.ravel(), minlength=2)))
    )
    maps = [
        {
            "kind": tr("lens shading"),
            "list": 2,
            "plane": g.plane,
            "size": list(g.gains.shape[:2]),
            "gain": [float(g.gains.min()), float(g.gains.max())],
        }
        for g in m.gain_maps
    ]
    for profile in m.profiles:
        table = profile.gain_table
        if table is not None:
            v, h, n = table.gains.shape
            maps.append(
                {
                    "kind": tr("local gain table"),
                    "profile": profile.name,
                    "size": [v, h, n],
                    "gain": [float(table.gains.min()), float(table.gains.max())],
                }
            )
    data = {
        "kind": m.kind,
        "width": m.width,
        "height": m.height,
        "bits_container": m.bits_container,
        "levels_used": used,
        "compression": m.compression,
        "cfa": m.cfa,
        "black": m.black.ravel().tolist(),
        "white": m.white.tolist(),
        "active_area": list(m.active_area),
        "default_crop": list(m.default_crop),
        "orientation": m.orientation,
        "iso": m.iso,
        "exposure_s": m.exposure_s,
        "f_number": m.f_number,
        "focal_mm": m.focal_mm,
        "focal_35mm": m.focal_35mm,
        "taken": m.taken,
        "make": m.make,
        "model": m.model,
        "preview": {"width": m.preview_size[0], "height": m.preview_size[1]} if m.preview_size else None,
        "maps": maps,
        "opcodes": list(m.opcodes),
        "warnings": list(m.warnings),
        "as_shot_neutral": m.as_shot_neutral.tolist(),
        "baseline_exposure_ev": m.baseline_exposure,
        "noise_profile": None if m.noise_profile is None else m.noise_profile.tolist(),
    }
    if as_json:
        print_json(data)
        return
    for key, value in data.items():
        if key == "maps":
            value = ", ".join(str(q["kind"]) for q in maps) if maps else tr("none")
        known = tr("not known") if value is None or value == "" else value
        typer.echo(shown(f"{key.replace('_', ' '):22} {known}"))


@app.command()
def measure(file: Path, as_json: JsonFlag = False) -> None:
    """Measure clipping, headroom, noise and range of a raw, with advice for the next shot."""
    from bruto.phones.card_learning import offer_for
    from bruto.sensor.measure_cache import measured

    r = measured(file, offer_for(file))
    data = {
        "clipped_percent": r.clipped_percent,
        "headroom_ev": r.headroom_ev,
        "effective_bits": r.effective_bits,
        "levels_used": r.levels_used,
        "noise": {
            "a": r.noise[0],
            "b": r.noise[1],
            "source": r.noise_source,
            "measured_a": r.noise_measured[0],
            "measured_b": r.noise_measured[1],
        },
        "dynamic_range_ev": r.dynamic_range_ev,
        "shadow_lift_ev": r.shadow_lift_ev,
        "shadow_lift_screen_ev": r.shadow_lift_screen_ev,
        "noise_channels": [{"a": a, "b": b} for a, b in r.noise_channels],
        "noise_interval": list(r.noise_interval),
        "edge_blur_px": r.edge_blur_px,
        "motion_px": r.motion_px,
        "motion_degrees": r.motion_degrees,
        "hot_sites": r.hot_sites,
        "veil_at_most_percent": None if r.glare_at_most is None else 100 * r.glare_at_most,
        "smear_suspected": r.smeared,
        "leak": r.leak,
        "preview_offset_ev": r.preview_offset_ev,
        "middle_ev": r.middle_ev,
        "preview_clipped_percent": r.preview_clipped_percent,
        "advice": [a.__dict__ for a in r.advice],
    }
    if as_json:
        print_json(data)
        return
    c = r.clipped_percent
    typer.echo(
        tr(
            "clipped         red {r:.2f} %, green {g:.2f} %, blue {b:.2f} %, any {any:.2f} %, all {all:.2f} %",
            r=c["r"],
            g=c["g"],
            b=c["b"],
            any=c["any"],
            all=c["all"],
        )
    )
    typer.echo(tr("headroom        {headroom_ev:.2f} EV", headroom_ev=r.headroom_ev))
    typer.echo(
        tr(
            "levels          {levels_used} codes, {effective_bits:.2f} bits between black and white",
            levels_used=r.levels_used,
            effective_bits=r.effective_bits,
        )
    )
    typer.echo(
        tr(
            "noise           variance = {noise:.3e} x + {noise2:.3e} (from the {noise_source})",
            noise=r.noise[0],
            noise2=r.noise[1],
            noise_source=r.noise_source,
        )
    )
    typer.echo(tr("dynamic range   {dynamic_range_ev:.1f} EV to signal = noise", dynamic_range_ev=r.dynamic_range_ev))
    typer.echo(
        tr(
            "shadow lift     {shadow_lift_ev:.1f} EV at 1:1, {shadow_lift_screen_ev:.1f} EV at 1280 px, to "
            "signal / noise 4",
            shadow_lift_ev=r.shadow_lift_ev,
            shadow_lift_screen_ev=r.shadow_lift_screen_ev,
        )
    )
    for a in r.advice:
        typer.echo(f"{a.topic:15} {a.text}")
