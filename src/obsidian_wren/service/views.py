"""What the page is told: the shape of every answer. The OpenAPI document and the page's types are made from these."""

from __future__ import annotations

import json
from typing import Annotated, Any, ClassVar, Literal, cast

from pydantic import BaseModel, Field

from obsidian_wren.service import send_views
from obsidian_wren.service.said import RateHz, RowId, Said

StepName = Literal["rig", "quiet", "gain", "clean", "tone", "steady", "send"]
Status = Literal["settled", "open", "stale", "not yet"]
Purpose = Literal["rest", "in-use", "muted", "other-gain", "talk", "loud", "soft", "passage", "dial", "clap", "sweep", "reference"]
Source = Literal["simulated", "file", "browser"]
Control = Literal["preamp", "pad", "trim", "slider", "program"]
KeptKind = Literal["microphone", "interface", "room"]


class MicrophoneFields(Said):
    """A microphone, as far as it carries calculation; unknown numbers are null."""

    name: str = Field(min_length=1, max_length=80)
    kind: Literal["condenser", "dynamic", "ribbon", "headset", "usb"]
    pattern: Literal["cardioid", "supercardioid", "omni", "figure of eight"]
    sensitivity_mv_pa: float | None = Field(default=None, gt=0, le=500)
    self_noise_dba: float | None = Field(default=None, ge=-10, le=60)
    max_spl_db: float | None = Field(default=None, ge=80, le=180)
    needs_phantom: bool | None = None


class MicrophoneView(MicrophoneFields):
    """A kept microphone with its response file."""

    id: int
    response_name: str | None
    response_points: list[list[float]]


class InterfaceFields(Said):
    """An interface: preamp, converter, and how its knob is marked."""

    name: str = Field(min_length=1, max_length=80)
    knob: Literal["dB", "dial"] = "dB"
    gain_low_db: float | None = Field(default=None, ge=-40, le=90)
    gain_high_db: float | None = Field(default=None, ge=-40, le=90)
    gain_step_db: float = Field(default=1.0, gt=0, le=12)
    dial_low: float = Field(default=0.0, ge=-100, le=100)
    dial_high: float = Field(default=10.0, ge=-100, le=100)
    dial_step: float = Field(default=0.25, gt=0, le=10)
    pad_db: float | None = Field(default=None, gt=0, le=40)
    max_input_dbu: float | None = Field(default=None, ge=-40, le=40)
    ein_dbu: float | None = Field(default=None, ge=-140, le=-60)
    has_phantom: bool | None = None
    direct_monitoring: bool | None = None
    rates_hz: list[RateHz] = Field(default=[44100, 48000, 88200, 96000], min_length=1, max_length=12)
    bits: list[Literal[8, 16, 24, 32]] = Field(default=[16, 24], min_length=1, max_length=4)


class InterfaceView(InterfaceFields):
    """A kept interface."""

    id: int


class RoomFields(Said):
    """A room: size and surfaces where known."""

    name: str = Field(min_length=1, max_length=80)
    length_m: float | None = Field(default=None, ge=0.5, le=100)
    width_m: float | None = Field(default=None, ge=0.5, le=100)
    height_m: float | None = Field(default=None, ge=0.5, le=30)
    surfaces: Literal["bare", "furnished", "soft", "treated"] | None = None


class RoomView(RoomFields):
    """A kept room, and the noise that the newest resting take told of it."""

    id: int
    noise_dba: float | None


class RigFields(Said):
    """What a person says about the rig: which things it is made of, how they stand, where its sound comes from, its aim."""

    name: str = Field(min_length=1, max_length=80)
    microphone_id: RowId
    interface_id: RowId
    room_id: RowId
    distance_cm: float = Field(ge=2, le=300)
    angle_deg: float = Field(ge=0, le=180)
    height_cm: float = Field(default=0.0, ge=-100, le=100)
    pop_screen: bool = False
    foam: bool = False
    shock_mount: bool = False
    support: Literal["arm", "desk stand", "floor stand", "worn"] = "desk stand"
    rate_hz: int = Field(ge=8000, le=192000)
    bits: Literal[16, 24, 32] = 24
    source: Source
    phantom_on: bool | None = None
    aim_low_dbfs: float = Field(default=-15.0, ge=-40, le=-4)
    aim_high_dbfs: float = Field(default=-10.0, ge=-39, le=-3.5)


