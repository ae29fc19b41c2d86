"""The simulated world as the ports ask for it. What computes is imported when the first sound is asked for."""

from __future__ import annotations

from collections.abc import Callable

from obsidian_wren.service.ports import KeepingListener, Knob, Placement, PushedStream, RecordingListener, TakeSource, World
from obsidian_wren.standins.computer import StandInComputer, first_settings
from obsidian_wren.standins.spec import BOATHOUSE, PlacementSpec, WorldSpec

CALL_NAME = "Editor call"
RECORDER_NAME = "Walk recorder"


def _open_source(spec_json: str) -> TakeSource:
    from obsidian_wren.standins.world import SimulatedRig

    return SimulatedRig(WorldSpec.model_validate_json(spec_json))


def _knob_of(spec_json: str) -> Knob:
    interface = WorldSpec.model_validate_json(spec_json).interface
    return Knob(interface.gain_db, *interface.gain_range_db, interface.gain_step_db)


def _placed(spec_json: str, placement: Placement) -> str:
    """The same world with the mouth elsewhere. Patterns that the world does not know are simulated as a cardioid."""
    spec = WorldSpec.model_validate_json(spec_json)
    moved = PlacementSpec(distance_m=placement.distance_cm / 100.0, angle_deg=placement.angle_deg)
    microphone = spec.microphone.model_copy(update={"pattern": "omni" if placement.pattern == "omni" else "cardioid"})
    return spec.model_copy(update={"placement": moved, "microphone": microphone}).model_dump_json()


def _things_of(spec_json: str) -> tuple[str, ...]:
    """What always runs in the world and can be switched off, each name once, in its order."""
    noises = WorldSpec.model_validate_json(spec_json).noises
    return tuple(dict.fromkeys(noise.name for noise in noises if noise.name and noise.when == "always"))


def _make_call(rate_hz: int) -> KeepingListener:
    from obsidian_wren.standins.listeners import Call

    return Call(CALL_NAME, picks=None, rate_hz=rate_hz)


def _make_recorder(rate_hz: int) -> RecordingListener:
    from obsidian_wren.standins.listeners import Recorder

    return Recorder(RECORDER_NAME, picks=None, rate_hz=rate_hz)


def simulated_world(open_browser: Callable[[int], PushedStream]) -> World:
    """The boathouse, the editor's call and the walk recorder, beside a real microphone in the browser."""
    return World(
        _open_source, _knob_of, _placed, BOATHOUSE.read_text("utf-8"), _make_call, _make_recorder, open_browser, _things_of,
        StandInComputer(), first_settings,
    )  # fmt: skip
