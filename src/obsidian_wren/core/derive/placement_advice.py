"""What would help a rig before anything is recorded, and what is wrong with it.

Source: Kuttruff, "Room Acoustics"; practice for distance and angle.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from obsidian_wren.core.decibels import power_db, power_from_db
from obsidian_wren.core.derive.capsule import (
    diffuse_gain_db,
    facing_gain_db,
    interface_noise_dba,
    talk_at_capsule_db,
)
from obsidian_wren.core.derive.hardware import (
    Interface,
    Microphone,
    Placement,
    Room,
)
from obsidian_wren.core.wording import _

ASSUMED_ROOM_DBA = 32.0
# Peaks of shouting over the level of normal speech: effort 25 dB (ISO 9921), crest 14 dB.
_SHOUT_PEAK_OVER_NORMAL_DB = 39.0
_CLOSE_M = 0.15
_WORTH_SAYING_DB = 0.5
_ON_AXIS_DEG = 30.0
_PAST_THE_MOUTH_DEG = 75.0
_CLOSE_CM = 10.0
_FAR_CM = 40.0


@dataclass(frozen=True)
class Contribution:
    """One source of noise at the capsule, dB(A) as if it were sound there; ``assumed`` when no
    take and no data sheet says so."""

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


def noise_at_capsule(
    microphone: Microphone, interface: Interface, room: Room
) -> tuple[Contribution, ...]:
    """What the room, the microphone and the interface add, dB(A) at the capsule."""
    ambient = ASSUMED_ROOM_DBA if room.noise_dba is None else room.noise_dba
    return (
        Contribution("room", ambient + diffuse_gain_db(microphone.pattern), room.noise_dba is None),
        Contribution("microphone", microphone.self_noise_dba, False),
        Contribution("interface", interface_noise_dba(interface, microphone), False),
    )


def sum_dba(contributions: Iterable[Contribution]) -> float:
    """All that is known of it together, dB(A)."""
    return float(
        power_db(sum(power_from_db(c.level_dba) for c in contributions if c.level_dba is not None))
    )


def voice_over_floor(
    microphone: Microphone, interface: Interface, room: Room, placement: Placement
) -> float:
    """Talk over noise at the capsule, dB."""
    return talk_at_capsule_db(placement, microphone.pattern) - sum_dba(
        noise_at_capsule(microphone, interface, room)
    )


def improvements(
    microphone: Microphone, interface: Interface, room: Room, placement: Placement
) -> tuple[Improvement, ...]:
    """What would help most, first; only what is worth saying."""
    now = voice_over_floor(microphone, interface, room, placement)
    found: list[Improvement] = []

    def offer(
        title: str,
        because: str,
        *,
        mic: Microphone = microphone,
        face: Interface = interface,
        at: Placement = placement,
    ) -> None:
        gains = voice_over_floor(mic, face, room, at) - now
        if gains >= _WORTH_SAYING_DB:
            found.append(Improvement(title, gains, because))

    if placement.distance_cm > 100.0 * _CLOSE_M * 1.12:
        offer(
            _(
                "Moving from {distance_cm:g} to {close_m:g} cm",
                distance_cm=placement.distance_cm,
                close_m=100 * _CLOSE_M,
            ),
            _("Half the distance gives 6 dB more voice; the room stays the same."),
            at=replace(placement, distance_cm=100.0 * _CLOSE_M),
        )
    if placement.angle_deg > _ON_AXIS_DEG and microphone.pattern != "omni":
        offer(
            _(
                "Turning the microphone from {angle_deg:g}° to 20° off your mouth",
                angle_deg=placement.angle_deg,
            ),
            _(
                "A {pattern} hears {facing_gain_db:.0f} dB less from there.",
                pattern=microphone.pattern,
                facing_gain_db=abs(facing_gain_db(microphone.pattern, placement.angle_deg)),
            ),
            at=replace(placement, angle_deg=20.0),
        )
    if microphone.pattern == "omni":
        offer(
            _("Choosing cardioid"),
            _("It hears 4.8 dB less of a room from all around than an omni."),
            mic=replace(microphone, pattern="cardioid"),
        )
    levels = {c.name: c.level_dba for c in noise_at_capsule(microphone, interface, room)}
    if levels["interface"] is not None:
        offer(
            _("A quieter preamp, or a booster before it"),
            _(
                "Its own noise equals {interface:.0f} dB(A) at this microphone.",
                interface=levels["interface"],
            ),
            face=replace(interface, ein_dbu=None),
        )
    if microphone.self_noise_dba is not None:
        offer(
            _("A microphone with less self-noise"),
            _(
                "This one makes {self_noise_dba:g} dB(A) of its own.",
                self_noise_dba=microphone.self_noise_dba,
            ),
            mic=replace(microphone, self_noise_dba=None),
        )
    return tuple(sorted(found, key=lambda improvement: -improvement.gains_db))


def warnings(
    microphone: Microphone, interface: Interface, placement: Placement, *, phantom_on: bool | None
) -> Iterable[Caution]:
    """What is wrong or dangerous as it is set up."""
    needs = (
        microphone.needs_phantom
        if microphone.needs_phantom is not None
        else microphone.kind == "condenser"
    )
    if needs and interface.has_phantom is False:
        yield Caution(
            "no-phantom",
            _(
                "This microphone needs phantom power and the interface has none: it will be"
                " silent. Use a phantom supply."
            ),
        )
    elif needs and phantom_on is False:
        yield Caution(
            "phantom-off",
            _(
                "This microphone needs phantom power (48 V) and it is off: switch it on, or you"
                " will hear only hiss."
            ),
        )
    elif not needs and phantom_on and microphone.kind == "ribbon":
        yield Caution(
            "phantom-ribbon",
            _(
                "Phantom power is on and can damage a ribbon: switch it off before you plug the"
                " microphone in."
            ),
        )
    elif not needs and phantom_on:
        yield Caution(
            "phantom-idle",
            _("Phantom power is on and this microphone does not need it: switch it off."),
        )
    if microphone.pattern == "omni":
        yield Caution(
            "omni",
            _("An omni hears the whole room. Keep it within a hand’s width, or choose cardioid."),
        )
    if microphone.pattern == "figure of eight":
        yield Caution(
            "eight",
            _(
                "A figure of eight hears behind itself as well as in front: turn its back to"
                " something quiet."
            ),
        )
    if microphone.pattern != "omni" and placement.angle_deg > _PAST_THE_MOUTH_DEG:
        loss = abs(facing_gain_db(microphone.pattern, placement.angle_deg))
        yield Caution(
            "off-axis",
            _(
                "At {angle_deg:g}° the microphone looks past you and loses {loss:.0f} dB. Turn"
                " it to your mouth.",
                angle_deg=placement.angle_deg,
                loss=loss,
            ),
        )
    if (
        placement.distance_cm < _CLOSE_CM
        and placement.angle_deg < _ON_AXIS_DEG
        and not (placement.pop_screen or placement.foam)
    ):
        yield Caution(
            "plosives",
            _(
                "This close and straight on, breath and plosives hit the capsule: use a pop"
                " screen, or speak past it at 30°."
            ),
        )
    if placement.distance_cm > _FAR_CM and microphone.kind != "headset":
        yield Caution(
            "far", _("Beyond two hands the room gains on the voice: come to 15 to 25 cm.")
        )
    if placement.support == "desk stand" and not placement.shock_mount:
        yield Caution(
            "desk",
            _("A stand on the desk picks up every key and knock: use a shock mount or an arm."),
        )
    peak = talk_at_capsule_db(placement, microphone.pattern) + _SHOUT_PEAK_OVER_NORMAL_DB
    if microphone.max_spl_db is not None and peak > microphone.max_spl_db:
        yield Caution(
            "overload",
            _(
                "Shouting peaks near {peak:.0f} dB SPL here, over the {max_spl_db:g} dB that"
                " this microphone takes. Move back.",
                peak=peak,
                max_spl_db=microphone.max_spl_db,
            ),
        )
