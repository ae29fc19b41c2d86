"""What a rig is made of, as far as it carries calculation.

Unknown numbers are None and stay unknown.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

MicrophoneKind = Literal["condenser", "dynamic", "ribbon", "headset", "usb"]
Pattern = Literal["cardioid", "supercardioid", "omni", "figure of eight"]
Surfaces = Literal["bare", "furnished", "soft", "treated"]
Support = Literal["arm", "desk stand", "floor stand", "worn"]

# Share of the pressure part in a first-order microphone: p + (1 − p)·cos θ.
PRESSURE_SHARE: dict[str, float] = {
    "omni": 1.0,
    "cardioid": 0.5,
    "supercardioid": 0.37,
    "figure of eight": 0.0,
}
SPEED_OF_SOUND = 343.0
DBU_IN_DBV = -2.2185


@dataclass(frozen=True)
class Microphone:
    """Sensitivity in mV/Pa, self-noise in dB(A), maximum sound pressure level in dB SPL."""

    kind: MicrophoneKind = "condenser"
    pattern: Pattern = "cardioid"
    sensitivity_mv_pa: float | None = None
    self_noise_dba: float | None = None
    max_spl_db: float | None = None
    needs_phantom: bool | None = None


@dataclass(frozen=True)
class Interface:
    """Preamp and converter.

    ``max_input_dbu`` reads 0 dBFS at no gain; ``ein_dbu`` is over 20 Hz to 20 kHz; ``pad_db`` is
    its loss.
    """

    gain_low_db: float | None = None
    gain_high_db: float | None = None
    gain_step_db: float = 1.0
    pad_db: float | None = None
    max_input_dbu: float | None = None
    ein_dbu: float | None = None
    has_phantom: bool | None = None
    direct_monitoring: bool | None = None


@dataclass(frozen=True)
class Room:
    """Size in metres, surfaces, and the noise level in dB(A) where a take in this room has told
    it."""

    size_m: tuple[float, float, float] | None = None
    surfaces: Surfaces | None = None
    noise_dba: float | None = None


@dataclass(frozen=True)
class Placement:
    """Mouth to capsule in cm, angle off the microphone's axis in degrees, capsule over the mouth
    in cm, and what stands around."""

    distance_cm: float = 20.0
    angle_deg: float = 0.0
    height_cm: float = 0.0
    pop_screen: bool = False
    foam: bool = False
    shock_mount: bool = False
    support: Support = "desk stand"
