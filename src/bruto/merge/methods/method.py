"""What a merge method is. Methods stand in the list of the package, which everything else reads."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bruto.merge.reader import Common, Reader, plain


@dataclass(frozen=True)
class Shown:
    """What is known of a frame before it is read: exposure time in seconds and ISO, None where the file tells none."""

    seconds: float | None
    iso: float | None


@dataclass(frozen=True)
class Combined:
    """What a method gives back.

    `light` (H, W, 3), or as planes (3, H, W): float32, 1 = saturation of the reference, or (H, W, 3) float16, 1 =
    saturation of the shortest frame, which is written as such; `noise` (3, 2): a, b of its channels; `gain`: how much
    lower its noise is than that of one frame; `expected`: what was to be had; `baseline`: EV that the result is darker
    than the reference; `range_ev`; `warnings`: what fell short; `stops`: how much longer it exposed than one frame.
    """

    light: NDArray
    noise: NDArray[np.float64]
    gain: float
    expected: float
    baseline: float = 0.0
    range_ev: float = 0.0
    warnings: tuple[str, ...] = ()
    stops: float = 0.0


@dataclass(frozen=True)
class Method:
    """`key`: in files and on the command line; `command`: its command there, `help`: of that; `title`: in the window;
    `sets`: kinds of set that it offers itself for; `expect`: what it should give, in a sentence; `order`: the files as
    they are to be read, and the reference; `common`: how the light of frames is made alike to align them; `combine`:
    the work.
    """

    key: str
    command: str
    help: str
    title: str
    sets: tuple[str, ...]
    expect: Callable[[Sequence[Shown]], str]
    combine: Callable[[Reader], Combined]
    order: Callable[[list[Path]], tuple[list[Path], Path]] = lambda paths: (paths, paths[0])
    common: Common = plain
