"""Verdict and notes of a shot: kept beside the raw, and as XMP for other programs."""

from __future__ import annotations

from bruto.errors import BrutoError
from bruto.session.edit import Edit
from bruto.shoot.verdicts import UNRATED, stars_for
from bruto.shoot.xmp import read_rating, write_rating


def judge(edit: Edit, *, verdict: str | None = None, note: str | None = None, gear: str | None = None) -> bool:
    """Set a verdict ("" for none), a note, gear; kept beside the raw and as XMP.

    A problem becomes a message.

    Parameters
    ----------
    edit
        The edit of the shot.
    verdict
        Verdict: discard, spare, keep, best, or "" for none.
    note
        Note for people.
    gear
        Gear that was used.

    Returns
    -------
    bool
        True where that is so.
    """
    if not edit.open_for_changes():
        return False
    side = edit.sidecar
    stars = None
    if verdict is not None and verdict != side.verdict:
        there = read_rating(edit.path)
        now = there.stars if there is not None else UNRATED
        stars, side.stars = stars_for(verdict, side.verdict, now, side.stars)
        side.verdict = verdict
    caption = note if note is not None and note != side.note else None
    side.note = side.note if note is None else note
    side.gear = side.gear if gear is None else gear
    edit.touch()
    edit.save()
    if stars is not None or caption is not None:
        try:
            write_rating(edit.path, stars=stars, note=caption)
        except (BrutoError, OSError) as error:
            edit.message.emit(str(error))
    return True
