"""What a person wants of the treated voice, as a page sends it and a file carries it."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field

from obsidian_wren.formats.outside import FromOutside, Name

TargetKind = Literal["by pitch", "lower voice", "higher voice", "reference take", "imported"]
PeakDbfs = Annotated[float, Field(ge=-60, le=0)]
# Hz and dB, and what else a row of a response holds.
Points = Annotated[
    list[
        Annotated[list[Annotated[float, Field(ge=-1e6, le=1e6)]], Field(min_length=2, max_length=3)]
    ],
    Field(min_length=3, max_length=4000),
]


class Preference(FromOutside):
    """A preference that is not known is refused: it would be passed over in silence."""

    model_config = ConfigDict(extra="forbid")


class BandValue(Preference):
    """An equalizer band's numbers."""

    shape: Literal["peak", "low_shelf", "high_shelf"]
    frequency_hz: float = Field(ge=20, le=20_000)
    gain_db: float = Field(ge=-12, le=9)
    q: float = Field(ge=0.4, le=6)


class AimsBody(Preference):
    """What the treated voice should land in."""

    loudness_lufs: float = Field(default=-18.0, ge=-40, le=-10)
    tolerance_lu: float = Field(default=1.0, ge=0.2, le=5)
    peaks_dbfs: tuple[PeakDbfs, PeakDbfs] = (-10.0, -5.0)
    ceiling_dbtp: float = Field(default=-3.0, ge=-20, le=-1)
    range_lu: float = Field(default=8.0, ge=2, le=30)
    most_lift_db: float = Field(default=6.0, ge=0, le=20)


class TasteBody(Preference):
    """Broad moves, dB."""

    warmth_db: float = Field(default=0.0, ge=-5, le=5)
    body_db: float = Field(default=0.0, ge=-5, le=5)
    clarity_db: float = Field(default=0.0, ge=-5, le=5)
    air_db: float = Field(default=0.0, ge=-5, le=5)
    density_db: float = Field(default=0.0, ge=-2, le=2)


class TasteFoundBody(Preference):
    """How a taste was found by ear: in how many of how many pairs it lies nearer to what was
    preferred, and how far each number may be off, dB."""

    agrees: int = Field(ge=0, le=100)
    preferred: int = Field(ge=0, le=100)
    sd_db: list[Annotated[float, Field(ge=0, le=20)]] = Field(max_length=8)


class PreferenceFields(Preference):
    """What a person wants, but for the target."""

    cut_weight: float = Field(default=0.8, ge=0.05, le=0.95)
    shape_percent: float | None = Field(default=None, ge=0, le=100)
    taste: TasteBody | None = None
    found: TasteFoundBody | None = None
    aims: AimsBody | None = None


class CarriedTarget(Preference):
    """A target in a file, an imported one with its rows; its row's number counts where it was
    saved."""

    kind: TargetKind = "by pitch"
    name: Name = ""
    rows: Points | None = None
    id: Any = Field(default=None, exclude=True)


class CarriedPreferences(PreferenceFields):
    """Preferences as a file names them."""

    target: CarriedTarget | None = None


class HeldMix(Preference):
    """What a person holds of a mix."""

    aim_lufs: float | None = Field(default=None, ge=-40, le=-8)
    ceiling_dbtp: float | None = Field(default=None, ge=-20, le=0)
    channels: Literal[1, 2] | None = None
    under_lu: dict[str, Annotated[float, Field(ge=-12, le=40)]] = Field({}, max_length=64)
    duck_db: dict[str, Annotated[float, Field(ge=0, le=40)]] = Field({}, max_length=64)
