"""One record for each kind of stage: what it is called, what can be set, which rule derives it,
where it stands.

Every other table follows from these. Naming a kind loads nothing that computes: its specification
and its rule are named here and loaded when they are asked for.

A chain is a sequence of *keys*. The first stage of a kind is named like the kind itself, further
ones are numbered (``gate``, ``gate-2``), each with settings, pins and a place of its own. A kind
may stand in every chain a second time, with another task and a rule of its own (``gate-gentle``).

To add a stage: one file in ``core/chain/`` with its specification and what runs it, one in
``core/derive/`` with its rule, one record here.

Source: practice for the ranges and the place of each stage; the rules name their own.
"""

from __future__ import annotations

from dataclasses import replace

from obsidian_wren.core.chain.parameters import Parameter
from obsidian_wren.core.chain.stage_kind import StageKind
from obsidian_wren.core.wording import _

KINDS: dict[str, StageKind] = {
    kind.kind: kind
    for kind in (
        StageKind(
            "hum",
            _("Hum"),
            step="clean",
            leaf="hum",
            node="cleaning",
            spec="hum:HumSpec",
            rule="hum:derive_hum",
            before_tone=True,
            weighs_floor="rest",
            parameters=(
                Parameter("mains_hz", _("Mains"), "Hz", 45.0, 65.0, 0.01, 2),
                Parameter("settle_s", _("Adaptation time"), "s", 0.5, 10.0, 0.5),
            ),
        ),
        StageKind(
            "learned",
            _("What moves"),
            step="clean",
            leaf="moves",
            cleans=True,
            node="cleaning",
            spec="learned:LearnedSpec",
            rule="learned:derive_learned",
            version=3,
            before_tone=True,
            weighs_floor="open",
            parameters=(
                Parameter("range_db", _("Maximum reduction"), "dB", 0.0, 40.0, 1.0),
                Parameter("quiet_dbfs", _("Ignores below"), "dBFS", -120.0, 0.0, 0.5),
                Parameter(
                    "under_voice_db",
                    _("Voice margin"),
                    "dB",
                    6.0,
                    40.0,
                    0.5,
                ),
            ),
        ),
        StageKind(
            "clicks",
            _("Keys and clicks"),
            step="clean",
            leaf="clicks",
            node="cleaning",
            spec="clicks:ClicksSpec",
            rule="clicks:derive_clicks",
            version=3,
            before_tone=True,
            weighs_floor="open",
            parameters=(
                Parameter("over_db", _("Click threshold"), "dB", 2.0, 15.0, 0.5),
                Parameter("loudest_dbfs", _("Ignores above"), "dBFS", -90.0, 0.0, 0.5),
                Parameter("range_db", _("Range"), "dB", 0.0, 60.0, 1.0),
            ),
        ),
        StageKind(
            "highpass",
            _("High-pass"),
            step="tone",
            leaf="corridor",
            shapes_tone=True,
            node="highpass",
            spec="highpass:HighpassSpec",
            rule="highpass:derive_highpass_stage",
            before_tone=True,
            parameters=(
                Parameter("frequency_hz", _("High-pass"), "Hz", 20.0, 200.0, 1.0, 0),
                Parameter("order", _("High-pass slope"), "order", 1.0, 4.0, 1.0, 0),
            ),
        ),
        StageKind(
            "deplosive",
            _("Plosives"),
            step="tone",
            leaf="hiss",
            node="cleaning",
            spec="deplosive:DeplosiveSpec",
            rule="deplosive:derive_deplosive",
            version=2,
            before_tone=True,
            parameters=(
                Parameter("threshold_dbfs", _("Plosive threshold"), "dBFS", -80.0, 0.0, 0.5),
                Parameter("frequency_hz", _("Plosive band up to"), "Hz", 60.0, 300.0, 5.0, 0),
                Parameter("range_db", _("Range"), "dB", 0.0, 30.0, 1.0),
                Parameter("release_ms", _("Plosive release"), "ms", 10.0, 300.0, 5.0, 0),
            ),
        ),
        StageKind(
            "noise_reduction",
            _("Noise reduction"),
            step="clean",
            leaf="noise",
            cleans=True,
            node="cleaning",
            spec="noise_reduction:NoiseReductionSpec",
            rule="noise_reduction:derive_noise_reduction",
            before_tone=True,
            weighs_floor="rest",
            version=6,
            parameters=(
                Parameter("reduction_db", _("Noise reduction"), "dB", 0.0, 30.0, 1.0),
                Parameter("follow_s", _("Profile adaptation time"), "s", 0.0, 120.0, 5.0, 0),
            ),
        ),
        StageKind(
            "ring_reduction",
            _("Room reverb"),
            step="clean",
            leaf="ring",
            node="cleaning",
            spec="ring_reduction:RingReductionSpec",
            rule="ring_reduction:derive_ring_reduction",
            before_tone=True,
            parameters=(
                Parameter("reduction_db", _("Maximum reverb reduction"), "dB", 0.0, 20.0, 1.0),
                Parameter("decay_s", _("Room decay"), "s", 0.1, 3.0, 0.05, 2),
                Parameter("ring_share_db", _("Reverb-to-direct ratio"), "dB", -40.0, 20.0, 1.0),
            ),
        ),
        StageKind(
            "gate",
            _("Gate"),
            step="clean",
            leaf="gate",
            cleans=True,
            character=("ratio", "attack_ms", "hold_ms", "release_ms"),
            node="cleaning",
            spec="gate:GateSpec",
            rule="gate:derive_gate",
            before_tone=True,
            repeats=True,
            weighs_floor="open",
            version=4,
            ends="cleaned",
            parameters=(
                Parameter("threshold_dbfs", _("Gate threshold"), "dBFS", -90.0, 0.0, 0.5),
                Parameter("likelihood_db", _("Speech likelihood"), "dB", 0.0, 10.0, 0.05, 2),
                Parameter("hysteresis_db", _("Hysteresis"), "dB", 0.0, 20.0, 0.5),
                Parameter("ratio", _("Gate ratio"), ":1", 1.0, 100.0, 0.5),
                Parameter("range_db", _("Range"), "dB", 0.0, 80.0, 1.0),
                Parameter("attack_ms", _("Gate attack"), "ms", 0.1, 50.0, 0.5),
                Parameter("hold_ms", _("Gate hold"), "ms", 0.0, 1000.0, 10.0, 0),
                Parameter("release_ms", _("Gate release"), "ms", 5.0, 2000.0, 10.0, 0),
                Parameter("look_ahead_ms", _("Look-ahead"), "ms", 0.0, 5.0, 0.5),
                Parameter("sidechain_hz", _("Side-chain high-pass"), "Hz", 20.0, 500.0, 5.0, 0),
            ),
        ),
        StageKind(
            "equalizer",
            _("Equalizer"),
            step="tone",
            leaf="corridor",
            shapes_tone=True,
            node="equalizer",
            spec="equalizer:EqualizerSpec",
            rule="equalizer:derive_equalizer",
            repeats=True,
            banded=True,
            version=2,
        ),
        StageKind(
            "lowpass",
            _("Low-pass"),
            step="tone",
            leaf="corridor",
            shapes_tone=True,
            by_taste=True,
            node="delivery",
            spec="lowpass:LowpassSpec",
            rule="lowpass:derive_lowpass",
            parameters=(
                Parameter("frequency_hz", _("Low-pass"), "Hz", 3000.0, 22000.0, 250.0, 0),
                Parameter("order", _("Low-pass slope"), "order", 1.0, 4.0, 1.0, 0),
            ),
        ),
        StageKind(
            "deesser",
            _("De-esser"),
            step="tone",
            leaf="hiss",
            by_taste=True,
            character=("ratio", "q"),
            node="delivery",
            spec="deesser:DeesserSpec",
            rule="deesser:derive_deesser",
            version=2,
            repeats=True,
            ends="equalized",
            parameters=(
                Parameter(
                    "frequency_hz", _("Sibilance frequency"), "Hz", 3000.0, 12000.0, 100.0, 0
                ),
                Parameter("threshold_dbfs", _("Sibilance threshold"), "dBFS", -80.0, 0.0, 0.5),
                Parameter("ratio", _("Sibilance ratio"), ":1", 1.0, 20.0, 0.5),
                Parameter("range_db", _("Range"), "dB", 0.0, 12.0, 0.5),
                Parameter("q", _("Sibilance width (Q)"), "", 0.3, 4.0, 0.1, 2),
            ),
        ),
        StageKind(
            "leveller",
            _("Leveller"),
            step="steady",
            leaf="levels",
            by_taste=True,
            character=("speed_db_per_s",),
            node="delivery",
            spec="leveller:LevellerSpec",
            rule="leveller:derive_leveller",
            steadies=True,
            parameters=(
                Parameter("target_dbfs", _("Leveller target"), "dBFS", -60.0, 0.0, 0.5),
                Parameter("range_db", _("Range"), "dB", 0.0, 20.0, 0.5),
                Parameter("speed_db_per_s", _("Leveller speed"), "dB/s", 0.2, 20.0, 0.2),
                Parameter("guard_dbfs", _("Holds below"), "dBFS", -90.0, 0.0, 0.5),
            ),
        ),
        StageKind(
            "compressor",
            _("Compressor"),
            step="steady",
            leaf="curve",
            by_taste=True,
            character=("ratio", "knee_db", "attack_ms", "release_ms"),
            node="delivery",
            spec="compressor:CompressorSpec",
            rule="compressor:derive_compressor",
            steadies=True,
            repeats=True,
            parameters=(
                Parameter("threshold_dbfs", _("Compressor threshold"), "dBFS", -80.0, 0.0, 0.5),
                Parameter("ratio", _("Ratio"), ":1", 1.0, 20.0, 0.1),
                Parameter("knee_db", _("Knee"), "dB", 0.0, 24.0, 1.0),
                Parameter("attack_ms", _("Attack"), "ms", 0.5, 100.0, 0.5),
                Parameter("release_ms", _("Release"), "ms", 10.0, 1000.0, 5.0, 0),
                Parameter("makeup_db", _("Make-up gain"), "dB", -20.0, 40.0, 0.5),
                Parameter("sidechain_hz", _("Side-chain high-pass"), "Hz", 20.0, 500.0, 5.0, 0),
            ),
        ),
        StageKind(
            "colour",
            _("Colour"),
            step="steady",
            leaf="colour",
            by_taste=True,
            character=(
                "drive_db",
                "harmonics",
                "echo_ms",
                "echo",
                "room_s",
                "room",
                "plate",
                "ring_hz",
                "ring",
            ),
            node="delivery",
            spec="colour:ColourSpec",
            rule="colour:derive_colour",
            steadies=True,
            parameters=(
                Parameter("drive_db", _("Harmonics drive"), "dB", 0.0, 24.0, 1.0),
                Parameter("harmonics", _("Harmonics amount"), "%", 0.0, 100.0, 5.0, 0),
                Parameter("echo_ms", _("Echo delay"), "ms", 20.0, 600.0, 10.0, 0),
                Parameter("echo", _("Echo amount"), "%", 0.0, 70.0, 5.0, 0),
                Parameter("room_s", _("Room or plate decay"), "s", 0.1, 3.0, 0.1),
                Parameter("room", _("Room amount"), "%", 0.0, 100.0, 5.0, 0),
                Parameter("plate", _("Plate amount"), "%", 0.0, 100.0, 5.0, 0),
                Parameter("ring_hz", _("Ring modulation frequency"), "Hz", 10.0, 1000.0, 5.0, 0),
                Parameter("ring", _("Ring modulation amount"), "%", 0.0, 100.0, 5.0, 0),
            ),
        ),
        StageKind(
            "gain",
            _("Gain"),
            step="steady",
            leaf="levels",
            node="delivery",
            spec="gain:GainSpec",
            rule="delivery:derive_gain",
            steadies=True,
            # It is solved under the ceiling of the limiter.
            also_on=("limiter",),
            parameters=(Parameter("gain_db", _("Gain"), "dB", -30.0, 40.0, 0.5),),
        ),
        StageKind(
            "limiter",
            _("Limiter"),
            step="steady",
            leaf="levels",
            character=("release_ms",),
            node="delivery",
            spec="limiter:LimiterSpec",
            rule="delivery:derive_limiter",
            steadies=True,
            ends="levelled",
            stays_on=(
                _(
                    "The limiter stays on: without it, peaks would pass the ceiling. Raise its"
                    " ceiling if it limits too much."
                )
            ),
            parameters=(
                Parameter("ceiling_dbtp", _("Limiter ceiling"), "dBTP", -20.0, -1.0, 0.5),
                Parameter("release_ms", _("Limiter release"), "ms", 10.0, 1000.0, 10.0, 0),
            ),
        ),
    )
}


# What stands in every chain beside the first of its kind: its key, behind which stage, its record.
INSTANCES: dict[str, tuple[str, StageKind]] = {
    "gate-gentle": (
        "compressor",
        replace(
            KINDS["gate"],
            title=_("Gentle expander"),
            step="steady",
            leaf="levels",
            node="delivery",
            rule="gentle_expander:derive_gentle_expander",
            before_tone=False,
            steadies=True,
            repeats=False,
            weighs_floor="rest",
            ends=None,
            version=3,
        ),
    )
}


def kind_of(key: str) -> StageKind:
    """The kind of a stage by its key. Raises KeyError."""
    if key in INSTANCES:
        return INSTANCES[key][1]
    return KINDS[key.partition("-")[0]]
