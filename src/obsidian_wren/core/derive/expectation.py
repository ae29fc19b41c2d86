"""What a rig should give before anything is recorded, and what would improve it most.

Levels stand at the capsule in dB SPL, since that is where voice and noise meet. Normal speech is 60 dB(A) at one metre (ISO 9921);
the direct sound follows the inverse distance, the room's diffuse sound does not change with it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import power_db, power_from_db
from obsidian_wren.core.derive.hardware import DBU_IN_DBV, PRESSURE_SHARE, SPEED_OF_SOUND, Interface, Microphone, Placement, Room

SPEECH_AT_1_M_DBA = 60.0
ASSUMED_ROOM_DBA = 32.0
# Peaks of shouting over the level of normal speech: effort 25 dB (ISO 9921), crest 14 dB.
_SHOUT_PEAK_OVER_NORMAL_DB = 39.0
_ABSORPTION = {"bare": 0.06, "furnished": 0.16, "soft": 0.28, "treated": 0.42}
_CLOSE_M = 0.15
_WORTH_SAYING_DB = 0.5


@dataclass(frozen=True)
class Contribution:
    """One source of noise at the capsule, dB(A) as if it were sound there; ``assumed`` when no take and no data sheet says so."""

    name: Literal["room", "microphone", "interface"]
    level_dba: float | None
    assumed: bool


@dataclass(frozen=True)
class Improvement:
    """One change and what it does to voice over floor, dB."""

    title: str
    gains_db: float
    because: str


@dataclass(frozen=True)
class Caution:
    """Something about the rig that will not work or will be heard, with what to do."""

    code: str
    sentence: str


@dataclass(frozen=True)
class Outlook:
    """What to expect. ``talk_dbfs`` and ``floor_dbfs`` are AES17 levels at ``gain_db``, None where data are missing."""

    talk_db_spl: float
    floor_dba: float
    contributions: tuple[Contribution, ...]
    voice_over_floor_db: float
    talk_dbfs: float | None
    floor_dbfs: float | None
    proximity_db: float
    direct_over_reverberant_db: float | None
    critical_distance_m: float | None
    decay_s: float | None
    improvements: tuple[Improvement, ...]
    warnings: tuple[Caution, ...]


def facing_gain_db(pattern: str, angle_deg: float) -> float:
    """Sensitivity of a first-order pattern off its axis, dB; never under −20, which reflections fill."""
    share = PRESSURE_SHARE[pattern]
    return max(-20.0, 20.0 * float(np.log10(max(abs(share + (1.0 - share) * np.cos(np.radians(angle_deg))), 1e-6))))


def diffuse_gain_db(pattern: str) -> float:
    """Random energy efficiency of a first-order pattern, dB: how much less diffuse noise it hears than an omni."""
    share = PRESSURE_SHARE[pattern]
    return float(power_db(share**2 + (1.0 - share) ** 2 / 3.0))


def proximity_boost_db(pattern: str, distance_m: float, frequency_hz: float) -> float:
    """Boost of a pressure-gradient microphone on a spherical wave, on axis, relative to a far source, dB."""
    share = PRESSURE_SHARE[pattern]
    gradient = 1.0 + SPEED_OF_SOUND / (2j * np.pi * frequency_hz * distance_m)
    return 20.0 * float(np.log10(abs(share + (1.0 - share) * gradient)))


def decay_time_s(room: Room) -> float | None:
    """T60 of a shoebox from its size and surfaces (Sabine 1922)."""
    if room.size_m is None or room.surfaces is None:
        return None
    x, y, z = room.size_m
    surface = 2.0 * (x * y + y * z + x * z)
    return 0.161 * x * y * z / (surface * _ABSORPTION[room.surfaces])


def critical_distance_m(room: Room, pattern: str) -> float | None:
    """Where direct and reverberant sound are equal: 0.057·√(V/T), times the root of the directivity factor."""
    decay = decay_time_s(room)
    if decay is None or room.size_m is None:
        return None
    volume = float(np.prod(room.size_m))
    return 0.057 * float(np.sqrt(volume / decay)) * float(np.sqrt(1.0 / power_from_db(diffuse_gain_db(pattern))))


def interface_noise_dba(interface: Interface, microphone: Microphone) -> float | None:
    """Equivalent input noise as sound pressure at the capsule, dB(A); the A-weighting takes 2 dB off a noise that is even to 20 kHz."""
    if interface.ein_dbu is None or microphone.sensitivity_mv_pa is None:
        return None
    dbv = interface.ein_dbu + DBU_IN_DBV - 2.0
    return dbv - 20.0 * float(np.log10(microphone.sensitivity_mv_pa / 1000.0)) + 94.0


def dbfs_of_spl(
    db_spl: float, microphone: Microphone, interface: Interface, gain_db: float | None, *, pad_on: bool = False
) -> float | None:
    """AES17 level of a sound pressure level after ``gain_db`` of preamp; None where a number is missing."""
    if microphone.sensitivity_mv_pa is None or interface.max_input_dbu is None or gain_db is None:
        return None
    dbu = db_spl - 94.0 + 20.0 * float(np.log10(microphone.sensitivity_mv_pa / 1000.0)) - DBU_IN_DBV
    return dbu + gain_db - ((interface.pad_db or 0.0) if pad_on else 0.0) - interface.max_input_dbu


def spl_of_dbfs(dbfs: float, microphone: Microphone, interface: Interface, gain_db: float | None, *, pad_on: bool = False) -> float | None:
    """The inverse of :func:`dbfs_of_spl`."""
    at_zero = dbfs_of_spl(0.0, microphone, interface, gain_db, pad_on=pad_on)
    return None if at_zero is None else dbfs - at_zero


def talk_at_capsule_db(placement: Placement, pattern: str) -> float:
    """Direct sound of normal speech at the capsule, dB SPL as this pattern hears it."""
    metres = placement.distance_cm / 100.0
    return SPEECH_AT_1_M_DBA - 20.0 * float(np.log10(metres)) + facing_gain_db(pattern, placement.angle_deg)


def _noise(microphone: Microphone, interface: Interface, room: Room) -> tuple[Contribution, ...]:
    ambient = ASSUMED_ROOM_DBA if room.noise_dba is None else room.noise_dba
    return (
        Contribution("room", ambient + diffuse_gain_db(microphone.pattern), room.noise_dba is None),
        Contribution("microphone", microphone.self_noise_dba, False),
        Contribution("interface", interface_noise_dba(interface, microphone), False),
    )


def _sum_dba(contributions: Iterable[Contribution]) -> float:
    return float(power_db(sum(power_from_db(c.level_dba) for c in contributions if c.level_dba is not None)))


def _voice_over_floor(microphone: Microphone, interface: Interface, room: Room, placement: Placement) -> float:
    return talk_at_capsule_db(placement, microphone.pattern) - _sum_dba(_noise(microphone, interface, room))


def outlook(
    microphone: Microphone, interface: Interface, room: Room, placement: Placement, *,
    gain_db: float | None = None, phantom_on: bool | None = None, pad_on: bool = False,
) -> Outlook:  # fmt: skip
    """What this rig should give. The room counts as 32 dB(A), a quiet home, until a take has told it."""
    contributions = _noise(microphone, interface, room)
    talk = talk_at_capsule_db(placement, microphone.pattern)
    floor = _sum_dba(contributions)
    critical = critical_distance_m(room, microphone.pattern)
    metres = placement.distance_cm / 100.0
    return Outlook(
        talk_db_spl=talk,
        floor_dba=floor,
        contributions=contributions,
        voice_over_floor_db=talk - floor,
        talk_dbfs=dbfs_of_spl(talk, microphone, interface, gain_db, pad_on=pad_on),
        floor_dbfs=dbfs_of_spl(floor, microphone, interface, gain_db, pad_on=pad_on),
        proximity_db=proximity_boost_db(microphone.pattern, metres, 100.0),
        direct_over_reverberant_db=None if critical is None else 20.0 * float(np.log10(critical / metres)),
        critical_distance_m=critical,
        decay_s=decay_time_s(room),
        improvements=_improvements(microphone, interface, room, placement),
        warnings=tuple(_warnings(microphone, interface, placement, phantom_on=phantom_on)),
    )


def _improvements(microphone: Microphone, interface: Interface, room: Room, placement: Placement) -> tuple[Improvement, ...]:
    now = _voice_over_floor(microphone, interface, room, placement)
    found: list[Improvement] = []

    def offer(title: str, because: str, *, mic: Microphone = microphone, face: Interface = interface, at: Placement = placement) -> None:
        gains = _voice_over_floor(mic, face, room, at) - now
        if gains >= _WORTH_SAYING_DB:
            found.append(Improvement(title, gains, because))

    if placement.distance_cm > 100.0 * _CLOSE_M * 1.12:
        offer(
            f"Moving from {placement.distance_cm:g} to {100 * _CLOSE_M:g} cm",
            "Half the distance is 6 dB more voice; the room stays as it is.",
            at=replace(placement, distance_cm=100.0 * _CLOSE_M),
        )
    if placement.angle_deg > 30.0 and microphone.pattern != "omni":
        offer(
            f"Turning the microphone from {placement.angle_deg:g}° to 20° off your mouth",
            f"A {microphone.pattern} hears {abs(facing_gain_db(microphone.pattern, placement.angle_deg)):.0f} dB less from there.",
            at=replace(placement, angle_deg=20.0),
        )
    if microphone.pattern == "omni":
        offer(
            "Choosing cardioid", "It hears 4.8 dB less of a room from all around than an omni.", mic=replace(microphone, pattern="cardioid")
        )
    levels = {c.name: c.level_dba for c in _noise(microphone, interface, room)}
    if levels["interface"] is not None:
        offer(
            "A quieter preamp, or a booster before it",
            f"Its own noise equals {levels['interface']:.0f} dB(A) at this microphone.",
            face=replace(interface, ein_dbu=None),
        )
    if microphone.self_noise_dba is not None:
        offer(
            "A microphone with less self-noise",
            f"This one makes {microphone.self_noise_dba:g} dB(A) of its own.",
            mic=replace(microphone, self_noise_dba=None),
        )
    return tuple(sorted(found, key=lambda improvement: -improvement.gains_db))


def _warnings(microphone: Microphone, interface: Interface, placement: Placement, *, phantom_on: bool | None) -> Iterable[Caution]:
    needs = microphone.needs_phantom if microphone.needs_phantom is not None else microphone.kind == "condenser"
    if needs and interface.has_phantom is False:
        yield Caution(
            "no-phantom", "This microphone needs phantom power and the interface has none: it will be silent. Put a phantom supply between."
        )
    elif needs and phantom_on is False:
        yield Caution("phantom-off", "This microphone needs phantom power (48 V) and it is off: switch it on, or you will hear only hiss.")
    elif not needs and phantom_on and microphone.kind == "ribbon":
        yield Caution("phantom-ribbon", "Phantom power is on and can hurt a ribbon: switch it off before you plug the microphone in.")
    elif not needs and phantom_on:
        yield Caution("phantom-idle", "Phantom power is on and this microphone does not need it: switch it off.")
    if microphone.pattern == "omni":
        yield Caution("omni", "An omni hears the whole room. Keep it within a hand’s width, or choose cardioid.")
    if microphone.pattern == "figure of eight":
        yield Caution("eight", "A figure of eight hears behind itself as well as in front: keep its back to what is quiet.")
    if microphone.pattern != "omni" and placement.angle_deg > 75.0:
        loss = abs(facing_gain_db(microphone.pattern, placement.angle_deg))
        yield Caution(
            "off-axis", f"At {placement.angle_deg:g}° the microphone looks past you and loses {loss:.0f} dB. Turn it to your mouth."
        )
    if placement.distance_cm < 10.0 and placement.angle_deg < 30.0 and not (placement.pop_screen or placement.foam):
        yield Caution("plosives", "This close and straight on, breath and plosives hit the capsule: a pop screen, or speak past it at 30°.")
    if placement.distance_cm > 40.0 and microphone.kind != "headset":
        yield Caution("far", "Over two hands away the room gains on the voice: come to 15 to 25 cm.")
    if placement.support == "desk stand" and not placement.shock_mount:
        yield Caution("desk", "A stand on the desk passes on every key and knock: a shock mount or an arm keeps them out.")
    peak = talk_at_capsule_db(placement, microphone.pattern) + _SHOUT_PEAK_OVER_NORMAL_DB
    if microphone.max_spl_db is not None and peak > microphone.max_spl_db:
        yield Caution(
            "overload",
            f"Shouting peaks near {peak:.0f} dB SPL here, over the {microphone.max_spl_db:g} dB that this microphone takes. Move back.",
        )
