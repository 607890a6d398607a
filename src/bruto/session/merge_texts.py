"""Texts about frames before a merge, and about its result."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from bruto.catalog import sentences, tr, trn
from bruto.merge.rejection import RejectionKind, kind_of_rejection
from bruto.merge.result import MergeResult, reference_file

MOST_NAMED = 8
"""Frames left out that are reported one by one."""


def _counted(kind: RejectionKind, count: int) -> str:
    """So many frames that are left out for one kind of reason."""
    return {
        RejectionKind.BLURRED: tr("{count} blurred", count=count),
        RejectionKind.MOVED: tr("{count} moved", count=count),
        RejectionKind.CLOUDED: tr("{count} clouded", count=count),
        RejectionKind.TEST_SHOT: trn("{count} test shot", "{count} test shots", count=count),
        RejectionKind.OTHER_SCENE: trn("{count} shows another scene", "{count} show another scene", count=count),
        RejectionKind.OTHER_KIND: tr("{count} of another size, camera or lens", count=count),
        RejectionKind.OTHER: trn("{count} unusable", "{count} unusable", count=count),
    }[kind]


def judged_text(frames: Sequence[Any], bad: Sequence[str]) -> str:
    """Say how many frames look bad, why, and what flies through them.

    Parameters
    ----------
    frames
        What is known of each frame.
    bad
        Why each of the bad ones is.

    Returns
    -------
    str
        One sentence or two.
    """
    kinds = [kind_of_rejection(why) for why in bad]
    counts = ", ".join(_counted(kind, kinds.count(kind)) for kind in dict.fromkeys(kinds))
    flying = sum(bool(f.lines) for f in frames)
    text = (
        tr(
            "{bad_count} of {frames_count} frames look bad: {counts}.",
            bad_count=len(bad),
            frames_count=len(frames),
            counts=counts,
        )
        if bad
        else tr("All frames look good.")
    )
    crossed = tr("An aircraft or satellite crosses {flying} of them and is removed.", flying=flying)
    return sentences(text, crossed if flying else "")


def outcome_text(result: MergeResult) -> str:
    """Say what came of a merge: frames, noise, alignment, warnings, what was left out, and the file's name.

    Parameters
    ----------
    result
        The result.

    Returns
    -------
    str
        Lines.
    """
    used = [f for f in result.frames if f.used]
    lines = [
        tr("{used_count} frames merged", used_count=len(used)),
        tr(
            "{noise_gain:.2f} × less noise than {reference_of}",
            noise_gain=result.noise_gain,
            reference_of=reference_file(result).stem,
        ),
    ]
    if result.rms_px:
        lines.append(tr("aligned within {rms_px:.2f} px", rms_px=max(result.rms_px, 0.01)))
    if result.equivalent_stops:
        lines.append(
            tr(
                "exposed {equivalent_stops:.1f} stops longer than one frame",
                equivalent_stops=result.equivalent_stops,
            )
        )
    lines += result.warnings
    if result.range_ev:
        lines.append(tr("{range_ev:.1f} EV from noise to clipping", range_ev=result.range_ev))
    out = [
        tr("excluded: {name}, {reason}", name=Path(f.file).name, reason=f.reason) for f in result.frames if not f.used
    ]
    lines += out[:MOST_NAMED]
    if len(out) > MOST_NAMED:
        lines.append(tr("and {out_count} more excluded", out_count=len(out) - MOST_NAMED))
    lines.append(result.output.name)
    return "\n".join(lines)
