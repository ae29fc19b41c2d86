"""What the page is told: the shape of every answer. The OpenAPI document and the page's types are made from these."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

StepName = Literal["rig", "quiet", "gain", "tone", "send"]
Status = Literal["settled", "open", "stale", "not yet"]
Purpose = Literal["rest", "talk", "passage"]
Source = Literal["simulated", "file", "browser"]


class RigFields(BaseModel):
    """What a person says about the rig."""

    room_name: str = Field(min_length=1, max_length=80)
    microphone_name: str = Field(min_length=1, max_length=80)
    microphone_kind: Literal["condenser", "dynamic", "ribbon", "headset", "usb"]
    pattern: Literal["cardioid", "supercardioid", "omni", "figure of eight"]
    interface_name: str = Field(min_length=1, max_length=80)
    distance_cm: float = Field(ge=2, le=300)
    angle_deg: float = Field(ge=0, le=180)
    rate_hz: int = Field(ge=8000, le=192000)
    sensitivity_mv_pa: float | None = Field(default=None, gt=0, le=500)
    max_input_dbu: float | None = Field(default=None, ge=-40, le=40)
    source: Source


class KnobView(BaseModel):
    """The preamp: position, and range and step where the program can turn it."""

    gain_db: float | None
    low_db: float | None
    high_db: float | None
    step_db: float | None


class RigView(RigFields):
    """The rig with its knob."""

    knob: KnobView


class StepView(BaseModel):
    """One step of the job."""

    name: StepName
    title: str
    status: Status
    why: str | None


class TakeView(BaseModel):
    """One take."""

    id: int
    purpose: Purpose
    seconds: float
    rate_hz: int
    taken_at: str
    source: Source
    half: bool
    fault: str | None
    notes: list[str]
    current: bool
    stale: str | None


class HalfView(BaseModel):
    """A take that was cut off."""

    id: str
    purpose: Purpose
    seconds: float
    started_at: str


class BandLevel(BaseModel):
    """A third octave."""

    centre_hz: float
    level_dbfs: float | None


class HarmonicView(BaseModel):
    """A line of a hum family."""

    hz: float
    level_dbfs: float | None


class HumView(BaseModel):
    """A hum family."""

    mains_hz: float
    level_dbfs: float | None
    harmonics: list[HarmonicView]


class ToneLineView(BaseModel):
    """A steady tone."""

    hz: float
    level_dbfs: float | None
    prominence_db: float


class TransientsView(BaseModel):
    """Clicks."""

    count: int
    per_minute: float
    peak_dbfs: float | None


class PercentilesView(BaseModel):
    """Levels of 10 ms frames."""

    p10: float | None
    p50: float | None
    p90: float | None
    p99: float | None


class FlatTopsView(BaseModel):
    """Clipping."""

    count: int
    level_dbfs: float | None


class PitchView(BaseModel):
    """Pitch of the voice."""

    p5: float
    p50: float
    p95: float


class QuietView(BaseModel):
    """The quiet reading."""

    duration_s: float
    rms_dbfs: float | None
    a_weighted_dbfs: float | None
    peak_dbfs: float | None
    spread_db: float
    percentiles_dbfs: PercentilesView
    third_octaves: list[BandLevel]
    hum: HumView | None
    tones: list[ToneLineView]
    transients: TransientsView
    flat_tops: FlatTopsView
    rumble_dbfs: float | None


class TalkView(BaseModel):
    """The talk reading."""

    duration_s: float
    peak_dbfs: float | None
    true_peak_dbtp: float | None
    active_level_dbfs: float | None
    activity: float
    loudness_lufs: float | None
    loudness_range_lu: float | None
    peaks_by_second_dbfs: list[float | None]
    flat_tops: FlatTopsView
    pitch_hz: PitchView | None
    snr_db: float | None
    histogram_dbfs: list[float]
    histogram_from_dbfs: float


class AdviceView(BaseModel):
    """What to do with the preamp."""

    change_db: float
    verdict: Literal["settled", "up", "down"]
    sentence: str
    because: str
    sure_db: float | None
    certain: bool
    expected_peak_dbfs: float
    quiet_predicted: str | None
    quiet_shift_db: float


class BandValue(BaseModel):
    """An equalizer band's numbers."""

    shape: Literal["peak", "low_shelf", "high_shelf"]
    frequency_hz: float = Field(ge=20, le=20_000)
    gain_db: float = Field(ge=-9, le=6)
    q: float = Field(ge=0.4, le=4)


class SettingView(BaseModel):
    """A setting of the chain: a number, or a band."""

    stage: str
    name: str
    title: str
    value: float | None
    band: BandValue | None
    unit: str
    derived: float | None
    derived_band: BandValue | None
    pinned: bool
    because: str


class ToneView(BaseModel):
    """The evidence of the fit."""

    points_hz: list[float]
    recorded_db: list[float]
    corrected_db: list[float]
    target_db: list[float]
    trust: list[float]
    corridor_db: float
    left_over_rms_db: float
    worst_db: float
    low_hz: float
    high_hz: float
    left_alone: str
    voiced_s: float


class DeliveryView(BaseModel):
    """What the feed will carry."""

    aim_lufs: float
    tolerance_lu: float
    planned_lufs: float
    planned_true_peak_dbtp: float
    raw_lufs: float | None
    limited_db: float
    delay_ms: float


class DiagramPointView(BaseModel):
    """Levels at one point of the path."""

    name: str
    title: str
    voice_low_dbfs: float | None
    voice_high_dbfs: float | None
    peak_dbfs: float | None
    room_dbfs: float | None
    note: str | None


class InputView(BaseModel):
    """An input that programs can pick: the name that the computer shows and what it is."""

    name: str
    kind: Literal["raw", "treated"]
    title: str


class ProofView(BaseModel):
    """The newest proof at a destination."""

    arrival: Literal["raw", "treated", "both", "neither"]
    good: bool
    sentence: str
    advice: str | None
    delay_ms: float | None
    level_db: float | None
    loudness_lufs: float | None
    at: str
    stale: bool


class DestinationView(BaseModel):
    """A listener."""

    name: str
    kind: Literal["call", "recorder"]
    picks: str | None
    rate_hz: int
    voice_lufs: float | None
    proof: ProofView | None


class RunView(BaseModel):
    """The live run."""

    live: bool
    since: str | None
    dropouts: int
    marker: Literal["idle", "sending"]
    stopped_why: str | None
    recording: bool


class RecordingView(BaseModel):
    """A file of the recorder."""

    id: int
    file_name: str
    seconds: float
    loudness_lufs: float | None
    true_peak_dbtp: float | None
    at: str


class ProgressView(BaseModel):
    """The take in progress."""

    purpose: Purpose
    source: Source
    seconds: float
    done_s: float
    level_dbfs: float | None
    peak_dbfs: float | None
    state: Literal["recording", "measuring"]


class Overview(BaseModel):
    """Everything that the page shows."""

    rig: RigView
    steps: list[StepView]
    takes: list[TakeView]
    halves: list[HalfView]
    progress: ProgressView | None
    quiet: QuietView | None
    talk: TalkView | None
    advice: AdviceView | None
    settings: list[SettingView]
    tone: ToneView | None
    delivery: DeliveryView | None
    diagram: list[DiagramPointView]
    inputs: list[InputView]
    destinations: list[DestinationView]
    run: RunView
    recordings: list[RecordingView]
    message: str | None