class ThingView(BaseModel):
    """Something in the simulated room that can be switched off."""

    name: str
    on: bool


class ControlView(BaseModel):
    """One gain control in signal order: where it stands, how far it goes, and what was learned of it."""

    key: Control
    title: str
    unit: Literal["dB", "dial", "%", "switch"]
    analogue: bool
    position: float | None
    low: float | None
    high: float | None
    step: float
    spoken: str
    db_per_unit: float | None
    error_db: float | None
    learned: list[list[float]]


class RigView(RigFields):
    """The rig in hand."""

    id: int
    absolute_gain: bool
    things: list[ThingView]


class RigName(BaseModel):
    """A rig that is kept."""

    id: int
    name: str
    made_of: str


class ContributionView(BaseModel):
    """A part of the expected floor."""

    name: str
    level_dba: float | None
    assumed: bool


class ImprovementView(BaseModel):
    """A change and what it gains in dB."""

    title: str
    gains_db: float
    because: str


class WarningView(BaseModel):
    """What will not work or will be heard."""

    code: str
    sentence: str


class OutlookView(BaseModel):
    """What the rig should give before anything is recorded."""

    talk_db_spl: float
    floor_dba: float
    contributions: list[ContributionView]
    voice_over_floor_db: float
    talk_dbfs: float | None
    floor_dbfs: float | None
    proximity_db: float
    direct_over_reverberant_db: float | None
    critical_distance_m: float | None
    decay_s: float | None
    improvements: list[ImprovementView]
    warnings: list[WarningView]


class DeviceView(BaseModel):
    """A sound device of the computer."""

    id: str
    key: str
    system_name: str
    own_name: str | None
    direction: Literal["input", "output"]
    kind: str
    present: bool
    enabled: bool
    rate_hz: int
    bits: int
    slider_percent: float
    muted: bool
    enhancements: bool
    auto_gain: bool
    is_default: bool
    of_rig: bool
    known_as: str | None


class AuditView(BaseModel):
    """One thing in the sound settings that disagrees."""

    code: str
    harm: int
    title: str
    sentence: str
    action: str
    device_id: str | None
    field: str | None
    value: float | bool | None


class ComputerView(BaseModel):
    """The computer's sound settings and what is wrong with them."""

    devices: list[DeviceView]
    findings: list[AuditView]


class ChangeView(BaseModel):
    """What undo or redo would do."""

    title: str
    at: str


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
    ended: str | None
    position: float | None


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
    drift_hz: float


class BuzzView(BaseModel):
    """A comb of lines."""

    spacing_hz: float
    lines: int
    low_hz: float
    high_hz: float
    level_dbfs: float | None
    a_weighted_dbfs: float | None
    mains: bool


class ToneLineView(BaseModel):
    """A steady tone."""

    hz: float
    level_dbfs: float | None
    prominence_db: float


class ClickLevelsView(BaseModel):
    """Percentiles of the clicks' peaks."""

    p10: float
    p50: float
    p90: float


class TransientsView(BaseModel):
    """Clicks."""

    count: int
    per_minute: float
    peak_dbfs: float | None
    levels_dbfs: ClickLevelsView | None
    third_octaves: list[BandLevel]
    a_weighted_without_dbfs: float | None


class TrendView(BaseModel):
    """How the level wanders."""

    db_per_minute: float
    error_db_per_minute: float | None


class DropoutsView(BaseModel):
    """Gaps."""

    count: int
    total_s: float
    longest_s: float
    share: float


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
    itu468_dbfs: float | None
    peak_dbfs: float | None
    spread_db: float
    trend: TrendView
    percentiles_dbfs: PercentilesView
    third_octaves: list[BandLevel]
    hum: HumView | None
    tones: list[ToneLineView]
    buzz: list[BuzzView]
    transients: TransientsView
    flat_tops: FlatTopsView
    dc_offset: float
    rumble_dbfs: float | None
    grid_bits: int | None
    effective_bits: float | None
    dropouts: DropoutsView


