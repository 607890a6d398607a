"""Forty shots that the invented phone took before the demo's day.

Records for its logbook, made by its noise model and by a hand that is known. They are made up, and are never
mixed with real ones.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from bruto.simphone import sensor_model as sm

LIMIT_S_MM, SPREAD = 2.4, 0.5
"""Seconds times mm at which half of the handheld shots are blurred, and the spread of its logarithm."""
SHOOTS = (
    ("Pans at low sun", "2026-03-14T18:{m:02d}:00", "the pans", 14, "hand", ""),
    ("Boiling house, inside", "2026-04-02T11:{m:02d}:00", "the boiling house", 12, "hand", ""),
    ("Pump under the stars", "2026-04-18T23:{m:02d}:00", "the wind pump", 8, "tripod", "tripod, power bank"),
    ("Sluice in the morning", "2026-05-09T06:{m:02d}:00", "the sluice", 6, "hand", ""),
)


def history(seed: int = 4) -> list[dict[str, Any]]:
    """Return the records, oldest first, as plain values by name (see `logbook.records.Record`).

    Parameters
    ----------
    seed
        Seed of the random generator.

    Returns
    -------
    list[dict[str, Any]]
        The records, oldest first, as plain values by name (see `logbook.records.Record`).
    """
    random = np.random.default_rng(seed)
    found: list[dict[str, Any]] = []
    lens = sm.LENSES["main"]
    for shoot, taken, place, count, support, gear in SHOOTS:
        for k in range(count):
            night = support == "tripod"
            iso = float(random.choice([800, 1600, 3200, 6400] if night else [50, 100, 200, 400, 800, 1600]))
            seconds = float(random.choice([8, 15, 30])) if night else float(2 ** random.uniform(-8.5, -1.5))
            a, b = sm.sensor_for(12).noise(iso)
            off = float(np.exp(random.normal(0, 0.04)))
            own = LIMIT_S_MM / lens.focal_35mm * math.exp(SPREAD * float(random.normal()))
            blur = 0.2 if night else float((seconds / own) ** 1.1)
            sharp = blur < 1
            found.append({
                "key": f"made-up-{len(found):03d}", "shoot": shoot, "name": f"old-{len(found) + 1:03d}",
                "taken": taken.format(m=k), "make": sm.MAKE, "model": sm.MODEL, "focal_mm": lens.focal_mm,
                "focal_35mm": lens.focal_35mm, "f_number": lens.f_number, "kind": "mosaic", "width": 4032,
                "height": 3024, "iso": iso, "exposure_s": seconds, "noise_a": a * off, "noise_b": b * off,
                "noise_error": 1.05, "headroom_ev": float(random.uniform(0, 1.5)),
                "viewfinder_ev": None if night else float(random.normal(0.55, 0.12)), "program": "own", "blur_px": blur,
                "blur_deg": float(random.uniform(0, 180)), "support": support, "sharpness": float(1 / (1 + blur)),
                "place": place, "darkness": 20.9 if night else None, "gear": gear,
                "verdict": ("keep" if sharp and random.random() < 0.6 else "") if sharp else "discard",
                "bytes": int(random.normal(24.6e6, 0.8e6)), "note": "",
            })  # fmt: skip
    return found
