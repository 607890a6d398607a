"""Frames of a set one after the other, each decoded once, checked and aligned on the reference as it comes."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np

from bruto.align.registration import Alignment
from bruto.align.rigid import Pyramid, pyramid
from bruto.catalog import tr
from bruto.errors import BrutoError, Cancelled
from bruto.merge.frames import Frame, align, brightness, check_alike, load_frame, noise_floor, rough
from bruto.merge.live_preview import Live, LivePicture
from bruto.merge.result import FrameVerdict

Progress = Callable[[float, str], None]
Common = Callable[[Frame, Frame], tuple[float, float | None]]
"""What the light of another frame is multiplied by to be like the reference's, and the light at which both are cut."""
UNREAD = tr("not read: the merge was stopped before")
CUT = 0.9
"""Share of the light that both hold, at which frames of unlike exposure are cut: near the top noise is clipped too."""
READING = 0.9
"""Share of a merge's progress that reading and aligning its frames takes, as far as it is reported."""


def plain(reference: Frame, other: Frame) -> tuple[float, float | None]:
    """Leave the frames of equal exposure as they are.

    Parameters
    ----------
    reference
        Reference frame.
    other
        The other one.

    Returns
    -------
    tuple[float, float | None]
        Frames of equal exposure.
    """
    return 1.0, None


def common_light(reference: Frame, other: Frame) -> tuple[float, float | None]:
    """Cut both of two frames of unlike exposure at the light that the brighter one still holds.

    Parameters
    ----------
    reference
        Reference frame.
    other
        The other one.

    Returns
    -------
    tuple[float, float | None]
        Frames of unlike exposure.
    """
    ratio = reference.exposure / other.exposure
    return ratio, min(1.0, ratio)


class Reader:
    """Iterate over it once: frames with their alignments, None for the reference.

    What cannot be used is left out and named in `verdicts`, in the order of the files.
    """

    def __init__(
        self,
        paths: Sequence[Path],
        reference: Path,
        scratch: Path,
        common: Common = plain,
        progress: Progress = lambda share, text: None,
        cancelled: Callable[[], bool] | None = None,
        enough: Callable[[], bool] | None = None,
        seen: Callable[[LivePicture], None] | None = None,
    ) -> None:
        """`paths` in the order wanted; `scratch`: folder for temporary files.

        Raises `BrutoError` where the reference cannot be read.
        """
        self.paths, self.scratch = list(paths), scratch
        self._common, self.progress, self._cancelled = common, progress, cancelled
        self._pyramid: Pyramid | None = None
        self._enough = enough
        self.live = Live(seen)
        self.verdicts: list[FrameVerdict] = []
        self.check()
        self.reference = load_frame(reference)

    @property
    def size(self) -> tuple[int, int]:
        """Height and width of the reference."""
        h, w = self.reference.linear.data.shape[:2]
        return h, w

    @property
    def used(self) -> list[FrameVerdict]:
        """Verdicts of the frames that were used so far."""
        return [v for v in self.verdicts if v.used]

    def check(self) -> None:
        """Raise `Cancelled` where the merge is not wanted any more."""
        if self._cancelled is not None and self._cancelled():
            raise Cancelled(tr("The merge was stopped; nothing was written."))

    def enough(self, used: int) -> bool:
        """Check whether the frames that were read are to be all: it was asked for, and at least two can be merged.

        Parameters
        ----------
        used
            Number of frames used so far.

        Returns
        -------
        bool
            True where the frames that were read are to be all.
        """
        return used >= 2 and self._enough is not None and self._enough()

    def _aligned(self, frame: Frame, size: tuple[int, int]) -> Alignment:
        ratio, top = self._common(self.reference, frame)
        floor = noise_floor(self.reference)
        if top is not None:
            cut = CUT * top
            planes = brightness(self.reference, 1.0, cut), brightness(frame, ratio, cut)
            return align(*planes, size, max(floor, ratio * noise_floor(frame)))
        first = brightness(self.reference)
        if self._pyramid is None:
            self._pyramid = pyramid(first, floor, True)
        return align(first, brightness(frame, ratio), size, floor, self._pyramid)

    def __iter__(self) -> Iterator[tuple[Frame, Alignment | None]]:
        h, w = self.size
        for k, path in enumerate(self.paths):
            self.check()
            if self.enough(len(self.used)):
                self.verdicts += [FrameVerdict(str(p), False, UNREAD) for p in self.paths[k:]]
                break
            self.progress(READING * (k + 0.5) / len(self.paths), tr("reading {name}", name=path.name))
            if path == self.reference.path:
                self.verdicts.append(_verdict(self.reference, None))
                yield self.reference, None
                continue
            try:
                frame = load_frame(path)
                reason = check_alike(self.reference, frame)
                if reason is None:
                    alignment = self._aligned(frame, (w, h))
                    reason = rough(alignment)
            except Cancelled:
                raise
            except BrutoError as error:
                reason = str(error)
            if reason is not None:
                self.verdicts.append(FrameVerdict(str(path), False, reason))
                continue
            self.verdicts.append(_verdict(frame, alignment))
            yield frame, alignment
            del frame
        if len(self.used) < 2:
            raise BrutoError(
                tr("No frame can be merged with {name}: ", name=self.reference.path.name)
                + "; ".join(f"{Path(v.file).name}: {v.reason}" for v in self.verdicts if not v.used)
            )


def _verdict(frame: Frame, alignment: Alignment | None) -> FrameVerdict:
    if alignment is None:
        return FrameVerdict(str(frame.path), True)
    w, h = alignment.first_size
    centre = np.array([[(w - 1) / 2, (h - 1) / 2]])
    shift = (alignment.apply(centre) - centre)[0]
    turn = math.degrees(math.atan2(alignment.homography[1, 0], alignment.homography[0, 0]))
    return FrameVerdict(
        str(frame.path),
        True,
        shift_px=(float(shift[0]), float(shift[1])),
        turn_deg=turn,
        residual_px=alignment.residual_px,
        model_px=alignment.model_px,
    )
