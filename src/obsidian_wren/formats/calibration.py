"""The calibration file: open JSON that says what was measured, what was derived, and why.

``{"format": "obsidian-wren/calibration", "version": 1, "rig": …, "readings": …, "chain": […],
"feeds": …}``. A stage with ``"on": false`` is passed over; an unknown stage kind is refused by
name, never skipped in silence.
"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import AliasChoices, Field

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.sequence import numbered
from obsidian_wren.core.chain.stage import BadSetting, StageSpec
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.formats.outside import FromOutside, Name, Sentence
from obsidian_wren.formats.preferences import BandValue, CarriedPreferences, HeldMix
from obsidian_wren.formats.reading_files import DifferenceDb, Hz, LevelDb, ReadingsFile

FORMAT = "obsidian-wren/calibration"
VERSION = 1
FEED_NAME = "Wren: call"
# Series and checks, the newest, that a file tells of.
MOST_PROVED = 200
SCHEMA = Path(__file__).with_name("calibration.schema.json")


class BadCalibration(Told, ValueError):
    """A calibration file that cannot be used; the message says what to do."""

    def __init__(self, sentence: str) -> None:
        super().__init__("calibration", sentence)


Gain = Annotated[float, Field(ge=-200, le=200)]


class BandFile(FromOutside):
    """One equalizer band; ``derived`` is what the fit said where a person holds it otherwise."""

    shape: Literal["peak", "low_shelf", "high_shelf"]
    frequency_hz: float = Field(ge=10, le=96_000)
    gain_db: float = Field(ge=-40, le=40)
    q: float = Field(ge=0.05, le=50)
    pinned: bool = False
    because: Sentence = ""


Bands = Annotated[list[BandFile], Field(max_length=64)]
Rows = Annotated[
    list[Annotated[list[float], Field(min_length=1, max_length=8)]], Field(max_length=4096)
]


class SettingFile(FromOutside):
    """One setting with its because.

    ``value`` is a number, the bands of an equalizer, or rows of numbers.
    """

    value: float | Bands | Rows
    unit: Name
    derived: float | Bands | Rows | None
    pinned: bool
    because: Sentence


class StageFile(FromOutside):
    """One stage of the chain. ``key`` names it where there are several of one kind."""

    kind: Name
    key: Name = ""
    on: bool = True
    pinned: bool = False
    because: Sentence = ""
    settings: dict[Name, SettingFile] = Field(max_length=64)


class ThingFile(FromOutside):
    """A microphone, an interface or a room, as far as it is told of again."""

    name: Name = ""
    pattern: Name | None = None


class AdviceFile(FromOutside):
    """What was said of the preamp."""

    sentence: Sentence = ""
    because: Sentence = ""


class RigFile(FromOutside):
    """The rig; what else stands in it is for people to read."""

    name: Name | None = None
    microphone: ThingFile | None = None
    interface: ThingFile | None = None
    room: ThingFile | None = None
    distance_cm: float | None = Field(None, ge=0, le=10_000)
    angle_deg: float | None = Field(None, ge=-360, le=360)
    gain_db: Gain | None = None
    rate_hz: float | None = Field(None, ge=4_000, le=400_000)
    aim_dbfs: tuple[LevelDb, LevelDb] | None = None
    preamp: AdviceFile | None = None


class CarriedMix(FromOutside):
    """What of a listener's mix comes over: whose it is, what is held of it, and what it gets."""

    listener: Name = ""
    kind: Annotated[str, Field(max_length=20)] | None = None
    held: HeldMix | None = None
    gets: (
        Annotated[
            list[Annotated[list[Name], Field(min_length=2, max_length=2)]], Field(max_length=64)
        ]
        | None
    ) = None


class FeedFile(CarriedMix):
    """One listener's mix, with what it is meant to get and what is planned."""

    name: Name | None = None
    aim_lufs: LevelDb | None = None
    planned_lufs: LevelDb | None = None
    planned_true_peak_dbtp: LevelDb | None = None
    planned_peaks_dbfs: LevelDb | None = None
    planned_range_lu: DifferenceDb | None = None
    planned_floor_dbfs_a: LevelDb | None = None


class SeriesFile(FromOutside):
    """A blind series and the range in which chance alone lands."""

    title: Name = ""
    rounds: int = Field(ge=1, le=10_000)
    first: float = Field(ge=0, le=10_000)
    no_difference: int = Field(0, ge=0, le=10_000)
    chance_range: tuple[
        Annotated[float, Field(ge=0, le=10_000)], Annotated[float, Field(ge=0, le=10_000)]
    ]
    sentence: Sentence = ""


