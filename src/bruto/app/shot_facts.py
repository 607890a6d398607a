"""One line on a shot: the fact that matters most, and whether it is a warning."""

from __future__ import annotations

from bruto.sensor.report import SensorReport
from bruto.shoot.intent import Finding
from bruto.shoot.shots import Shot, ShotSet

WORDS = {
    "zoom": "digital zoom",
    "resolution": "other resolution",
    "lens": "not the lens asked",
    "kind": "other kind of raw",
    "edited": "picture was edited",
    "raw": "raw not meant",
}
"""Findings of asked and got in a few words."""


def shot_fact(shot: Shot, report: SensorReport | None, findings: list[Finding]) -> tuple[str, str]:
    """(text, role) of a single shot."""
    if shot.problem:
        return "cannot be opened", "warning"
    if shot.raw is None:
        return ("edited picture, no raw" if shot.edited else "no raw found"), "warning"
    if report is None:
        return "measuring …", "quiet"
    clipped = report.clipped_percent
    if report.motion_px is not None:
        return f"shaken by {report.motion_px:.0f} px", "warning"
    if report.smeared:
        return "smeared lens?", "warning"
    if report.leak:
        return f"light leak, {report.leak}?", "warning"
    if clipped["all"] >= 0.5:
        return f"all full in {clipped['all']:.1f} %", "warning"
    if findings:
        return WORDS.get(findings[0].topic, findings[0].topic), "warning"
    full = {name: clipped[key] for key, name in (("r", "red"), ("g", "green"), ("b", "blue")) if clipped[key] >= 0.05}
    if full:
        name = max(full, key=lambda k: full[k])
        return f"{name} full in {full[name]:.1f} %", "warning"
    if report.edge_blur_px is not None and report.edge_blur_px > 1.8:
        return f"soft by {report.edge_blur_px:.1f} px", "warning"
    if report.headroom_ev > 0.5:
        return f"+{report.headroom_ev:.1f} EV unused", "accent"
    return "exposure is right", "accent"


def set_fact(group: ShotSet, reports: dict[str, SensorReport]) -> tuple[str, str]:
    """(text, role) of a set, from the reports so far by path of the main file."""
    known = [(s, reports[str(s.main)]) for s in group.shots if str(s.main) in reports]
    if len(known) < len(group.shots):
        return f"measured {len(known)} of {len(group.shots)}", "quiet"
    shaken = sum(r.motion_px is not None for _, r in known)
    if group.kind == "bracket":
        middles = [r.middle_ev for _, r in known]
        whole = known[0][1].dynamic_range_ev + max(middles) - min(middles)
        return f"{whole:.1f} EV in all", "accent"
    if group.kind == "ladder":
        first = [s.seen.iso for s, _ in known if s.seen and s.seen.iso]
        return f"ISO {min(first):g} to {max(first):g}" if first else "", "accent"
    if shaken:
        return f"{shaken} of {len(known)} shaken", "warning"
    if group.tests:
        return f"{len(group.tests)} test shots before", "accent"
    return f"{len(known)} alike", "accent"


def card_text(shot: Shot) -> str:
    """What the file says of the subject, else what files there are."""
    description = shot.seen.description if shot.seen else ""
    return description or kind_text(shot)


def tag_text(shot: Shot) -> str:
    """What is exceptional about the files of a shot; "" for a raw as the sensor saw it."""
    if shot.seen is None:
        return ""
    if shot.seen.merged:
        return "merged"
    return {"mosaic": "", "linear": "processed raw", "picture": "no raw"}[shot.seen.kind]


def kind_text(shot: Shot) -> str:
    """What files a shot has, in words."""
    kind = {"mosaic": "raw", "linear": "processed raw", "picture": "picture only"}[shot.seen.kind] if shot.seen else ""
    if shot.seen and shot.raw and shot.picture:
        kind += " + picture"
    if shot.clip:
        kind += " + clip"
    return kind
