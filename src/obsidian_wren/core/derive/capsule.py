"""What reaches the capsule and what the converter shows of it, from the figures of microphone,
interface and room.

Source: Kuttruff, "Room Acoustics", for critical distance and the diffuse field; the spherical
wave for proximity; data-sheet figures by IEC 60268-4.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db, power_from_db
from obsidian_wren.core.derive.hardware import (
    DBU_IN_DBV,
    PRESSURE_SHARE,
    SPEED_OF_SOUND,
    Interface,
    Microphone,
    Placement,
    Room,
)

SPEECH_AT_1_M_DBA = 60.0
_CLOSEST_M = 0.01
_ABSORPTION = {"bare": 0.06, "furnished": 0.16, "soft": 0.28, "treated": 0.42}


def facing_gain_db(pattern: str, angle_deg: float) -> float:
    """Sensitivity of a first-order pattern off its axis, dB; never under −20, which reflections
    fill."""
    share = PRESSURE_SHARE[pattern]
    return max(
        -20.0,
        20.0
        * float(np.log10(max(abs(share + (1.0 - share) * np.cos(np.radians(angle_deg))), 1e-6))),
    )


def facing_gains_db(pattern: str, *, step_deg: float = 5.0) -> tuple[tuple[float, float], ...]:
    """:func:`facing_gain_db` from the axis to behind it, degrees and dB, ``(n, 2)``."""
    return tuple(
        (float(angle), round(facing_gain_db(pattern, float(angle)), 2))
        for angle in np.arange(0.0, 180.0 + step_deg / 2.0, step_deg)
    )


def diffuse_gain_db(pattern: str) -> float:
    """Random energy efficiency of a first-order pattern, dB: how much less diffuse noise it
    hears than an omni."""
    share = PRESSURE_SHARE[pattern]
    return float(power_db(share**2 + (1.0 - share) ** 2 / 3.0))


def proximity_boost_db(pattern: str, distance_m: float, frequency_hz: float) -> float:
    """Boost of a pressure-gradient microphone on a spherical wave, on axis, relative to a far
    source, dB."""
    return float(proximity_db(pattern, distance_m, np.array([frequency_hz]))[0])


def proximity_db(pattern: str, distance_m: float, frequency_hz: Samples) -> Samples:
    """:func:`proximity_boost_db` at ``(n,)`` frequencies, for a placement that never ends in the
    capsule."""
    share = PRESSURE_SHARE[pattern]
    gradient = 1.0 + SPEED_OF_SOUND / (2j * np.pi * frequency_hz * max(distance_m, _CLOSEST_M))
    return np.asarray(20.0 * np.log10(np.abs(share + (1.0 - share) * gradient)))


def decay_time_s(room: Room) -> float | None:
    """T60 of a shoebox from its size and surfaces (Sabine 1922)."""
    if room.size_m is None or room.surfaces is None:
        return None
    x, y, z = room.size_m
    surface = 2.0 * (x * y + y * z + x * z)
    return 0.161 * x * y * z / (surface * _ABSORPTION[room.surfaces])


def critical_distance_m(room: Room, pattern: str) -> float | None:
    """Where direct and reverberant sound are equal:

    0.057·√(V/T), times the root of the directivity factor.
    """
    decay = decay_time_s(room)
    if decay is None or room.size_m is None:
        return None
    volume = float(np.prod(room.size_m))
    return (
        0.057
        * float(np.sqrt(volume / decay))
        * float(np.sqrt(1.0 / power_from_db(diffuse_gain_db(pattern))))
    )


def interface_noise_dba(interface: Interface, microphone: Microphone) -> float | None:
    """Equivalent input noise as sound pressure at the capsule, dB(A); the A-weighting takes 2 dB
    off a noise that is even to 20 kHz."""
    if interface.ein_dbu is None or microphone.sensitivity_mv_pa is None:
        return None
    dbv = interface.ein_dbu + DBU_IN_DBV - 2.0
    return dbv - 20.0 * float(np.log10(microphone.sensitivity_mv_pa / 1000.0)) + 94.0


def dbfs_of_spl(
    db_spl: float,
    microphone: Microphone,
    interface: Interface,
    gain_db: float | None,
    *,
    pad_on: bool = False,
) -> float | None:
    """AES17 level of a sound pressure level after ``gain_db`` of preamp; None where a number is
    missing."""
    if microphone.sensitivity_mv_pa is None or interface.max_input_dbu is None or gain_db is None:
        return None
    dbu = db_spl - 94.0 + 20.0 * float(np.log10(microphone.sensitivity_mv_pa / 1000.0)) - DBU_IN_DBV
    return dbu + gain_db - ((interface.pad_db or 0.0) if pad_on else 0.0) - interface.max_input_dbu


def spl_of_dbfs(
    dbfs: float,
    microphone: Microphone,
    interface: Interface,
    gain_db: float | None,
    *,
    pad_on: bool = False,
) -> float | None:
    """The inverse of :func:`dbfs_of_spl`."""
    at_zero = dbfs_of_spl(0.0, microphone, interface, gain_db, pad_on=pad_on)
    return None if at_zero is None else dbfs - at_zero


def talk_at_capsule_db(placement: Placement, pattern: str) -> float:
    """Direct sound of normal speech at the capsule, dB SPL as this pattern hears it."""
    metres = placement.distance_cm / 100.0
    return (
        SPEECH_AT_1_M_DBA
        - 20.0 * float(np.log10(metres))
        + facing_gain_db(pattern, placement.angle_deg)
    )