class SoftClippingView(BaseModel):
    """A stage that gives way."""

    crest_loss_db: float
    from_dbfs: float
    third_harmonic_slope: float | None


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
    soft_clipping: SoftClippingView | None
    pitch_hz: PitchView | None
    snr_db: float | None
    histogram_dbfs: list[float]
    histogram_from_dbfs: float


class FloorPartView(BaseModel):
    """One part of the floor."""

    name: str
    level_dbfs: float | None
    a_weighted_dbfs: float | None


class SplitView(BaseModel):
    """Where the floor comes from."""

    gain_db: float
    parts: list[FloorPartView]
    dominant: str
    over_rest_db: float | None
    meaning: str
    missing: str | None
    predicted: str | None = None
    stale: str | None = None


class CauseView(BaseModel):
    """One cause, its evidence and its remedy."""

    code: str
    where: str
    take: str
    title: str
    evidence: str
    remedy: str
    lowers_db: float | None
    spoils: bool
    complaint: bool


class CausesView(BaseModel):
    """Causes in the order of mending, and whether the floor is quiet enough as a whole."""

    causes: list[CauseView]
    enough: bool
    steady: bool
    stale: str | None = None


class MoveView(BaseModel):
    """What to do with one gain control."""

    key: Control
    title: str
    unit: Literal["dB", "dial", "%", "switch"]
    start: float | None
    target: float | None
    change_db: float | None
    spoken: str
    because: str


class GainPlanView(BaseModel):
    """What to turn, and what follows."""

    moves: list[MoveView]
    change_db: float
    verdict: Literal["settled", "up", "down"]
    sentence: str
    because: str
    limit: str | None
    clipped_where: str | None
    sure_db: float | None
    certain: bool
    aim_dbfs: list[float]
    expected_peak_dbfs: float
    expected_talk_dbfs: float
    expected_loudest_dbfs: float | None
    expected_softest_dbfs: float | None
    expected_floor_dbfs: float | None
    expected_headroom_db: float
    expected_snr_db: float | None
    floor_assumed: bool
    quiet_predicted: str | None
    predicted: str | None
    stale: str | None


class PredictionView(BaseModel):
    """What physics says of a stale take's levels until it is made again."""

    voice_db: float
    room_db: float
    because: str
    known: bool


class BandValue(Said):
    """An equalizer band's numbers."""

    shape: Literal["peak", "low_shelf", "high_shelf"]
    frequency_hz: float = Field(ge=20, le=20_000)
    gain_db: float = Field(ge=-9, le=6)
    q: float = Field(ge=0.4, le=4)


class SettingView(BaseModel):
    """A setting of the chain: a number, or a band. A number goes from ``low`` to ``high``; one nudge moves it by ``step``.

    ``sure_db``: how far the voice under a band may be off.
    """

    stage: str
    name: str
    title: str
    low: float | None
    high: float | None
    step: float | None
    digits: int
    sure_db: float | None = None
    value: float | None
    band: BandValue | None
    unit: str
    derived: float | None
    derived_band: BandValue | None
    pinned: bool
    because: str


class OrderWarningView(BaseModel):
    """A stage that stands where another defeats it."""

    kind: str
    other: str
    sentence: str


class StageView(BaseModel):
    """One stage: whether it runs, what was derived, whether the person holds it, and under which step it is set."""

    kind: str
    title: str
    step: Literal["clean", "tone", "steady"]
    on: bool
    derived_on: bool
    pinned: bool
    because: str


class GateCountsView(BaseModel):
    """What the gate does to the real takes."""

    words: int
    beginnings_cut: int
    ends_cut: int
    room_let_through_s: float
    room_s: float
    clicks_let_through: int
    clicks: int


class GateEvidenceView(BaseModel):
    """Shares of time per decibel from −100 dBFS, as the gate hears it: words, the room; and the counts."""

    speech: list[float]
    room: list[float]
    counts: GateCountsView


class SpeechLossView(BaseModel):
    """The third octave of the voice that loses most."""

    centre_hz: float
    loss_db: float


