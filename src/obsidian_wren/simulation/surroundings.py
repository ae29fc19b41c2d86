"""The simulated world as the ports ask for it.

What computes is imported when the first sound is asked for.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.routes import SourceKind
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import SystemSound
from obsidian_wren.ports.world import (
    Computer,
    Knob,
    MicrophonePlacement,
    Player,
    PushedStream,
    SoundStream,
    TakeSource,
    World,
)
from obsidian_wren.simulation.computer import StandInComputer, first_settings
from obsidian_wren.simulation.spec import BOATHOUSE, GALLEY, WHEELHOUSE, PlacementSpec, WorldSpec

LISTENERS = (
    ("call", "Editor call"),
    ("game chat", "Crew game chat"),
    ("stream", "River stream"),
    ("recorder", "Walk recorder"),
    ("headphones", _("Headphones")),
    ("second computer", "Deck computer"),
)


SOURCES: tuple[tuple[SourceKind, str, bool], ...] = (
    ("voice", _("Your voice"), True),
    ("second", "Deck zither", False),
    ("computer", _("Computer sound"), False),
    ("music", _("Music"), False),
    ("clips", _("Clips"), True),
    ("person", _("Beside you"), False),
)


# What there is around a person with a sound server of their own.
OWN_LISTENERS = (
    ("call", _("Call")),
    ("game chat", _("Game")),
    ("stream", _("Stream")),
    ("recorder", _("Recorder")),
    ("headphones", _("Headphones")),
)
OWN_SOURCES: tuple[tuple[SourceKind, str, bool], ...] = (
    ("voice", _("Your voice"), True),
    ("computer", _("Computer sound"), False),
    ("clips", _("Clips"), True),
    ("person", _("Beside you"), False),
)


def _open_source(spec_json: str) -> TakeSource:
    from obsidian_wren.simulation.world import SimulatedRig

    return SimulatedRig(WorldSpec.model_validate_json(spec_json))


def _knob_of(spec_json: str) -> Knob:
    interface = WorldSpec.model_validate_json(spec_json).interface
    return Knob(interface.gain_db, *interface.gain_range_db, interface.gain_step_db)


def _rate_of(spec_json: str) -> int:
    return int(WorldSpec.model_validate_json(spec_json).interface.rate_hz)


def _placed(spec_json: str, placement: MicrophonePlacement) -> str:
    """The same world with the mouth elsewhere.

    Patterns that the world does not know are simulated as a cardioid.
    """
    spec = WorldSpec.model_validate_json(spec_json)
    moved = PlacementSpec(distance_m=placement.distance_cm / 100.0, angle_deg=placement.angle_deg)
    microphone = spec.microphone.model_copy(
        update={"pattern": "omni" if placement.pattern == "omni" else "cardioid"}
    )
    return spec.model_copy(update={"placement": moved, "microphone": microphone}).model_dump_json()


def _things_of(spec_json: str) -> tuple[str, ...]:
    """What always runs in the world and can be switched off, each name once, in its order."""
    noises = WorldSpec.model_validate_json(spec_json).noises
    return tuple(
        dict.fromkeys(noise.name for noise in noises if noise.name and noise.when == "always")
    )


def _beside_of(spec_json: str) -> str | None:
    """What the microphone on input 2 is called, None where there is none."""
    beside = WorldSpec.model_validate_json(spec_json).beside
    return None if beside is None else beside.name


def _has_loudspeaker(spec_json: str) -> bool:
    """Whether one stands in the room."""
    return WorldSpec.model_validate_json(spec_json).loudspeaker is not None


def _maker_response(spec_json: str) -> list[list[float]]:
    """The response of the model, Hz and dB: what one piece has beside it no maker tells."""
    rows = WorldSpec.model_validate_json(spec_json).microphone.response_db
    return [list(row) for row in rows]


def _swap_inputs(spec_json: str) -> str:
    """The world with the microphone of input 2 on input 1, and the other way round."""
    spec = WorldSpec.model_validate_json(spec_json)
    if spec.beside is None:
        return spec_json
    beside = spec.beside.model_copy(
        update={
            "name": "Microphone 2",
            "microphone": spec.microphone,
            "placement": spec.placement,
            "gain_db": spec.interface.gain_db,
        }
    )
    return spec.model_copy(
        update={
            "microphone": spec.beside.microphone,
            "placement": spec.beside.placement,
            "interface": spec.interface.model_copy(update={"gain_db": spec.beside.gain_db}),
            "beside": beside,
        }
    ).model_dump_json()


def _open_player(kind: str, rate_hz: int) -> Player:
    from obsidian_wren.simulation.players import Round

    return Round(kind, rate_hz)


def _open_second(rate_hz: int) -> SoundStream:
    from obsidian_wren.simulation.players import SecondMicrophone

    return SecondMicrophone(rate_hz)


def _clips(rate_hz: int) -> tuple[tuple[str, Samples], ...]:
    from obsidian_wren.simulation import sounds

    return tuple((name, sounds.clip(name, rate_hz)) for name in sounds.CLIPS)


def simulated_world(open_browser: Callable[[int], PushedStream]) -> World:
    """The boathouse and the programs around it, beside a real microphone in the browser."""

    def voice_here(tell: Callable[[str, dict[str, Any]], None], folder: Path) -> object:
        from obsidian_wren.simulation.around_voice import simulated_voice

        return simulated_voice(tell, folder, open_browser, is_alone=False)

    return World(
        _open_source,
        _knob_of,
        _rate_of,
        _placed,
        BOATHOUSE.read_text("utf-8"),
        _open_player,
        _open_second,
        _clips,
        open_browser,
        _things_of,
        _beside_of,
        _swap_inputs,
        StandInComputer(),
        first_settings,
        LISTENERS,
        SOURCES,
        voice_here=voice_here,
        has_loudspeaker=_has_loudspeaker,
        maker_response=_maker_response,
        other_specs={
            "galley": GALLEY.read_text("utf-8"),
            "wheelhouse": WHEELHOUSE.read_text("utf-8"),
        },
    )


def around(
    system: SystemSound, computer: Computer, world: World, voice_command: tuple[str, ...]
) -> World:
    """The simulated world with this computer's own system in its place, and how its voice is begun:
    nothing of it is simulated but what a kept rig may still be made of."""
    return replace(
        world,
        computer=computer,
        first_settings=dict,
        clips=lambda rate_hz: (),
        listeners=OWN_LISTENERS,
        sources=OWN_SOURCES,
        system=system,
        voice_command=voice_command,
    )
