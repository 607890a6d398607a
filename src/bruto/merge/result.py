"""What a merge says of its frames and of its result."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class FrameVerdict:
    """What became of a frame: `used`, else `reason`; shift in pixels and turn in degrees against the first."""

    file: str
    used: bool
    reason: str = ""
    shift_px: tuple[float, float] = (0.0, 0.0)
    turn_deg: float = 0.0
    residual_px: float = 0.0
    model_px: float = 0.0


@dataclass(frozen=True)
class MergeResult:
    """A merged raw: where it lies, what became of each frame, and what was gained."""

    output: Path
    frames: tuple[FrameVerdict, ...]
    rms_px: float
    """Error left in the alignment's model, over all frames."""
    noise_gain: float
    """How much lower the noise of the result is (standard deviation of one frame over the result's)."""
    expected_gain: float
    range_ev: float = 0.0
    warnings: tuple[str, ...] = field(default=())
    equivalent_stops: float = 0.0
    """How much longer it exposed."""
    gains: tuple[float, ...] = ()
    """The gain after each frame, where it is known."""
    border: NDArray[np.uint8] | None = None
    """See `methods.method.Combined`."""

    def as_json(self) -> dict[str, Any]:
        """Return what `bruto merge --json` prints."""
        used = [f for f in self.frames if f.used]
        return {
            "output": str(self.output),
            "frames_used": len(used),
            "frames_rejected": [{"file": f.file, "reason": f.reason} for f in self.frames if not f.used],
            "registration": {
                "rms_px": round(self.rms_px, 4),
                "frames": [
                    {
                        "file": f.file,
                        "shift_px": [round(v, 3) for v in f.shift_px],
                        "turn_deg": round(f.turn_deg, 4),
                        "track_residual_px": round(f.residual_px, 4),
                        "model_px": round(f.model_px, 4),
                    }
                    for f in used
                ],
            },
            "gain": {
                "noise": round(self.noise_gain, 4),
                "expected": round(self.expected_gain, 4),
                "after_each": [round(g, 3) for g in self.gains],
            },
            "range_ev": round(self.range_ev, 2),
            "equivalent_stops": round(self.equivalent_stops, 2),
            "warnings": list(self.warnings),
        }


def reference_file(result: MergeResult) -> Path:
    """Return the frame that the others were laid on.

    Parameters
    ----------
    result
        The result.

    Returns
    -------
    Path
        The frame that the others were laid on.
    """
    still = next((f for f in result.frames if f.used and tuple(f.shift_px) == (0.0, 0.0)), None)
    used = [f for f in result.frames if f.used]
    return Path((still or used[0]).file)