class NoiseEvidenceView(BaseModel):
    """The floor at the listener, the profile of the noise, and what its reduction costs."""

    floor_dbfs_a: float | None
    floor_after_dbfs_a: float | None
    aim_dbfs_a: float
    hz: list[float]
    density_db: list[float]
    spread_db: list[float]
    loss: SpeechLossView | None
    restless_before_db: float | None
    restless_after_db: float | None


class OctaveDecayView(BaseModel):
    """Decay of one octave."""

    centre_hz: float
    decay_s: float
    range: Literal["T20", "T30"]


class RingView(BaseModel):
    """How the room rings."""

    octaves: list[OctaveDecayView]
    decay_s: float
    ring_share_db: float | None
    method: Literal["clap", "sweep", "speech ends"]


class PlosiveView(BaseModel):
    """One burst of breath."""

    at_s: float
    length_s: float
    level_dbfs: float | None


class PlosiveEvidenceView(BaseModel):
    """The bursts, and the low band's level every step."""

    found: list[PlosiveView]
    levels_dbfs: list[float | None]
    step_s: float


class CleanView(BaseModel):
    """The evidence of Clean."""

    gate: GateEvidenceView | None
    noise_reduction: NoiseEvidenceView | None
    ring_reduction: RingView | None
    deplosive: PlosiveEvidenceView | None
    words: int
    seconds: float
    cut_weight: float
    predicted: str | None = None
    stale: str | None = None


class SibilantView(BaseModel):
    """One hiss and its neighbours."""

    at_s: float
    length_s: float
    sort: Literal["s", "t"]
    frequency_hz: float
    level_db: float
    neighbours_db: float


class SibilanceEvidenceView(BaseModel):
    """The sibilants, and the band's level every step."""

    found: list[SibilantView]
    levels_dbfs: list[float | None]
    step_s: float


class ResonanceView(BaseModel):
    """A narrow place that stands out of the voice."""

    frequency_hz: float
    over_db: float


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
    target_name: str = "average speech"
    certainty_db: list[float] | None = None
    passages: int = 1
    sibilants: SibilanceEvidenceView | None = None
    resonances: list[ResonanceView] = []


class LevelEvidenceView(BaseModel):
    """How far phrases differ."""

    range_lu: float | None
    aim_lu: float
    stretches_dbfs: list[float | None]


class CompressorEvidenceView(BaseModel):
    """The transfer curve and what it foresees."""

    curve_in_dbfs: list[float]
    curve_out_dbfs: list[float]
    spread_db: float
    spread_after_db: float
    peaks_before_dbfs: float | None
    peaks_dbfs: float | None
    lift_db: float


class SteadyEvidenceView(BaseModel):
    """The evidence of the stages of Steady."""

    leveller: LevelEvidenceView | None
    compressor: CompressorEvidenceView | None


class DeliveryView(BaseModel):
    """What the feed will carry, against its aims. Levels: shares of speech per decibel from −60 to 0 dBFS, before and after."""

    aim_lufs: float
    tolerance_lu: float
    aim_peaks_dbfs: list[float]
    aim_range_lu: float
    aim_ceiling_dbtp: float
    aim_floor_dbfs_a: float
    aim_lift_db: float
    planned_lufs: float | None
    planned_true_peak_dbtp: float | None
    planned_peaks_dbfs: float | None
    planned_range_lu: float | None
    planned_floor_dbfs_a: float | None
    lift_db: float | None
    raw_lufs: float | None
    limited_db: float | None
    delay_ms: float
    warnings: list[OrderWarningView]
    steady: SteadyEvidenceView
    levels_in: list[float]
    levels_out: list[float]
    predicted: str | None = None
    stale: str | None = None


PeakDbfs = Annotated[float, Field(ge=-60, le=0)]


class AimsBody(Said):
    """What the treated voice should land in."""

    loudness_lufs: float = Field(default=-18.0, ge=-40, le=-10)
    tolerance_lu: float = Field(default=1.0, ge=0.2, le=5)
    peaks_dbfs: tuple[PeakDbfs, PeakDbfs] = (-10.0, -5.0)
    ceiling_dbtp: float = Field(default=-3.0, ge=-20, le=-1)
    range_lu: float = Field(default=8.0, ge=2, le=30)
    most_lift_db: float = Field(default=6.0, ge=0, le=20)


