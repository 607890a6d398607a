"""Pressing the simulated phone's shutter: scene to mosaic or processed DNG, and the phone's own JPEG."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.profile import Calibration
from bruto.container.raw_frame import GainMap
from bruto.errors import BrutoError
from bruto.simphone import processed_raw, spectral
from bruto.simphone import sensor_model as sm
from bruto.simphone.optics import Mishap, mishandled
from bruto.simphone.phone_processing import MERGED, STYLES, finish
from bruto.simphone.scene import SimulatedScene, load_scene
from bruto.simphone.scene_cache import traced
from bruto.simphone.tracer import MARGIN, trace

FIRST_SHOT = datetime(2026, 6, 21, 12, 4, 10)
_HOURS = {"pans": 0.0, "boiling-house": 1.2, "crystals": 5.6, "card": 3.1, "sluice": 9.4}
HOT_PIXELS_PER_MEGAPIXEL = 12
AUTO_WHITE_ERROR = 0.02
"""Standard deviation of the phone's own white balance, as a share of each channel's gain."""


@dataclass(frozen=True)
class Exposure:
    """What was set: ISO speed and seconds."""

    iso: float
    seconds: float


@dataclass(frozen=True)
class Capture:
    """One press of the shutter with its truth."""

    codes: NDArray[np.uint16]
    """(H, W) or (H, W, 3) uint16."""
    ideal: NDArray[np.float32]
    """The same places without noise or clipping, float32, in units of saturation."""
    exposure: Exposure
    noise: tuple[float, float]
    """(a, b)."""
    neutral: NDArray[np.float64]
    """As-shot neutral in the file."""
    true_neutral: NDArray[np.float64]
    """The light's own."""
    transform: NDArray[np.float64]
    """2x3 matrix from reference pixels to this frame's pixels."""
    scene: SimulatedScene
    megapixels: int
    lens: str = "main"
    light: NDArray[np.float32] | None = None  # linear light of a processed raw, before it is coded
    gain_table_with_raw: bool = False  # where a processed raw has its local gain table: with the raw, or in IFD 0


def scene_light(
    name: str, width: int, height: int, focal_35mm: float = sm.FOCAL_35MM, kelvin: float | None = None
) -> tuple[NDArray[np.float16], NDArray[np.float16]]:
    """Compute the camera RGB and XYZ of a scene at a capture size.

    It is traced once (see `tracer.trace`) and saved in the user's cache.

    Parameters
    ----------
    name
        Identifier of a scene.
    width
        Width, pixels.
    height
        Height, pixels.
    focal_35mm
        35 mm equivalent focal length, mm.
    kelvin
        Under another light than its own.

    Returns
    -------
    tuple[NDArray[np.float16], NDArray[np.float16]]
        Camera RGB and XYZ of a scene at a capture size (see `tracer.trace`), traced once and kept in the user's
        cache.
    """
    angle = "" if focal_35mm == sm.FOCAL_35MM else f"-{focal_35mm:g}mm"
    angle += "" if kelvin is None else f"-{kelvin:g}K"
    camera, truth = traced(
        name, f"{width}x{height}{angle}", ("camera", "truth"),
        lambda: trace(load_scene(name, kelvin), width, height, focal_35mm),
    )  # fmt: skip
    return camera, truth


def _moved(image: NDArray[np.float32], transform: NDArray[Any], size: tuple[int, int]) -> NDArray[np.float32]:
    """Light seen from elsewhere: no darker and no brighter than around, as lobes of a kernel would have it."""
    near = np.ones((3, 3), np.uint8)
    seen, least, most = (
        cv2.warpAffine(p, transform, size, flags=how, borderMode=cv2.BORDER_REPLICATE)
        for p, how in (
            (image, cv2.INTER_CUBIC), (cv2.erode(image, near), cv2.INTER_LINEAR),
            (cv2.dilate(image, near), cv2.INTER_LINEAR),
        )
    )  # fmt: skip
    return np.clip(seen, least, most)


