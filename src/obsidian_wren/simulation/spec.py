"""The JSON that describes a simulated world. The same spec and seed give the same sound."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.formats.bounded import read_bounded

_LARGEST = 1_000_000
BOATHOUSE = Path(__file__).with_name("boathouse.json")
# The other rigs of the demo.
GALLEY, WHEELHOUSE = (Path(__file__).with_name(f"{name}.json") for name in ("galley", "wheelhouse"))


class BadSpec(Told, ValueError):
    """A spec that cannot be used; the message names the place and what to do."""

    def __init__(self, sentence: str) -> None:
        super().__init__("spec", sentence)


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, defer_build=True)


Hz = Annotated[float, Field(ge=0, le=200_000)]
Db = Annotated[float, Field(ge=-200, le=200)]
Metres = Annotated[float, Field(ge=0.5, le=100)]


class TalkerSpec(_Strict):
    """Active speech level at one metre, dB SPL, for each effort; how many bursts of breath a
    minute reach the capsule and how strong they are there at 20 cm; how much this talker hisses
    more than the recorded one; how far phrases differ in loudness; ``reading``: which reading of
    the text, 0 as recorded."""

    normal_db_spl: float = Field(60.0, ge=30, le=110)
    loud_db_spl: float = Field(72.0, ge=30, le=120)
    soft_db_spl: float = Field(50.0, ge=20, le=100)
    plosives_per_minute: float = Field(0.0, ge=0, le=120)
    plosive_db_spl: float = Field(92.0, ge=40, le=130)
    hiss_db: float = Field(0.0, ge=-20, le=20)
    phrase_spread_db: float = Field(0.0, ge=0, le=30)
    reading: int = Field(0, ge=0, le=2**31)


class RoomSpec(_Strict):
    """A shoebox: size in metres and decay time (T60) in seconds."""

    size_m: tuple[Metres, Metres, Metres] = (4.2, 3.4, 2.5)
    decay_s: float = Field(0.35, ge=0.08, le=2.0)


class PlacementSpec(_Strict):
    """Mouth to microphone: distance in metres, angle off the microphone's axis in degrees."""

    distance_m: float = Field(0.25, ge=0.02, le=3.0)
    angle_deg: float = Field(0.0, ge=0, le=180)


class NoiseSpec(_Strict):
    """One source of noise, its level in dB SPL as the microphone picks it up.

    ``spectrum_db``: points of Hz and dB that shape ``heater``, ``rain`` or ``white`` otherwise than
    they are. ``knocks``: something heavy that knocks ``per_minute``, ``level_db_spl`` is their peak
    level. ``bark``: a dog that barks ``per_minute``, likewise. ``passing``: a motor that comes by
    and goes ``per_minute``, at its loudest of that level. ``hum``: a mains hum, ``harmonics`` in dB
    against the whole, wandering by ``drift_hz`` over a minute. ``clicks``: keys, ``level_db_spl``
    is their peak level. ``tone``: one steady line at ``frequency_hz``. ``comb``: ``lines`` of equal
    level every ``frequency_hz``, as dimmers and network gear make them. ``name`` is what a person
    switches off; sources of one name go together.
    """

    kind: Literal[
        "heater", "hum", "clicks", "rain", "white", "tone", "comb", "knocks", "passing", "bark"
    ]
    name: str = ""
    level_db_spl: float = Field(ge=-20, le=120)
    when: Literal["always", "in-use"] = "always"
    spectrum_db: tuple[tuple[Hz, Db], ...] = Field((), max_length=2000)
    mains_hz: float = Field(50.0, ge=40, le=70)
    harmonics_db: tuple[Db, ...] = Field((-6.0, -2.0, -9.0, -8.0, -14.0, -12.0), max_length=200)
    per_minute: float = Field(120.0, ge=0, le=2000)
    drift_hz: float = Field(0.0, ge=-1, le=1)
    frequency_hz: float = Field(1000.0, ge=10, le=20_000)
    lines: int = Field(20, ge=1, le=400)


class BellSpec(_Strict):
    """A bell of a microphone's response."""

    frequency_hz: float = Field(ge=10, le=40_000)
    gain_db: float = Field(ge=-30, le=30)
    q: float = Field(ge=0.1, le=20)


class MicrophoneSpec(_Strict):
    """Sensitivity in mV/Pa, self-noise in dB(A), pattern, and the secret response: points in Hz
    and dB, and bells on top."""

    sensitivity_mv_pa: float = Field(20.0, gt=0, le=500)
    self_noise_dba: float = Field(14.0, ge=-10, le=60)
    pattern: Literal["cardioid", "omni"] = "cardioid"
    response_db: tuple[tuple[Hz, Db], ...] = Field((), max_length=2000)
    bells: tuple[BellSpec, ...] = Field((), max_length=40)