class CauseFile(FromOutside):
    """One cause of what a check found."""

    share: float = Field(0.0, ge=0, le=1)
    sentence: Sentence = ""
    action: Sentence = ""


class CheckFile(FromOutside):
    """One check: when, and what it found."""

    at: Name = ""
    causes: list[CauseFile] = Field([], max_length=64)


class DriftBandFile(FromOutside):
    """What the last check found in one third octave."""

    hz: Hz | None = None
    change_db: DifferenceDb | None = None
    explained_db: DifferenceDb | None = None
    room_db: DifferenceDb | None = None


class ProofFile(FromOutside):
    """What was proved."""

    series: list[SeriesFile] = Field([], max_length=MOST_PROVED)
    checks: list[CheckFile] = Field([], max_length=MOST_PROVED)
    last_check_bands: list[DriftBandFile] = Field([], max_length=400)
    listeners_proved: list[Name] = Field([], max_length=200)


class SituationFile(FromOutside):
    """A situation: a name, and what is decided in it otherwise than by the rules. ``switches`` and
    ``pins`` by the keys of the stages; ``bands``: those that a person holds; ``listeners``: whether
    each is in use, and ``mixes``: what is held of each mix, by key; ``differs``: where it decides
    otherwise than the file, for people to read."""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    preferences: CarriedPreferences = CarriedPreferences()
    switches: dict[Name, bool] = Field({}, max_length=64)
    pins: dict[Name, dict[Name, float]] = Field({}, max_length=64)
    bands: dict[Name, Annotated[list[BandValue], Field(max_length=64)]] = Field({}, max_length=64)
    listeners: dict[Name, bool] = Field({}, max_length=64)
    mixes: dict[Name, HeldMix] = Field({}, max_length=64)
    differs: list[Sentence] = Field([], max_length=200)


class CalibrationFile(FromOutside):
    """The whole file. ``preferences``: what the person wants of the voice; ``sequence``: the keys
    of the stages in the person's order, empty for the usual one; ``name`` and ``note`` as the
    person gave them."""

    format: Literal["obsidian-wren/calibration"]
    version: Literal[1]
    rig: RigFile
    readings: ReadingsFile
    chain: list[StageFile] = Field(max_length=64)
    feeds: list[FeedFile] = Field(max_length=64)
    proof: ProofFile = ProofFile()
    # Files of older programs call them wishes.
    preferences: CarriedPreferences = Field(
        default=CarriedPreferences(), validation_alias=AliasChoices("preferences", "wishes")
    )
    sequence: list[Name] = Field([], max_length=64)
    situations: list[SituationFile] = Field([], max_length=64)
    name: Name = ""
    note: Sentence = ""


def schema_json() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the file, from its model."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **CalibrationFile.model_json_schema(),
    }


def keyed_stages(file: CalibrationFile) -> dict[str, StageFile]:
    """The stages by their keys, in their order; files of older programs name kinds alone."""
    keys = numbered(stage.kind for stage in file.chain)
    return {stage.key or key: stage for stage, key in zip(file.chain, keys, strict=True)}


def chain_spec(file: CalibrationFile) -> tuple[StageSpec, ...]:
    """The chain that the file describes, in its order.

    Raises BadCalibration for a stage or setting that is not known.
    """
    return tuple(_stage(stage) for stage in file.chain)


def _stage(stage: StageFile) -> StageSpec:
    kind = KINDS.get(stage.kind)
    if kind is None:
        raise BadCalibration(
            _(
                "This version has no stage “{kind}”. Take it out of the file, or update the"
                " program.",
                kind=stage.kind,
            )
        )
    try:
        return kind.spec_class().from_settings(
            {name: _value(setting) for name, setting in stage.settings.items()}, on=stage.on
        )
    except BadSetting as error:
        raise BadCalibration(
            _(
                "The stage “{kind}” {error}. Fix the file or write it again with “obsidian-wren"
                " plan”.",
                kind=stage.kind,
                error=error,
            )
        ) from error


def _value(setting: SettingFile) -> float | list[EqualizerBand] | list[list[float]]:
    if isinstance(setting.value, float):
        return setting.value
    bands = [
        EqualizerBand(b.shape, b.frequency_hz, b.gain_db, b.q)
        for b in setting.value
        if isinstance(b, BandFile)
    ]
    return (
        bands
        if len(bands) == len(setting.value)
        else [row for row in setting.value if isinstance(row, list)]
    )
