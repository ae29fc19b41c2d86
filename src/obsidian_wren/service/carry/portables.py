"""What of a calibration file comes over: read strictly, since it was written elsewhere."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.sequence import is_further
from obsidian_wren.core.derive.portable import CHARACTER, SWITCHED_BY_TASTE
from obsidian_wren.core.wording import worded
from obsidian_wren.formats.calibration import (
    BadCalibration,
    BandFile,
    CalibrationFile,
    SettingFile,
    StageFile,
    keyed_stages,
)
from obsidian_wren.service.calibration.wishes import AimsBody, BandValue, TasteBody
from obsidian_wren.service.words import Said

Points = Annotated[
    list[Annotated[list[float], Field(min_length=2, max_length=3)]],
    Field(min_length=3, max_length=4000),
]


class CarriedTarget(Said):
    """A target, an imported one with its rows."""

    kind: Literal["by pitch", "lower voice", "higher voice", "reference take", "imported"] = (
        "by pitch"
    )
    name: str = Field(default="", max_length=200)
    rows: Points | None = None
    id: Any = None


class CarriedWishes(Said):
    """Wishes as a file names them."""

    cut_weight: float = Field(default=0.8, ge=0.05, le=0.95)
    shape_percent: float | None = Field(default=None, ge=0, le=100)
    taste: TasteBody | None = None
    target: CarriedTarget | None = None
    aims: AimsBody | None = None


class HeldMix(Said):
    """What a person holds of a mix."""

    aim_lufs: float | None = Field(default=None, ge=-40, le=-8)
    ceiling_dbtp: float | None = Field(default=None, ge=-20, le=0)
    channels: Literal[1, 2] | None = None
    under_lu: dict[str, Annotated[float, Field(ge=-12, le=40)]] = Field({}, max_length=64)
    duck_db: dict[str, Annotated[float, Field(ge=0, le=40)]] = Field({}, max_length=64)


class CarriedMix(Said):
    """One listener's mix: its kind, what is held of it, and what it gets."""

    kind: str = Field(max_length=20)
    listener: str = Field(default="", max_length=200)
    held: HeldMix = HeldMix()
    gets: list[Annotated[list[str], Field(min_length=2, max_length=2)]] | None = Field(
        default=None, max_length=64
    )


class Portable(Said):
    """All that comes over. ``character``: values by stage and name; ``switches``: by stage;
    ``bands``: the person's own in further equalizers, by stage; ``touched``: what the person did to
    the equalizer, each band's pinned value and what it was derived as."""

    wishes: CarriedWishes
    sequence: list[str]
    character: dict[str, dict[str, float]]
    switches: dict[str, bool]
    bands: dict[str, list[BandValue]]
    touched: list[tuple[BandValue, BandValue | None]]
    mixes: list[CarriedMix]


def portable_of(file: CalibrationFile) -> Portable:
    """What comes over of a file. Raises BadCalibration for what no calibration can hold."""
    try:
        return Portable(
            wishes=CarriedWishes.model_validate(file.wishes),
            sequence=list(file.sequence),
            character=_character(file),
            switches=_switches(file),
            bands={
                key: [_band(band) for band in _bands(stage)]
                for key, stage in keyed_stages(file).items()
                if is_further(key) and kind_of(key).banded
            },
            touched=_touched(file),
            mixes=[
                CarriedMix(
                    kind=str(feed["kind"]),
                    listener=str(feed.get("listener", "")),
                    held=HeldMix.model_validate(feed.get("held") or {}),
                    gets=feed.get("gets"),
                )
                for feed in file.feeds
                if feed.get("kind")
            ],
        )
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise BadCalibration(
            worded(
                "What the file wants of the voice cannot be, at {where}: {msg}. Fix it, or save"
                " it again from Prove, Carry.",
                where=where,
                msg=first["msg"],
            )
        ) from error


def _character(file: CalibrationFile) -> dict[str, dict[str, float]]:
    found: dict[str, dict[str, float]] = {}
    for key, stage in keyed_stages(file).items():
        names = CHARACTER.get(stage.kind, ())
        values = {
            name: _in_range(key, name, setting.value)
            for name, setting in stage.settings.items()
            if name in names and isinstance(setting.value, float)
        }
        if values and (stage.on or stage.pinned):
            found[key] = values
    return found


def _in_range(key: str, name: str, value: float) -> float:
    known = kind_of(key).parameter(name)
    if not known.low <= value <= known.high:
        raise BadCalibration(
            worded(
                "{title} of {title_2} is {value:g} in the file; it goes from {low:g} to"
                " {high:g}. Fix it, or save the file again.",
                title=known.title,
                title_2=kind_of(key).title.lower(),
                value=value,
                low=known.low,
                high=known.high,
            )
        )
    return value


def _switches(file: CalibrationFile) -> dict[str, bool]:
    return {
        key: stage.on
        for key, stage in keyed_stages(file).items()
        if stage.pinned and stage.kind in SWITCHED_BY_TASTE
    }


def _bands(stage: StageFile) -> list[BandFile]:
    setting = stage.settings.get("bands")
    return [] if setting is None else _band_files(setting, setting.value)


def _band_files(setting: SettingFile, value: Any) -> list[BandFile]:
    return [band for band in value or [] if isinstance(band, BandFile)]


def _band(band: BandFile) -> BandValue:
    return BandValue(
        shape=band.shape, frequency_hz=band.frequency_hz, gain_db=band.gain_db, q=band.q
    )


def _touched(file: CalibrationFile) -> list[tuple[BandValue, BandValue | None]]:
    """What a person's own hand made of the equalizer: pinned bands, beside what they were derived
    as."""
    stage = keyed_stages(file).get("equalizer")
    setting = None if stage is None else stage.settings.get("bands")
    if setting is None:
        return []
    values = _band_files(setting, setting.value)
    derived = _band_files(setting, setting.derived)
    found = []
    for at, band in enumerate(values):
        if not (band.model_extra or {}).get("pinned"):
            continue
        was = derived[at] if at < len(derived) else None
        found.append((_band(band), None if was is None else _band(was)))
    return found
