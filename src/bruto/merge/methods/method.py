"""What a merge method is. Methods stand in the list of the package, which everything else reads."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.merge.reader import Common, Reader, plain


@dataclass(frozen=True)
class MergeSteps:
    """What is known of a frame before it is read: exposure time in seconds and ISO, None where the file tells none."""

    seconds: float | None
    iso: float | None


@dataclass(frozen=True)
class Combined:
    """What a method gives back.

    `light` (H, W, 3), or as planes (3, H, W): float32, 1 = saturation of the reference, or (H, W, 3) float16, 1 =
    saturation of the shortest frame, which is written as such; `noise` (3, 2): a, b of its channels; `range_ev`;
    `border` (h, w): share of sky of each place, 255 = all of it, where sky and ground were merged by themselves.
    """

    light: NDArray[Any]
    noise: NDArray[np.float64]
    gain: float
    """How much lower its noise is than that of one frame."""
    expected: float
    """What was to be had."""
    baseline: float = 0.0
    """EV that the result is darker than the reference."""
    range_ev: float = 0.0
    warnings: tuple[str, ...] = ()
    """What fell short."""
    stops: float = 0.0
    """How much longer it exposed than one frame."""
    gains: tuple[float, ...] = ()
    """Gain after each frame."""
    border: NDArray[np.uint8] | None = None


@dataclass(frozen=True)
class MethodOption:
    """What a method leaves to its user: `key`, `title` and a `tip` in the window; `usual` value.

    Of a switch True or False, of an amount a share 0..1.
    """

    key: str
    title: str
    usual: bool | float
    tip: str = ""


@dataclass(frozen=True)
class Method:
    """A way of combining frames: what it is called, which sets it is for, and the work."""

    key: str
    """In files and on the command line."""
    command: str
    """Its command there, `help`: of that."""
    help: str
    """Of that."""
    title: str
    """In the window."""
    sets: tuple[str, ...]
    """Kinds of set that it offers itself for."""
    expect: Callable[[Sequence[MergeSteps]], str]
    """What it should give, in a sentence."""
    combine: Callable[[Reader], Combined]
    """The work."""
    order: Callable[[list[Path]], tuple[list[Path], Path]] = lambda paths: (paths, paths[0])
    """The files as they are to be read, and the reference."""
    common: Common = plain
    """How the light of frames is made alike to align them."""
    choices: tuple[MethodOption, ...] = ()
    """What it leaves to its user, and `with_choices`: the work with these."""
    with_choices: Callable[[Mapping[str, Any]], Callable[[Reader], Combined]] | None = None
    """The work with these."""
    paints: str = ""
    """Key of the strokes (see `develop.strokes`) by which its user corrects where it joins sky and ground, "" where it
    does not.
    """
    gain: Callable[[int], float] | None = math.sqrt
    """How much lower noise is to be of so many frames, None where that is not the point."""

    def chosen(self, values: Mapping[str, Any]) -> Method:
        """Return the method with its choices made.

        Parameters
        ----------
        values
            Choices by their names.

        Returns
        -------
        Method
            The method with its choices made.
        """
        if self.with_choices is None:
            return self
        made = {c.key: values.get(c.key, c.usual) for c in self.choices}
        made[self.paints] = values.get(self.paints, ())
        return replace(self, combine=self.with_choices(made))
