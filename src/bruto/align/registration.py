"""Putting two pictures of one scene on top of each other.

Features are matched coarsely (ORB with RANSAC), then tracked to sub-pixel (Lucas, Kanade 1981, pyramidal; Bouguet
2001) on locally normalised brightness, so that tone and exposure do not matter; a parametric model is fitted
robustly. The residual is measured on tracks that the fit did not use.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import BrutoError

WORKING_EDGE = 2016
"""Long edge in pixels at which features are tracked."""
LEAST_TRACKS = 24
LEAST_SHARE = 0.5
"""Share of the tracks that move as the model says, below which two pictures are not of one scene."""
FEATURE_EDGE = 1000
"""Long edge beyond which features are matched at half the size, pixels."""
_MOST = 30000
"""Places that are looked up in a field at once."""
REFINING_EDGE = 1344
"""Long edge in pixels at which a rigid motion is refined over all pixels."""


@dataclass(frozen=True)
class Alignment:
    """Where a point of the first picture lies in the second.

    `homography` (3, 3) in relative coordinates (long edge = 1, origin in the middle), then radius scaled by 1 + k r^2.
    `local` (rows, columns, 2): what is added in blocks of `local_step` a side, from the first picture's corner; both
    relative to the long edge.
    """

    homography: NDArray[np.float64]
    radial: float
    residual_px: float
    """Rms of held-out tracks in pixels of the first picture, each axis, mostly the tracks' own error."""
    tracks: int
    """How many were used."""
    first_size: tuple[int, int]
    second_size: tuple[int, int]
    model_px: float = 0.0
    """What that leaves in the fitted model, residual x sqrt(parameters / measurements)."""
    share: float = 1.0
    local: NDArray[np.float32] | None = None
    local_step: float = 0.0

    def at_size(self, first: tuple[int, int], second: tuple[int, int]) -> Alignment:
        """Return the same alignment for the two pictures at other sizes (width, height).

        Parameters
        ----------
        first
            Width and height of the first picture, pixels.
        second
            Width and height of the second picture, pixels.

        Returns
        -------
        Alignment
            The same alignment for the two pictures at other sizes (width, height).
        """
        return replace(self, first_size=first, second_size=second)

    def apply(self, points: NDArray[Any]) -> NDArray[np.float64]:
        """Compute where positions (N, 2) of the first picture lie in the second (pixel centres at .0).

        Parameters
        ----------
        points
            Points (N, 2), pixels.

        Returns
        -------
        NDArray[np.float64]
            Pixel positions (N, 2) in the second picture of positions in the first (pixel centres at.0).
        """
        w, h = self.first_size
        points = np.asarray(points, float)
        there = _model(self.homography, self.radial, _to_relative(points, w, h))
        if self.local is not None:
            at = ((points + 0.5) / (self.local_step * max(w, h)) - 0.5).astype(np.float32)
            there = there + np.concatenate([
                cv2.remap(
                    self.local, at[None, k : k + _MOST, 0], at[None, k : k + _MOST, 1], cv2.INTER_LINEAR,
                    borderMode=cv2.BORDER_REPLICATE,
                )[0] for k in range(0, len(at), _MOST)
            ])  # fmt: skip
        return _to_pixels(there, *self.second_size)

    def maps(
        self, x0: int = 0, y0: int = 0, width: int | None = None, height: int | None = None
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Compute `cv2.remap` maps that bring the second picture onto a rectangle of the first.

        Parameters
        ----------
        x0
            Left edge.
        y0
            Top edge.
        width
            None|Width of the output, pixels; by default that of the picture.
        height
            None|Height of the output, pixels; by default that of the picture.

        Returns
        -------
        tuple[NDArray[np.float32], NDArray[np.float32]]
            `cv2.remap` maps that bring the second picture onto a rectangle of the first.
        """
        width, height = width or self.first_size[0], height or self.first_size[1]
        step = 16  # the model is smooth: evaluated coarsely, interpolated
        gx, gy = np.arange(x0, x0 + width + step, step), np.arange(y0, y0 + height + step, step)
        xx, yy = np.meshgrid(gx, gy)
        moved = self.apply(np.stack([xx.ravel(), yy.ravel()], axis=1)).reshape(*xx.shape, 2).astype(np.float32)
        fx = (np.arange(width, dtype=np.float32)) / step
        fy = (np.arange(height, dtype=np.float32)) / step
        mx, my = np.meshgrid(fx, fy)
        return cv2.remap(moved[..., 0], mx, my, cv2.INTER_LINEAR), cv2.remap(moved[..., 1], mx, my, cv2.INTER_LINEAR)


def _to_relative(p: NDArray[Any], w: int, h: int) -> NDArray[Any]:
    return (p - [(w - 1) / 2, (h - 1) / 2]) / max(w, h)


def _to_pixels(p: NDArray[Any], w: int, h: int) -> NDArray[Any]:
    return p * max(w, h) + [(w - 1) / 2, (h - 1) / 2]


def _model(homography: NDArray[Any], radial: float, p: NDArray[Any]) -> NDArray[Any]:
    q = np.column_stack([p, np.ones(len(p))]) @ homography.T
    q = q[:, :2] / q[:, 2:3]
    return q * (1 + radial * np.sum(q * q, axis=1, keepdims=True))


def normalised(grey: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Compute the local contrast of a brightness picture (H, W), 8 bits: mean and deviation over 31 px taken out.

    Parameters
    ----------
    grey
        Grey picture (H, W).

    Returns
    -------
    NDArray[np.uint8]
        Local contrast of a brightness picture (H, W), 8 bits.
    """
    grey = np.sqrt(np.maximum(grey, 0)).astype(np.float32)
    grey = cv2.GaussianBlur(grey, (0, 0), 0.8)
    mean = cv2.blur(grey, (31, 31))
    deviation = np.sqrt(np.maximum(cv2.blur(grey * grey, (31, 31)) - mean * mean, 0))
    floor = max(float(np.median(deviation)) * 0.3, 0.004)
    return np.clip(128 + 48 * (grey - mean) / (deviation + floor), 0, 255).astype(np.uint8)


def _shrunk(grey: NDArray[np.float32]) -> NDArray[np.float32]:
    scale = WORKING_EDGE / max(grey.shape)
    return cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else grey


def register(first: NDArray[np.float32], second: NDArray[np.float32], model: str = "homography") -> Alignment:
    """Align two brightness pictures (H, W) of any sizes and proportions; linear light or code values.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.
    model
        "rigid" (shift and turn), "homography", or "lens" (homography and radial distortion).

    Returns
    -------
    Alignment
        See `Alignment`.

    Raises
    ------
    BrutoError
        Where too little is found in common.
    """
    try:
        return _registered(first, second, model)
    except (cv2.error, ValueError, np.linalg.LinAlgError) as error:  # pictures of a few pixels, or without any detail
        raise BrutoError(
            tr("The two pictures could not be aligned: they show too little, or no common scene.")
        ) from error


def register_codes(first: NDArray[np.uint8], second: NDArray[np.uint8], model: str = "lens") -> Alignment:
    """Align two sRGB pictures (H, W, 3) of any sizes; see `register`.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.
    model
        Motion model: similarity, homography or with radial distortion.

    Returns
    -------
    Alignment
        See `Alignment`.
    """
    greys = []
    for picture in (first, second):
        scale = WORKING_EDGE / max(picture.shape)
        if scale < 1:
            picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        greys.append((cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2GRAY).astype(np.float32) / 255) ** 2)
    return register(greys[0], greys[1], model)