class Phone:
    """The simulated phone in front of one scene, at one size."""

    def __init__(
        self,
        scene: str,
        megapixels: int = 12,
        *,
        size: tuple[int, int] | None = None,
        lens: str = "main",
        mishap: Mishap | None = None,
        kelvin: float | None = None,
    ) -> None:
        """`size` overrides the pixel count, for small tests; `lens`: "main", "wide" or "tele"; `kelvin`.

        Another light than the scene's own.
        """
        if lens not in sm.LENSES:
            raise BrutoError(
                tr("The phone has the lenses {LENSES}, not '{lens}'.", LENSES=", ".join(sm.LENSES), lens=lens)
            )
        if megapixels == 48 and lens != "main":
            raise BrutoError(tr("Only the main lens has a 48 megapixel mode; use 12."))
        if size is None and megapixels not in sm.SIZES:
            raise BrutoError(
                tr(
                    "The phone takes {map} megapixels, not {megapixels}.",
                    map=", ".join(map(str, sm.SIZES)),
                    megapixels=megapixels,
                )
            )
        self.scene, self._of = load_scene(scene, kelvin), scene
        self._kelvin = kelvin
        self.megapixels = megapixels
        self.width, self.height = size or sm.SIZES[megapixels]
        self._margin = round(MARGIN * self.width)
        self.lens = sm.LENSES[lens]
        self.mishap = mishap or Mishap()
        self.sensor = sm.sensor_for(megapixels, lens)
        light = spectral.illuminant(self.scene.kelvin, self.scene.tungsten)
        white = spectral.camera_response(np.ones((81, 1)), light)[0]
        self.true_neutral = white / white[1]
        self._blurred: NDArray[np.float32] | None = None

    @cached_property
    def _seen(self) -> tuple[NDArray[np.float16], NDArray[np.float16]]:
        """Camera RGB and XYZ of the scene, traced when it is first looked at."""
        return scene_light(self._of, self.width, self.height, self.lens.focal_35mm, self._kelvin)

    @property
    def camera(self) -> NDArray[np.float16]:
        """Camera RGB of the scene (H, W, 3) with margins."""
        return self._seen[0]

    @property
    def truth(self) -> NDArray[np.float16]:
        """XYZ of the scene (H, W, 3) with margins."""
        return self._seen[1]

    def meter(self, ev: float = 0.0) -> Exposure:
        """Return the automatic's choice.

        Parameters
        ----------
        ev
            Exposure change, EV.

        Returns
        -------
        Exposure
            The automatic's choice.
        """
        m = self._margin
        y = np.asarray(self.truth[m:-m:8, m:-m:8, 1], np.float32) * 1000
        iso, seconds = sm.meter(y, ev, self.lens.f_number)
        return Exposure(iso, seconds)

    def _optical(self) -> NDArray[np.float32]:
        """Camera light behind the lens blur, with margins, in cd/m2."""
        if self._blurred is None:
            image = np.asarray(self.camera, np.float32) * 1000
            sigma = sm.blur_sigma(self.width, self.lens.name)
            image = cv2.GaussianBlur(image, (0, 0), sigma) if sigma > 0.3 else image
            self._blurred = mishandled(image, self.mishap)
        return self._blurred

    def shake(self, seed: int, index: int, amount: float = 1.0) -> NDArray[np.float64]:
        """Compute a hand's drift to frame `index` of a burst: 2x3 matrix from reference to frame pixels.

        Identity for frame 0.

        Parameters
        ----------
        seed
            Seed of the random generator.
        index
            Position in the list.
        amount
            Amount.

        Returns
        -------
        NDArray[np.float64]
            A hand's drift to frame `index` of a burst.
        """
        if index == 0 or amount == 0:
            return np.array([[1.0, 0, 0], [0, 1.0, 0]])
        random = np.random.default_rng([seed, 77, index])
        shift = random.normal(0, 0.0011 * self.width, 2) * amount
        angle = random.normal(0, np.radians(0.06)) * amount
        c, s = np.cos(angle), np.sin(angle)
        cx, cy = (self.width - 1) / 2, (self.height - 1) / 2
        return np.array([[c, -s, cx - c * cx + s * cy + shift[0]], [s, c, cy - s * cx - c * cy + shift[1]]])

    def shoot(
        self,
        exposure: Exposure | None = None,
        *,
        seed: int = 0,
        transform: NDArray[Any] | None = None,
        kind: str = "mosaic",
    ) -> Capture:
        """Take one frame.

        The same seed gives the same noise.

        Parameters
        ----------
        exposure
            ISO, exposure time and how it was held.
        seed
            Seed of the random generator.
        transform
            Movement of the phone as a 3 × 3 matrix.
        kind
            Mosaic or linear.

        Returns
        -------
        Capture
            See `Capture`.
        """
        exposure = exposure or self.meter()
        transform = np.array([[1.0, 0, 0], [0, 1.0, 0]]) if transform is None else transform
        m, w, h = self._margin, self.width, self.height
        image = self._optical()
        moved = transform.copy()
        # frame pixel (x, y) sees reference pixel inverse(transform); both live inside the margin
        moved[:, 2] += m - transform[:, :2] @ np.array([m, m])
        if np.allclose(transform, [[1, 0, 0], [0, 1, 0]]):
            seen = image[m : m + h, m : m + w]
        else:
            moved[:, 2] -= m
            seen = _moved(image, moved, (w, h))
        factor = sm.exposure_factor(exposure.iso, exposure.seconds, self.lens.f_number)
        random = np.random.default_rng([seed, 4])
        a, b = self.sensor.noise(exposure.iso)
        if kind == "mosaic":
            ideal = np.empty((h, w), np.float32)
            for site, channel in enumerate((0, 1, 1, 2)):
                r, c = divmod(site, 2)
                shade = sm.falloff(
                    (np.arange(c, w, 2)[None] + 0.5) / w,
                    (np.arange(r, h, 2)[:, None] + 0.5) / h,
                    channel,
                    self.lens.name,
                )
                ideal[r::2, c::2] = seen[r::2, c::2, channel] * (factor * shade).astype(np.float32)
            codes, light = self._expose(ideal, exposure, random, 1.0), None
        else:
            ideal = (seen * np.float32(factor)).astype(np.float32)
            # four frames merged by the phone; the file's codes are made of them behind its table
            merged = self._expose(ideal, exposure, random, 4.0, black=processed_raw.BLACK, white=processed_raw.WHITE)
            light = (merged.astype(np.float32) - np.float32(processed_raw.BLACK)) / np.float32(
                processed_raw.WHITE - processed_raw.BLACK
            )
            codes = processed_raw.stored_codes(light)
            a, b = a / 4, b / 4
        drift = 1 + AUTO_WHITE_ERROR * np.random.default_rng([seed, 9, len(self.scene.name)]).normal(0, 1, 3)
        neutral = self.true_neutral * drift
        return Capture(
            codes,
            ideal,
            exposure,
            (a, b),
            neutral / neutral[1],
            self.true_neutral,
            transform,
            self.scene,
            self.megapixels,
            self.lens.name,
            light,
            gain_table_with_raw=(seed // 1000 + seed) % 2 == 0,  # phones write it in either place: in turn
        )

    def _expose(
        self,
        ideal: NDArray[np.float32],
        exposure: Exposure,
        random: np.random.Generator,
        frames: float,
        black: int = sm.BLACK,
        white: int = sm.WHITE,
    ) -> NDArray[np.uint16]:
        gain = exposure.iso / sm.BASE_ISO / self.sensor.full_well
        codes = np.empty(ideal.shape, np.uint16)
        for top in range(0, ideal.shape[0], 512):  # bands: electrons need eight bytes a site
            rows = slice(top, top + 512)
            electrons = random.poisson(ideal[rows] * (frames / gain)).astype(np.float32)
            electrons += random.standard_normal(electrons.shape, np.float32) * np.float32(
                self.sensor.read_electrons * frames**0.5
            )
            value = electrons * np.float32(gain / frames) * (white - black) + black
            codes[rows] = np.clip(np.rint(value), 0, white)
        if ideal.ndim == 2:
            spots = np.random.default_rng(4812)  # the same sites on every shot of this phone
            n = int(HOT_PIXELS_PER_MEGAPIXEL * ideal.size / 1e6)
            y, x = spots.integers(0, ideal.shape[0], n), spots.integers(0, ideal.shape[1], n)
            rate = spots.exponential(0.02, n) * exposure.seconds * exposure.iso / 100
            codes[y, x] = np.clip(codes[y, x] + rate * (white - black), 0, white).astype(np.uint16)
        return codes


def gain_maps(lens: str = "main") -> tuple[GainMap, ...]:
    """Return the lens-shading correction for the four sites of an RGGB quad.

    Parameters
    ----------
    lens
        Main, wide or tele.

    Returns
    -------
    tuple[GainMap, ...]
        Lens-shading correction for the four sites of an RGGB quad.
    """
    v, h = sm.GAIN_MAP_SHAPE
    u, t = np.meshgrid(np.linspace(0, 1, h), np.linspace(0, 1, v))
    maps = []
    for site, channel in enumerate((0, 1, 1, 2)):
        gains = (1 / sm.falloff(u, t, channel, lens)).astype(np.float32)[..., None]
        maps.append(
            GainMap(site // 2, site % 2, 1 << 20, 1 << 20, 0, 1, 2, 2, (1 / (v - 1), 1 / (h - 1)), (0.0, 0.0), gains)
        )
    return tuple(maps)


def calibrations() -> tuple[Calibration, Calibration]:
    """Return the matrices in the file: standard illuminant A and D65."""
    return tuple(
        Calibration(code, *spectral.matrices(kelvin, tungsten))
        for code, kelvin, tungsten in ((17, 2856, True), (21, 6504, False))
    )  # type: ignore[return-value]


def _merged(capture: Capture) -> tuple[NDArray[np.float32], tuple[float, float]]:
    """Light at the photosites (H, W) as the phone has it for its finished picture, and its noise.

    It is that of the shot, merged with others of the same moment where it is dark.
    """
    frames = next((n for iso, n in MERGED if capture.exposure.iso >= iso), 1)
    data = (capture.codes.astype(np.float32) - sm.BLACK) / (sm.WHITE - sm.BLACK)
    a, b = capture.noise
    if frames > 1:
        random = np.random.default_rng([int(capture.codes[0, :64].sum()), frames])
        ideal = np.minimum(capture.ideal, 1.0)
        spread = np.sqrt((a * ideal + b) / (frames - 1)).astype(np.float32)
        others = np.clip(ideal + spread * random.standard_normal(ideal.shape, np.float32), -1, 1)
        data = data * np.float32(1 / frames) + others * np.float32(1 - 1 / frames)
    return data.astype(np.float32), (a / frames, b / frames)


def picture_of(capture: Capture, style: str = "crisp") -> NDArray[np.uint8]:
    """Compute the phone's own finished picture of a capture, (H, W, 3) uint8 sRGB.

    Parameters
    ----------
    capture
        What the simulated phone took.
    style
        One of `STYLES`.

    Returns
    -------
    NDArray[np.uint8]
        The phone's own finished picture of a capture, (H, W, 3) uint8 sRGB.
    """
    noise = capture.noise
    if capture.light is not None:
        linear = capture.light
    else:
        data, noise = _merged(capture)
        for site, channel in enumerate((0, 1, 1, 2)):
            r, c = divmod(site, 2)
            h, w = data.shape
            data[r::2, c::2] /= sm.falloff(
                (np.arange(c, w, 2)[None] + 0.5) / w, (np.arange(r, h, 2)[:, None] + 0.5) / h, channel, capture.lens
            )
        code = np.clip(data * 16000 + 512, 0, 65535).astype(np.uint16)
        linear = (cv2.cvtColor(code, cv2.COLOR_BayerRGGB2RGB_EA).astype(np.float32) - 512) / 16000
    _, forward = spectral.matrices(
        capture.scene.kelvin if capture.scene.kelvin >= 4000 else 4000, capture.scene.tungsten
    )
    middle = linear[::8, ::8, 1]
    aim = 0.15 / max(1e-4, float(np.exp(np.mean(np.log(np.maximum(middle, 1e-4))))))
    return finish(linear, 1 / capture.neutral, forward, noise, float(np.clip(aim, 0.8, 3.2)), STYLES[style])