class InterfaceSpec(_Strict):
    """Preamp and converter.

    ``max_input_dbu`` reads 0 dBFS at no gain; ``converter_noise_dbfs`` is AES17 RMS.
    """

    gain_db: float = Field(34.0, ge=-60, le=120)
    gain_range_db: tuple[Db, Db] = (0.0, 60.0)
    gain_step_db: float = Field(1.0, gt=0, le=12)
    max_input_dbu: float = Field(9.0, ge=-60, le=60)
    equivalent_input_noise_dbu: float = Field(-127.0, ge=-140, le=-60)
    converter_noise_dbfs: float = Field(-108.0, ge=-150, le=-40)
    bits: Literal[8, 16, 24, 32] = 24
    pad_db: float = Field(10.0, ge=0, le=40)
    # What a numbered dial does, where the rig's interface has one: number and gain in dB, hidden
    # from the rules.
    dial_db: tuple[tuple[Db, Db], ...] = (
        (0.0, -6.0),
        (2.0, 9.0),
        (4.0, 21.0),
        (6.0, 31.0),
        (8.0, 42.0),
        (10.0, 56.0),
    )
    dc_offset: float = Field(0.0, ge=-0.5, le=0.5)
    # A preamp that gives way softly from this level on, or cuts hard at it, dBFS at the converter;
    # None: it does not.
    soft_from_dbfs: float | None = Field(None, ge=-60, le=20)
    cut_at_dbfs: float | None = Field(None, ge=-60, le=20)
    layout: Literal["mono", "first", "second", "same", "inverted"] = "mono"
    rate_hz: Literal[16000, 22050, 24000, 32000, 44100, 48000, 88200, 96000] = 48000


class BesideSpec(_Strict):
    """A second microphone on input 2 of the interface, before the same mouth: what it is called,
    where it stands, and its own preamp gain in dB."""

    name: str = Field("Microphone 2", max_length=80)
    microphone: MicrophoneSpec = MicrophoneSpec()
    placement: PlacementSpec = PlacementSpec()
    gain_db: float = Field(34.0, ge=-60, le=120)


class ComputerSpec(_Strict):
    """What the computer does to the sound after the converter: its slider's taper, hidden from the
    rules, and pieces it loses.

    ``gate_dbfs``: enhancements cut everything under this level to silence.
    """

    slider_db: tuple[tuple[Db, Db], ...] = (
        (0.0, -60.0),
        (10.0, -31.0),
        (25.0, -18.5),
        (50.0, -8.6),
        (75.0, -3.4),
        (100.0, 0.0),
    )
    dropouts_per_minute: float = Field(0.0, ge=0, le=600)
    gate_dbfs: float = Field(-45.0, ge=-100, le=0)


class LoudspeakerSpec(_Strict):
    """A small loudspeaker: how far from the microphone, how loud speech of −26 dBFS is there, how
    late it plays, and by how many parts in a million its clock is slow."""

    distance_m: float = Field(0.7, ge=0.1, le=3.0)
    level_db_spl: float = Field(56.0, ge=0, le=100)
    delay_s: float = Field(0.06, ge=0.0, le=0.3)
    clock_ppm: float = Field(0.0, ge=-100, le=100)


class WorldSpec(_Strict):
    """The whole world."""

    format: Literal["obsidian-wren/world"] = "obsidian-wren/world"
    version: Literal[1] = 1
    seed: int = Field(1, ge=0, le=2**31)
    talker: TalkerSpec = TalkerSpec()
    room: RoomSpec = RoomSpec()
    placement: PlacementSpec = PlacementSpec()
    noises: tuple[NoiseSpec, ...] = Field((), max_length=100)
    microphone: MicrophoneSpec = MicrophoneSpec()
    interface: InterfaceSpec = InterfaceSpec()
    computer: ComputerSpec = ComputerSpec()
    beside: BesideSpec | None = None
    loudspeaker: LoudspeakerSpec | None = None


def read_spec(path: Path) -> WorldSpec:
    """Read a world's spec. Raises BadSpec."""
    try:
        raw = read_bounded(path, _LARGEST)
        if raw is not None:
            return WorldSpec.model_validate(json.loads(raw.decode("utf-8")))
    except OSError as error:
        raise BadSpec(
            _(
                "{name} cannot be opened ({strerror}). Check the name and try again.",
                name=path.name,
                strerror=error.strerror,
            )
        ) from error
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or _("the top")
        raise BadSpec(
            _(
                "{name}, at {where}: {msg}. Fix it and try again.",
                name=path.name,
                where=where,
                msg=first["msg"],
            )
        ) from error
    except (ValueError, RecursionError) as error:
        raise BadSpec(_("{name} is not JSON. Fix it and try again.", name=path.name)) from error
    raise BadSpec(
        _("{name} is larger than any simulated room. Is it the right file?", name=path.name)
    )
