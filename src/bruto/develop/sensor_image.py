"""A frame as it was recorded: its light at all sizes, and coarse fields over it, before any recipe."""

from __future__ import annotations

import math
from collections import OrderedDict
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import LUMINANCE_2020
from bruto.color.temperature import kelvin_duv_of
from bruto.container.color_model import camera_to_working, neutral_to_xy
from bruto.container.raw_frame import RawMeta
from bruto.develop import demosaic as dm
from bruto.develop.quads import bin_quads
from bruto.develop.rectangle import Rectangle
from bruto.develop.source import Source
from bruto.develop.steps.cut_black import is_cut
from bruto.develop.steps.highlights import settled
from bruto.develop.steps.step import CoarseField
from bruto.develop.steps.working_light import to_working

MARGIN = 96
"""Extra rows and columns around a piece, so that its edges come out as in the whole."""
GRID = 32
"""Pieces begin at multiples of this, pixels."""
MOST_BETWEEN = 2
"""Frames at sizes between powers of two that are kept."""
COARSEST = 16


class SensorImage:
    """The frame of one source, each size and field computed once.

    `balance`: gains that make its own neutral grey; `noise` (3, 2): a, b of variance a x + b of each balanced
    channel.
    """

    def __init__(self, source: Source) -> None:
        self.source = source
        self.balance = (1.0 / source.neutral).astype(np.float32)
        gains = self.balance.astype(float)
        self.noise = np.stack([source.noise[:, 0] * gains, source.noise[:, 1] * gains**2], axis=1)
        self._levels: dict[int, NDArray[np.float32]] = {}
        self._between: OrderedDict[float, NDArray[np.float32]] = OrderedDict()
        self._coarse: dict[str, Any] = {}

    def level(self, factor: float) -> NDArray[np.float32]:
        """Compute the balanced camera RGB of the whole frame at 1/factor.

        Factors of 2, 4, 8 and so on stay in memory; of others, from 2 on, the latest do.

        Parameters
        ----------
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.

        Returns
        -------
        NDArray[np.float32]
            Balanced camera RGB of the whole frame at 1/factor.
        """
        power = 2 ** int(math.log2(factor))
        if factor != power:
            if factor not in self._between:
                w, h = (max(1, round(n / factor)) for n in self.source.size)
                self._between[factor] = cv2.resize(self.level(power), (w, h), interpolation=cv2.INTER_AREA)
                while len(self._between) > MOST_BETWEEN:
                    self._between.popitem(last=False)
            self._between.move_to_end(factor)
            return self._between[factor]
        if power not in self._levels:
            data = self.source.linear.data
            if power == 2 and data.ndim == 2:
                self._levels[2] = bin_quads(data, self.source.linear.cfa, self.balance)
            elif power == 2:
                size = max(1, data.shape[1] // 2), max(1, data.shape[0] // 2)
                self._levels[2] = cv2.resize(data, size, interpolation=cv2.INTER_AREA) * self.balance
            else:
                finer = self.level(power // 2)
                h, w = max(1, finer.shape[0] // 2), max(1, finer.shape[1] // 2)
                self._levels[power] = cv2.resize(finer, (w, h), interpolation=cv2.INTER_AREA)
        return self._levels[power]

    @cached_property
    def clipped(self) -> NDArray[np.uint8]:
        """Clipped channels (bits 1, 2, 4) of each quad of the frame, where noise does not decide."""
        clipped = self.source.linear.clipped
        return settled(clipped, self.level(2)) if clipped.any() else clipped

    @cached_property
    def is_cut(self) -> bool:
        """Whether the phone stored no noise below black."""
        data = self.source.linear.data
        return self.source.kind == "mosaic" and data.ndim == 2 and is_cut(data, self.source.noise)

    def piece(self, rect: Rectangle) -> tuple[NDArray[np.float32], int, int]:
        """Compute the balanced camera RGB at full size around a rectangle, and the offset of the rectangle in it.

        Parameters
        ----------
        rect
            Rectangle in output pixels.

        Returns
        -------
        tuple[NDArray[np.float32], int, int]
            Balanced camera RGB at full size around a rectangle, and the offset of the rectangle in it.
        """
        data = self.source.linear.data
        h, w = data.shape[:2]
        pad = MARGIN + 2 * dm.REACH if data.ndim == 2 else MARGIN
        # on the grid of the noise reduction's blocks, so that pieces agree to the last digit
        x0, y0 = max(0, rect.x - pad) // GRID * GRID, max(0, rect.y - pad) // GRID * GRID
        x1, y1 = (
            min(n, -(-end // GRID) * GRID)
            for n, end in ((w, rect.x + rect.width + pad), (h, rect.y + rect.height + pad))
        )
        part = data[y0:y1, x0:x1]
        if data.ndim == 2:
            # balanced before, so that colour differences are small
            rgb = dm.demosaic(part, self.source.linear.cfa, self.balance, self.noise)
        else:
            rgb = part * self.balance
        return np.ascontiguousarray(rgb), rect.x - x0, rect.y - y0

    def small(self) -> NDArray[np.float32]:
        """Working-space light of the whole frame at about 1400 px, before exposure, as-shot balance."""
        factor = 2
        while max(self.source.size) / factor > 1400 and factor < COARSEST:
            factor *= 2
        return to_working(self.level(factor), self.balanced_matrix(self.source.neutral))

    def coarse(self, field: CoarseField) -> Any:
        """Return a coarse field over the whole recorded frame, measured once.

        Parameters
        ----------
        field
            Field over the frame.

        Returns
        -------
        Any
            A coarse field over the whole recorded frame, measured once.
        """
        if field.name not in self._coarse:
            self._coarse[field.name] = field.make(self)
        return self._coarse[field.name]

    def balanced_matrix(self, neutral: NDArray[Any], meta: RawMeta | None = None) -> NDArray[np.float64]:
        """Compute the matrix from balanced camera RGB to linear Rec. 2020 for a neutral.

        It is relative to as shot: green's level stays.

        Parameters
        ----------
        neutral
            Camera neutral, green = 1.
        meta
            The file's facts under another profile.

        Returns
        -------
        NDArray[np.float64]
            Matrix (3, 3) from balanced camera RGB to linear Rec. 2020.
        """
        return camera_to_working(meta or self.source.meta, neutral) @ np.diag(1 / self.balance.astype(float))

    def noise_at(self, factor: float) -> NDArray[np.float64]:
        """Compute a, b of each balanced channel at a factor.

        Parameters
        ----------
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.

        Returns
        -------
        NDArray[np.float64]
            a, b of each balanced channel at a factor.
        """
        mosaic = self.source.kind == "mosaic"
        noise = self.noise / ((factor / 2) ** 2 if mosaic and factor > 1 else float(factor**2))
        between = factor / 2 ** int(math.log2(factor))
        # a pixel made of parts of pixels shares noise with its neighbours: the fine half is less than of whole ones
        # (the mean of a box L wide, over its places among pixels, has a variance of (1 - 1 / 3 L) / L along an axis)
        return noise * (1 - 1 / (3 * between)) if between > 1 else noise

    def as_shot(self) -> tuple[float, float]:
        """Temperature (K) and Duv of the file's own neutral."""
        return kelvin_duv_of(*neutral_to_xy(self.source.meta, self.source.neutral))

    def luminance(self, factor: int = 8) -> NDArray[np.float32]:
        """Compute the scene luminance at 1/factor, in as-shot balance.

        1.0 is the saturation of a neutral, baseline exposure included.

        Parameters
        ----------
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.

        Returns
        -------
        NDArray[np.float32]
            Scene luminance at 1/factor (1.0 = saturation of a neutral, baseline exposure included), as-shot
            balance.
        """
        working = to_working(self.level(factor), self.balanced_matrix(self.source.neutral))
        return np.maximum(working @ LUMINANCE_2020.astype(np.float32), 0) * np.float32(
            2.0**self.source.meta.baseline_exposure
        )