class TasteBody(Said):
    """Broad moves, dB."""

    warmth_db: float = Field(default=0.0, ge=-5, le=5)
    body_db: float = Field(default=0.0, ge=-5, le=5)
    clarity_db: float = Field(default=0.0, ge=-5, le=5)
    air_db: float = Field(default=0.0, ge=-5, le=5)


class TargetBody(Said):
    """Which target the tone is fitted to; ``id`` is that of an imported one."""

    kind: Literal["by pitch", "lower voice", "higher voice", "reference take", "imported"] = "by pitch"
    id: RowId | None = None


class WishesBody(Said):
    """What a person wants of the treated voice; what is left out is as usual."""

    cut_weight: float = Field(default=0.8, ge=0.05, le=0.95)
    taste: TasteBody | None = None
    target: TargetBody | None = None
    aims: AimsBody | None = None


class TargetName(BaseModel):
    """An imported target."""

    id: int
    name: str


class DiagramPointView(BaseModel):
    """Levels at one point of the path."""

    name: str
    title: str
    voice_low_dbfs: float | None
    voice_high_dbfs: float | None
    peak_dbfs: float | None
    room_dbfs: float | None
    note: str | None
    predicted: bool = False


class SteadyView(BaseModel):
    """How well a talk take is known so far."""

    active_level_dbfs: float
    active_error_db: float
    peak_dbfs: float
    peak_error_db: float
    spoken_s: float
    steady: bool


class ProgressView(BaseModel):
    """The take in progress."""

    purpose: Purpose
    source: Source
    seconds: float
    done_s: float
    level_dbfs: float | None
    peak_dbfs: float | None
    state: Literal["recording", "measuring"]
    until_steady: bool
    steady: SteadyView | None


class WatchView(BaseModel):
    """Listening into the room while something is switched off or moved."""

    on: bool
    purpose: Literal["rest", "talk"] | None


class FindingView(BaseModel):
    """Something in the data folder that is not as it should be, and what to do."""

    code: str
    sentence: str
    action: str


class Overview(BaseModel):
    """Everything that the page shows. ``revision`` grows with every change that pages are told of."""

    _described: ClassVar[dict[str, str]] = {}

    @classmethod
    def model_json_schema(cls, *args: Any, **kwargs: Any) -> dict[str, Any]:
        """Its schema, worked out once: nearly every route answers with it."""
        asked = repr((args, kwargs))
        if asked not in cls._described:
            cls._described[asked] = json.dumps(super().model_json_schema(*args, **kwargs))
        return cast("dict[str, Any]", json.loads(cls._described[asked]))

    revision: int
    rig: RigView
    rigs: list[RigName]
    microphones: list[MicrophoneView]
    interfaces: list[InterfaceView]
    rooms: list[RoomView]
    controls: list[ControlView]
    outlook: OutlookView
    computer: ComputerView
    undo: ChangeView | None
    redo: ChangeView | None
    steps: list[StepView]
    derivable: str | None
    takes: list[TakeView]
    halves: list[HalfView]
    progress: ProgressView | None
    watch: WatchView
    quiet: QuietView | None
    in_use: QuietView | None
    split: SplitView | None
    causes: CausesView | None
    talk: TalkView | None
    loud: TalkView | None
    soft: TalkView | None
    voice_causes: list[CauseView]
    gain_plan: GainPlanView | None
    predictions: dict[str, PredictionView]
    stages: list[StageView]
    settings: list[SettingView]
    wishes: WishesBody
    targets: list[TargetName]
    clean: CleanView | None
    tone: ToneView | None
    delivery: DeliveryView | None
    diagram: list[DiagramPointView]
    inputs: list[send_views.InputView]
    sources: list[send_views.SourceView]
    destinations: list[send_views.DestinationView]
    cases: list[send_views.CaseView]
    returns: list[send_views.ReturnView]
    clips: list[send_views.ClipView]
    ducking: send_views.DuckingView | None
    cut: list[str]
    mixes_stale: bool
    run: send_views.RunView
    recorder: send_views.RecorderView
    recordings: list[send_views.RecordingView]
    message: str | None
    findings: list[FindingView]
