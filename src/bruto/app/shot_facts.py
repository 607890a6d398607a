"""One line on a shot: the fact that matters most, and whether it is a warning."""

from __future__ import annotations

from bruto.catalog import tr, trn
from bruto.sensor.report import SensorReport
from bruto.shoot.intent import Finding
from bruto.shoot.shots import Shot, ShotSet

WORDS = {
    "zoom": tr("digital zoom"),
    "resolution": tr("different resolution"),
    "lens": tr("different lens"),
    "kind": tr("different kind of raw"),
    "edited": tr("picture was edited"),
    "raw": tr("unintended raw"),
}
"""Findings of asked and got in a few words."""


def shot_fact(shot: Shot, report: SensorReport | None, findings: list[Finding]) -> tuple[str, str]:
    """(text, role) of a single shot."""
    if shot.problem:
        return tr("cannot be opened"), "warning"
    if shot.raw is None:
        return (tr("edited picture, no raw") if shot.edited else tr("no raw")), "warning"
    if report is None:
        return tr("not measured yet"), "quiet"
    clipped = report.clipped_percent
    if report.motion_px is not None:
        return tr("blurred by {motion_px:.0f} px of shake", motion_px=report.motion_px), "warning"
    if report.smeared:
        return tr("smeared lens?"), "warning"
    if report.leak:
        return tr("light leak, {leak}?", leak=report.leak), "warning"
    if clipped["all"] >= 0.5:
        return tr("all channels clipped in {all:.1f} %", all=clipped["all"]), "warning"
    if findings:
        return WORDS.get(findings[0].topic, findings[0].topic), "warning"
    full = {name: clipped[key] for key, name in (("r", "red"), ("g", "green"), ("b", "blue")) if clipped[key] >= 0.05}
    if full:
        name = max(full, key=lambda k: full[k])
        return tr("{name} clipped in {full:.1f} %", name=name, full=full[name]), "warning"
    if report.edge_blur_px is not None and report.edge_blur_px > 1.8:
        return tr("edges {edge_blur_px:.1f} px soft", edge_blur_px=report.edge_blur_px), "warning"
    if report.headroom_ev > 0.5:
        return tr("{headroom_ev:.1f} EV headroom", headroom_ev=report.headroom_ev), "accent"
    return tr("well exposed"), "accent"


def set_fact(group: ShotSet, reports: dict[str, SensorReport]) -> tuple[str, str]:
    """(text, role) of a set, from the reports so far by path of the main file."""
    known = [(s, reports[str(s.main)]) for s in group.shots if str(s.main) in reports]
    broken = sum(bool(s.problem) for s in group.shots)
    if broken and len(known) + broken == len(group.shots):
        return tr("{broken} of {count} cannot be opened", broken=broken, count=len(group.shots)), "warning"
    if len(known) < len(group.shots):
        return tr(
            "measured {known_count} of {shots_count}", known_count=len(known), shots_count=len(group.shots)
        ), "quiet"
    shaken = sum(r.motion_px is not None for _, r in known)
    if group.kind == "bracket":
        middles = [r.middle_ev for _, r in known]
        whole = known[0][1].dynamic_range_ev + max(middles) - min(middles)
        return tr("spans {whole:.1f} EV", whole=whole), "accent"
    if group.kind == "ladder":
        first = [s.seen.iso for s, _ in known if s.seen and s.seen.iso]
        return tr("ISO {first:g} to {first2:g}", first=min(first), first2=max(first)) if first else "", "accent"
    if shaken:
        return tr("{shaken} of {known_count} shaken", shaken=shaken, known_count=len(known)), "warning"
    if group.tests:
        return tr("{tests_count} test shots before", tests_count=len(group.tests)), "accent"
    return tr("{known_count} shots, same settings", known_count=len(known)), "accent"


def set_title(group: ShotSet) -> str:
    """What a set is and how many shots it has."""
    templates = {
        "burst": tr("burst of {count}"),
        "bracket": tr("bracket of {count}"),
        "ladder": tr("ladder of {count}"),
        "trail": tr("trail of {count}"),
    }
    return templates[group.kind].format(count=len(group.shots))


def count_text(shots: int, sets: int) -> str:
    """How many shots there are, and how many sets of them."""
    text = trn("{shots} shot", "{shots} shots", shots=shots)
    return trn("{text} · {sets} set", "{text} · {sets} sets", sets=sets, text=text) if sets else text


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
    return {"mosaic": "", "linear": tr("processed raw"), "picture": tr("no raw")}[shot.seen.kind]


def kind_text(shot: Shot) -> str:
    """What files a shot has, in words."""
    kind = (
        {"mosaic": "raw", "linear": tr("processed raw"), "picture": tr("picture only")}[shot.seen.kind]
        if shot.seen
        else ""
    )
    if shot.seen and shot.raw and shot.picture:
        kind = tr("{kind} + picture", kind=kind)
    if shot.clip:
        kind = tr("{kind} + clip", kind=kind)
    return kind
