"""Why a frame is left out of a merge: a sentence for people, and a kind for code."""

from __future__ import annotations

from enum import StrEnum


class RejectionKind(StrEnum):
    """Kinds of reasons, by which frames are counted."""

    BLURRED = "blurred"
    MOVED = "moved"
    CLOUDED = "clouded"
    TEST_SHOT = "test_shot"
    OTHER_SCENE = "other_scene"
    OTHER_KIND = "other_kind"
    """Another size, kind of raw, orientation, camera or lens."""
    OTHER = "other"


class Rejection(str):
    """A sentence that says why a frame is left out, with its `kind`."""

    kind: RejectionKind

    def __new__(cls, kind: RejectionKind, sentence: str) -> Rejection:
        """Make one of a kind and a sentence in the user's language."""
        found = super().__new__(cls, sentence)
        found.kind = kind
        return found


def kind_of_rejection(why: str) -> RejectionKind:
    """Find the kind of a reason; a plain sentence, such as a file that cannot be read, is of none in particular.

    Parameters
    ----------
    why
        Reason in words.

    Returns
    -------
    RejectionKind
        See `RejectionKind`.
    """
    return why.kind if isinstance(why, Rejection) else RejectionKind.OTHER
