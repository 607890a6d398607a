"""What is under the pointer: the light of the scene, and what the picture makes of it."""

from __future__ import annotations

import numpy as np

from bruto.catalog import tr
from bruto.color.spaces import decode_srgb, lightness, space
from bruto.session.open_shots import OpenShots


def pointer_text(opened: OpenShots, code: tuple[float, float, float], x: float, y: float) -> str:
    """Say what is under the pointer.

    An sRGB code (0..1) of the picture, at a relative place of the recorded frame.

    Parameters
    ----------
    opened
        The shots that are open.
    code
        Picture codes, 0 to 1.
    x
        Share of the width, 0..1.
    y
        Share of the height, 0..1.

    Returns
    -------
    str
        What is under the pointer.
    """
    star = float(lightness(decode_srgb(np.array(code)) @ space("srgb").to_xyz()[1]))
    ev = opened.light_at(x, y)
    if ev is None or opened.edit is None:
        return tr("Pointer: L* {star:.0f}", star=star)
    scene = f"{ev + opened.edit.recipe.exposure:+.1f}".replace("-", "−")
    return tr("Pointer: {scene} EV scene → L* {star:.0f}", scene=scene, star=star)