def _registered(first: NDArray[np.float32], second: NDArray[np.float32], model: str) -> Alignment:
    size_a, size_b = (first.shape[1], first.shape[0]), (second.shape[1], second.shape[0])
    a, b = normalised(_shrunk(first)), normalised(_shrunk(second))
    scale_a = max(size_a) / max(a.shape)
    start = _coarse(a, b)
    points = cv2.goodFeaturesToTrack(a, 2500, 0.01, 9, blockSize=7)
    if points is None or len(points) < LEAST_TRACKS:
        raise BrutoError(tr("The first picture has too little detail to be aligned."))
    points = points.reshape(-1, 2)
    # tracking needs pictures of one size that are turned alike: a crop, a turn or another zoom is undone before
    far = a.shape != b.shape or not _near(start)
    tracked = _brought(b, start, a.shape) if far else b
    guess = points.astype(np.float32) if far else _moved(start, points, a.shape, b.shape)
    options: dict[str, Any] = {
        "winSize": (21, 21),
        "maxLevel": 2,
        "criteria": (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 0.003),
        "flags": cv2.OPTFLOW_USE_INITIAL_FLOW,
    }
    there, ok, _ = cv2.calcOpticalFlowPyrLK(a, tracked, points.astype(np.float32), guess.copy(), **options)
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(tracked, a, there, points.astype(np.float32).copy(), **options)
    good = (ok.ravel() == 1) & (ok2.ravel() == 1) & (np.linalg.norm(back - points, axis=1) < 0.35)
    if far:
        there = _moved(start, there, a.shape, b.shape)
        good &= ((there >= 0) & (there <= [b.shape[1] - 1, b.shape[0] - 1])).all(axis=1)
    if good.sum() < LEAST_TRACKS:
        raise BrutoError(tr("The two pictures have too little in common to be aligned."))
    p, q = (
        _to_relative(points[good], a.shape[1], a.shape[0]),
        _to_relative(there[good].astype(float), b.shape[1], b.shape[0]),
    )
    order = np.random.default_rng(0).permutation(len(p))
    inliers = order[: len(order) // 4]
    used = order[len(order) // 4 :]
    edge = max(a.shape)
    homography, radial, keep = _fit(p[used], q[used], model, 1.0 / edge, start)
    refined = _refine_rigid(first, second, homography) if model == "rigid" else None
    residual = (_model(homography, radial, p[inliers]) - q[inliers]) * edge
    inlier = np.linalg.norm(residual, axis=1) < 3.0
    if inlier.sum() < 6:
        raise BrutoError(tr("The two pictures could not be aligned: their details do not move together."))
    rms = float(np.sqrt(np.mean(residual[inlier] ** 2))) * scale_a
    share = float(inlier.mean()) * float(keep.mean())
    if model == "lens" and (share < LEAST_SHARE or keep.sum() < LEAST_TRACKS):  # whoever merges judges frames itself
        raise BrutoError(tr("The two pictures could not be aligned: too few of their details move together."))
    if refined is not None:
        return Alignment(refined[0], 0.0, rms, int(keep.sum()), size_a, size_b, refined[1], share)
    parameters = {"rigid": 3, "homography": 8, "lens": 9}[model]
    model_px = rms * float(np.sqrt(parameters / (2 * keep.sum())))
    return Alignment(homography, radial, rms, int(keep.sum()), size_a, size_b, model_px, share)


def _near(start: NDArray[Any]) -> bool:
    """Whether a coarse motion turns by less than 6 degrees and zooms by less than 10 %."""
    scale = float(np.sqrt(abs(np.linalg.det(start[:2, :2]))))
    turn = abs(float(np.degrees(np.arctan2(start[1, 0], start[0, 0]))))
    return 0.9 < scale < 1.1 and turn < 6


def _moved(
    start: NDArray[Any], points: NDArray[Any], first: tuple[Any, ...], second: tuple[Any, ...]
) -> NDArray[np.float32]:
    """Pixels of the first picture by a coarse motion in the second; shapes are (height, width)."""
    relative = _model(start, 0.0, _to_relative(points, first[1], first[0]))
    return _to_pixels(relative, second[1], second[0]).astype(np.float32)


def _brought(b: NDArray[np.uint8], start: NDArray[Any], shape: tuple[Any, ...]) -> NDArray[np.uint8]:
    """Compute the second picture on the grid of the first by a coarse motion; grey where it shows nothing."""
    size = (shape[1], shape[0])
    mx, my = Alignment(start, 0.0, 0.0, 0, size, (b.shape[1], b.shape[0])).maps()
    return cv2.remap(b, mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=128)


def _refine_rigid(
    first: NDArray[np.float32], second: NDArray[np.float32], homography: NDArray[Any]
) -> tuple[NDArray[np.float64], float] | None:
    """Compute the rigid motion that correlates best over all pixels, and its error in pixels of the first picture.

    Enhanced correlation coefficient (Evangelidis, Psarakis 2008). The error is half the difference, at the corners,
    between the motions of two interleaved halves of the frame. None where it does not converge.
    """
    pictures = []
    for grey in (first, second):
        scale = REFINING_EDGE / max(grey.shape)
        small = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else grey
        pictures.append(np.sqrt(np.maximum(small, 0)).astype(np.float32))
    a, b = pictures
    (h, w), edge = a.shape, max(a.shape)
    centre = np.array([(w - 1) / 2, (h - 1) / 2])
    rotation = homography[:2, :2]
    start = np.column_stack([rotation, homography[:2, 2] * edge + centre - rotation @ centre]).astype(np.float32)
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 1e-6)
    yy, xx = np.mgrid[0:h, 0:w]
    blocks = ((yy // 48 + xx // 48) % 2).astype(np.uint8)
    found = []
    for mask in (None, blocks, 1 - blocks):
        try:
            _, warp = cv2.findTransformECC(a, b, start.copy(), cv2.MOTION_EUCLIDEAN, criteria, mask, 5)
        except cv2.error:
            return None
        found.append(warp.astype(float))
        start = warp.astype(np.float32)
    corners = np.array([[0, 0, 1], [w - 1, 0, 1], [0, h - 1, 1], [w - 1, h - 1, 1]], float)
    apart = (found[1] - found[2]) @ corners.T
    error = float(np.sqrt(np.mean(apart**2))) / 2 * max(first.shape) / edge
    turned = found[0][:, :2]
    shift = (found[0][:, 2] - centre + turned @ centre) / edge
    return np.vstack([np.column_stack([turned, shift]), [0, 0, 1]]), error


def _coarse(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Homography in relative coordinates from matched features, or the identity where too few match."""
    orb = cv2.ORB_create(2500)  # type: ignore[attr-defined]
    small = [
        cv2.resize(x, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) if max(x.shape) > FEATURE_EDGE else x
        for x in (a, b)
    ]
    (ka, da), (kb, db) = (orb.detectAndCompute(x, None) for x in small)
    if da is None or db is None or len(ka) < 20 or len(kb) < 20:
        return np.eye(3)
    matches = [
        m[0]
        for m in cv2.BFMatcher(cv2.NORM_HAMMING).knnMatch(da, db, k=2)
        if len(m) == 2 and m[0].distance < 0.8 * m[1].distance
    ]
    if len(matches) < 16:
        return np.eye(3)
    pa = _to_relative(np.array([ka[m.queryIdx].pt for m in matches]), small[0].shape[1], small[0].shape[0])
    pb = _to_relative(np.array([kb[m.trainIdx].pt for m in matches]), small[1].shape[1], small[1].shape[0])
    affine, inliers = cv2.estimateAffinePartial2D(pa, pb, method=cv2.RANSAC, ransacReprojThreshold=0.004)
    if affine is None or inliers.sum() < 12:
        return np.eye(3)
    return np.vstack([affine, [0, 0, 1]])


def _fit(
    p: NDArray[Any], q: NDArray[Any], model: str, unit: float, start: NDArray[Any]
) -> tuple[NDArray[Any], float, NDArray[Any]]:
    """Robust fit; residuals in units of one working pixel."""

    def unpack(v: NDArray[Any]) -> tuple[NDArray[Any], float]:
        if model == "rigid":
            c, s = np.cos(v[2]), np.sin(v[2])
            return np.array([[c, -s, v[0]], [s, c, v[1]], [0, 0, 1.0]]), 0.0
        return np.array([[v[0], v[1], v[2]], [v[3], v[4], v[5]], [v[6], v[7], 1.0]]), float(
            v[8]
        ) if model == "lens" else 0.0

    if model == "rigid":
        first = np.array([start[0, 2], start[1, 2], np.arctan2(start[1, 0], start[0, 0])])
    else:
        first = np.concatenate([(start / start[2, 2]).ravel()[:8], [0.0] if model == "lens" else []])

    from scipy.optimize import least_squares  # takes long to import; the window is shown before

    def cost(v: NDArray[Any]) -> NDArray[Any]:
        return ((_model(*unpack(v), p) - q) / unit).ravel()

    result = least_squares(cost, first, loss="cauchy", f_scale=0.3, x_scale=1e-3)
    error = np.linalg.norm(cost(result.x).reshape(-1, 2), axis=1)
    keep = error < max(1.0, 3 * float(np.median(error)))
    p, q = p[keep], q[keep]
    result = least_squares(cost, result.x, loss="soft_l1", f_scale=0.3, x_scale=1e-3)
    homography, radial = unpack(result.x)
    return homography, radial, keep
