"""What can be set on each stage: names, units, ranges and steps, in the default order of the stages.

Kept apart from the stages, so that naming one loads nothing that computes. A parameter's name is the name of the field of the
stage's specification and of the setting in a calibration file.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Parameter:
    """One number of a stage. ``step`` is what one nudge moves it by; ``digits`` after the point are shown."""

    name: str
    title: str
    unit: str
    low: float
    high: float
    step: float
    digits: int = 1


def _p(name: str, title: str, unit: str, low: float, high: float, step: float, digits: int = 1) -> Parameter:
    return Parameter(name, title, unit, low, high, step, digits)


PARAMETERS: dict[str, tuple[Parameter, ...]] = {
    "highpass": (
        _p("frequency_hz", "High-pass", "Hz", 20.0, 200.0, 1.0, 0),
        _p("order", "High-pass slope", "order", 1.0, 4.0, 1.0, 0),
    ),
    "deplosive": (
        _p("threshold_dbfs", "Plosive threshold", "dBFS", -80.0, 0.0, 0.5),
        _p("frequency_hz", "Plosive band up to", "Hz", 60.0, 300.0, 5.0, 0),
        _p("range_db", "At most", "dB", 0.0, 30.0, 1.0),
        _p("release_ms", "Plosive release", "ms", 10.0, 300.0, 5.0, 0),
    ),
    "noise_reduction": (_p("reduction_db", "Noise lowered by", "dB", 0.0, 30.0, 1.0),),
    "ring_reduction": (
        _p("reduction_db", "Ring lowered by at most", "dB", 0.0, 20.0, 1.0),
        _p("decay_s", "Decay of the room", "s", 0.1, 3.0, 0.05, 2),
        _p("ring_share_db", "Ring against direct sound", "dB", -40.0, 20.0, 1.0),
    ),
    "gate": (
        _p("threshold_dbfs", "Opens at", "dBFS", -90.0, 0.0, 0.5),
        _p("hysteresis_db", "Closes lower by", "dB", 0.0, 20.0, 0.5),
        _p("ratio", "Ratio under it", ":1", 1.0, 100.0, 0.5),
        _p("range_db", "At most", "dB", 0.0, 80.0, 1.0),
        _p("attack_ms", "Gate attack", "ms", 0.1, 50.0, 0.5),
        _p("hold_ms", "Gate hold", "ms", 0.0, 1000.0, 10.0, 0),
        _p("release_ms", "Gate release", "ms", 5.0, 2000.0, 10.0, 0),
        _p("look_ahead_ms", "Look-ahead", "ms", 0.0, 5.0, 0.5),
        _p("sidechain_hz", "Hears from", "Hz", 20.0, 500.0, 5.0, 0),
    ),
    "equalizer": (),
    "lowpass": (
        _p("frequency_hz", "Low-pass", "Hz", 3000.0, 22000.0, 250.0, 0),
        _p("order", "Low-pass slope", "order", 1.0, 4.0, 1.0, 0),
    ),
    "deesser": (
        _p("frequency_hz", "Sibilance at", "Hz", 3000.0, 12000.0, 100.0, 0),
        _p("threshold_dbfs", "Sibilance threshold", "dBFS", -80.0, 0.0, 0.5),
        _p("ratio", "Sibilance ratio", ":1", 1.0, 20.0, 0.5),
        _p("range_db", "At most", "dB", 0.0, 12.0, 0.5),
        _p("q", "Sibilance width (Q)", "", 0.3, 4.0, 0.1, 2),
    ),
    "leveller": (
        _p("target_dbfs", "Leveller target", "dBFS", -60.0, 0.0, 0.5),
        _p("range_db", "At most", "dB", 0.0, 20.0, 0.5),
        _p("speed_db_per_s", "Leveller speed", "dB/s", 0.2, 20.0, 0.2),
        _p("guard_dbfs", "Waits under", "dBFS", -90.0, 0.0, 0.5),
    ),
    "compressor": (
        _p("threshold_dbfs", "Compressor threshold", "dBFS", -80.0, 0.0, 0.5),
        _p("ratio", "Ratio", ":1", 1.0, 20.0, 0.1),
        _p("knee_db", "Knee", "dB", 0.0, 24.0, 1.0),
        _p("attack_ms", "Attack", "ms", 0.5, 100.0, 0.5),
        _p("release_ms", "Release", "ms", 10.0, 1000.0, 5.0, 0),
        _p("makeup_db", "Make-up gain", "dB", -20.0, 40.0, 0.5),
        _p("sidechain_hz", "Hears from", "Hz", 20.0, 500.0, 5.0, 0),
    ),
    "colour": (
        _p("drive_db", "Harmonics, drive", "dB", 0.0, 24.0, 1.0),
        _p("harmonics", "Harmonics, share", "%", 0.0, 100.0, 5.0, 0),
        _p("echo_ms", "Echo after", "ms", 20.0, 600.0, 10.0, 0),
        _p("echo", "Echo, share", "%", 0.0, 70.0, 5.0, 0),
        _p("room_s", "Room or plate, decay", "s", 0.1, 3.0, 0.1),
        _p("room", "Room, share", "%", 0.0, 100.0, 5.0, 0),
        _p("plate", "Plate, share", "%", 0.0, 100.0, 5.0, 0),
        _p("ring_hz", "Ring modulation at", "Hz", 10.0, 1000.0, 5.0, 0),
        _p("ring", "Ring modulation, share", "%", 0.0, 100.0, 5.0, 0),
    ),
    "gain": (_p("gain_db", "Gain", "dB", -30.0, 40.0, 0.5),),
    "limiter": (
        _p("ceiling_dbtp", "Limiter ceiling", "dBTP", -20.0, -1.0, 0.5),
        _p("release_ms", "Limiter release", "ms", 10.0, 1000.0, 10.0, 0),
    ),
}

TITLES: dict[str, str] = {
    "highpass": "High-pass", "deplosive": "Plosives", "noise_reduction": "Noise reduction", "ring_reduction": "Ring of the room",
    "gate": "Gate", "equalizer": "Equalizer", "lowpass": "Low-pass", "deesser": "De-esser", "leveller": "Leveller",
    "compressor": "Compressor", "colour": "Colour", "gain": "Gain", "limiter": "Limiter",
}  # fmt: skip


def parameter(kind: str, name: str) -> Parameter:
    """The parameter of a stage by name. Raises KeyError."""
    for found in PARAMETERS[kind]:
        if found.name == name:
            return found
    raise KeyError(f"{kind}.{name}")
