"""The tables. Times are UTC ISO strings; JSON columns hold plain values only."""

from obsidian_wren.store.models.base import Base, JsonBody
from obsidian_wren.store.models.chain import (
    Confirmed,
    Derivation,
    SettingRow,
    Situation,
    StageRow,
)
from obsidian_wren.store.models.controllers import ControlBinding
from obsidian_wren.store.models.mixes import (
    Clip,
    DestinationRow,
    LiveWish,
    Proof,
    Recording,
    SourceRow,
)
from obsidian_wren.store.models.prove import (
    BroughtFile,
    KeptCalibration,
    OrdinaryDay,
    Series,
    Version,
)
from obsidian_wren.store.models.takes import ChangeRow, Reading, Take
from obsidian_wren.store.models.things import (
    ActiveRig,
    ComputerRow,
    InterfaceRow,
    KnownDevice,
    MicrophoneRow,
    Response,
    Rig,
    RoomRow,
    TaperRow,
    TargetRow,
)

__all__ = [
    "ActiveRig",
    "Base",
    "BroughtFile",
    "ChangeRow",
    "Clip",
    "ComputerRow",
    "Confirmed",
    "ControlBinding",
    "Derivation",
    "DestinationRow",
    "InterfaceRow",
    "JsonBody",
    "KeptCalibration",
    "KnownDevice",
    "LiveWish",
    "MicrophoneRow",
    "OrdinaryDay",
    "Proof",
    "Reading",
    "Recording",
    "Response",
    "Rig",
    "RoomRow",
    "Series",
    "SettingRow",
    "Situation",
    "SourceRow",
    "StageRow",
    "Take",
    "TaperRow",
    "TargetRow",
    "Version",
]
