"""What of a calibration file comes over: read strictly, since it was written elsewhere."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.sequence import is_further
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import (
    BadCalibration,
    BandFile,
    CalibrationFile,
    CarriedMix,
    SettingFile,
    SituationFile,
    StageFile,
    keyed_stages,
)
from obsidian_wren.formats.outside import FromOutside
from obsidian_wren.formats.preferences import BandValue, CarriedPreferences


class Portable(FromOutside):
    """All that comes over. ``character``: values by stage and name; ``switches``: by stage;
    ``bands``: the person's own in further equalizers, by stage; ``touched``: what the person did to
    the equalizer, each band's pinned value and what it was derived as."""

    preferences: CarriedPreferences
    sequence: list[str]
    character: dict[str, dict[str, float]]
    switches: dict[str, bool]
    bands: dict[str, list[BandValue]]
    touched: list[tuple[BandValue, BandValue | None]]
    mixes: list[CarriedMix]
    situations: list[SituationFile]


def portable_of(file: CalibrationFile) -> Portable:
    """What comes over of a file. Raises BadCalibration for what no calibration can hold."""
    try:
        return Portable(
            preferences=file.preferences,
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
                CarriedMix.model_validate(feed.model_dump()) for feed in file.feeds if feed.kind
            ],
            situations=[_situation(each) for each in file.situations],
        )
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise BadCalibration(
            _(
                "An impossible value in the file, at {where}: {msg}. Fix it, or save it again"
                " from Prove, Carry.",
                where=where,
                msg=first["msg"],
            )
        ) from error


def _situation(carried: SituationFile) -> SituationFile:
    """A situation with what travels of it: what belongs to a place is derived there."""
    kinds = {key: kind_of(key) for key in {*carried.pins, *carried.switches} if is_known(key)}
    pins = {
        key: found
        for key, held in carried.pins.items()
        if key in kinds
        and (found := {name: v for name, v in held.items() if name in kinds[key].character})
    }
    return carried.model_copy(
        update={
            "pins": pins,
            "switches": {
                key: on
                for key, on in carried.switches.items()
                if key in kinds and kinds[key].by_taste
            },
            "bands": {
                key: bands
                for key, bands in carried.bands.items()
                if is_known(key) and is_further(key) and kind_of(key).banded
            },
            "differs": [],
        }
    )


def is_known(key: str) -> bool:
    """Whether there is a kind of stage of this key in this version."""
    return key.partition("-")[0] in KINDS


def _character(file: CalibrationFile) -> dict[str, dict[str, float]]:
    found: dict[str, dict[str, float]] = {}
    for key, stage in keyed_stages(file).items():
        names = kind_of(key).character
        values = {
            name: setting.value
            for name, setting in stage.settings.items()
            if name in names and isinstance(setting.value, float)
        }
        if values and (stage.on or stage.pinned):
            found[key] = values
    return found


def _switches(file: CalibrationFile) -> dict[str, bool]:
    return {
        key: stage.on
        for key, stage in keyed_stages(file).items()
        if stage.pinned and kind_of(key).by_taste
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
        if not band.pinned:
            continue
        was = derived[at] if at < len(derived) else None
        found.append((_band(band), None if was is None else _band(was)))
    return found
