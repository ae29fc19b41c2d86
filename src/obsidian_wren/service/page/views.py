"""What the page is told: the shape of every answer. The OpenAPI document and the page’s types are
made from these.

What was measured or derived is told as the record that it is; here stands what is told beside it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, RootModel

from obsidian_wren.core.derive.audit import AuditFinding
from obsidian_wren.core.derive.cause import Cause
from obsidian_wren.core.derive.clicks import ClickEvidence
from obsidian_wren.core.derive.colour_added import ColourAdded
from obsidian_wren.core.derive.compressor import CompressorEvidence
from obsidian_wren.core.derive.deesser import SibilanceEvidence
from obsidian_wren.core.derive.expectation import Outlook
from obsidian_wren.core.derive.floor_split import FloorSplit
from obsidian_wren.core.derive.gain_plan import GainPlan
from obsidian_wren.core.derive.gate_evidence import GateCounts, GateEvidence
from obsidian_wren.core.derive.hum import HumEvidence
from obsidian_wren.core.derive.learned import MovingEvidence
from obsidian_wren.core.derive.leveller import LevelEvidence
from obsidian_wren.core.derive.noise_reduction import NoiseEvidence
from obsidian_wren.core.derive.order import OrderWarning
from obsidian_wren.core.derive.rig_knowledge import Known
from obsidian_wren.core.derive.shift import Shift
from obsidian_wren.core.derive.sound_device import DeviceField
from obsidian_wren.core.derive.taken import Taken
from obsidian_wren.core.derive.verdicts import Fact
from obsidian_wren.core.measure.buzz import Buzz
from obsidian_wren.core.measure.clicks import Transients
from obsidian_wren.core.measure.clipping import FlatTops, SoftClipping
from obsidian_wren.core.measure.decay import Reverb
from obsidian_wren.core.measure.hum import Hum, SteadyTone
from obsidian_wren.core.measure.integrity import Dropouts
from obsidian_wren.core.measure.levels import Percentiles, Trend
from obsidian_wren.core.measure.plosives import Plosive
from obsidian_wren.core.measure.resonances import Resonance
from obsidian_wren.core.measure.spectrum import Band
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.prove.before_after import BeforeAfter
from obsidian_wren.core.prove.found import DriftBand, ToldCause
from obsidian_wren.core.prove.ranking_words import RankingSentence
from obsidian_wren.service.calibration.preferences import BandValue, PreferencesBody
from obsidian_wren.service.context.app_context import FolderFinding
from obsidian_wren.service.mixes import inputs
from obsidian_wren.service.page import send_views
from obsidian_wren.service.prove.two import TwoBar
from obsidian_wren.service.rig.fields import (
    InterfaceFields,
    MicrophoneFields,
    RigFields,
    RoomFields,
)
from obsidian_wren.service.takes.progress import ProgressView
from obsidian_wren.service.words import Control, Purpose, Source, Status, StepName


@dataclass(frozen=True)
class TrendView(Trend):
    """How the level wanders."""

    sentence: str = ""


class QuietView(BaseModel):
    """The quiet reading."""

    duration_s: float
    rms_dbfs: float | None
    a_weighted_dbfs: float | None
    itu468_dbfs: float | None
    peak_dbfs: float | None
    spread_db: float
    trend: TrendView
    percentiles_dbfs: Percentiles
    third_octaves: list[Band]
    hum: Hum | None
    hum_sentence: str = ""
    tones: list[SteadyTone]
    buzz: list[Buzz]
    transients: Transients
    flat_tops: FlatTops
    dc_offset: float
    rumble_dbfs: float | None
    grid_bits: int | None
    effective_bits: float | None
    dropouts: Dropouts


@dataclass(frozen=True, kw_only=True)
class SplitView(FloorSplit):
    """Where the floor comes from."""

    predicted: str | None = None
    stale: str | None = None


@dataclass(frozen=True)
class CauseView(Cause):
    """One cause, its evidence and its remedy, and what that is worth."""

    worth: str = ""


class CausesView(BaseModel):
    """Causes in the order of mending, and whether the floor is quiet enough as a whole."""

    causes: list[CauseView]
    enough: bool
    steady: bool
    stale: str | None = None


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
    flat_tops: FlatTops
    soft_clipping: SoftClipping | None
    pitch_hz: Pitch | None
    snr_db: float | None
    histogram_dbfs: list[float]
    histogram_from_dbfs: float


@dataclass(frozen=True, kw_only=True)
class GainPlanView(GainPlan):
    """What to turn, and what follows."""

    quiet_predicted: str | None
    predicted: str | None
    stale: str | None


@dataclass(frozen=True)
class TakenView(Taken):
    """The A-weighted room before and behind a stage, and what the voice loses there."""

    facts: tuple[Fact, ...] = ()


class PlosiveEvidenceView(BaseModel):
    """The bursts, and the low band's level every step."""

    found: list[Plosive]
    levels_dbfs: list[float | None]
    step_s: float


class GateTried(RootModel[GateCounts]):
    """What a gate as the person set it does to the takes."""


class CleanView(BaseModel):
    """The evidence of Clean."""

    gate: GateEvidence | None
    noise_reduction: NoiseEvidence | None
    ring_reduction: Reverb | None
    deplosive: PlosiveEvidenceView | None
    hum: HumEvidence | None = None
    clicks: ClickEvidence | None = None
    learned: MovingEvidence | None = None
    taken: dict[str, TakenView] = {}
    words: int
    seconds: float
    cut_weight: float
    facts: tuple[Fact, ...] = ()
    moving_facts: tuple[Fact, ...] = ()
    predicted: str | None = None
    stale: str | None = None


class ToneView(BaseModel):
    """The evidence of the fit at the points: the voice against its target, what of it the rig
    adds and how far that is known, the correction that was wanted and that the bands give, dB."""

    points_hz: list[float]
    deviation_db: list[float]
    rig_db: list[float]
    uncertainty_db: list[float]
    wanted_db: list[float]
    correction_db: list[float]
    corrected_db: list[float]
    average_db: list[float]
    trust: list[float]
    known: list[Known]
    residual_rms_db: float
    worst_db: float
    low_hz: float
    high_hz: float
    left_alone: str
    voiced_s: float
    target_name: str = "average speech"
    passages: int = 1
    remaining: Fact | None = None
    sibilants: SibilanceEvidence | None = None
    resonances: list[Resonance] = []


class TargetName(BaseModel):
    """An imported target."""

    id: int
    name: str


class SteadyEvidenceView(BaseModel):
    """The evidence of the stages of Steady."""

    leveller: LevelEvidence | None
    compressor: CompressorEvidence | None
    colour: ColourAdded | None = None


class DeliveryView(BaseModel):
    """What the feed will carry, against its aims.

    Levels: shares of speech per decibel from −60 to 0 dBFS, before and after.
    """

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
    planned_beside_voice_dbfs_a: float | None = None
    lift_db: float | None
    raw_lufs: float | None
    limited_db: float | None
    delay_ms: float
    warnings: list[OrderWarning]
    steady: SteadyEvidenceView
    levels_in: list[float]
    levels_out: list[float]
    facts: tuple[Fact, ...] = ()
    predicted: str | None = None
    stale: str | None = None


class MicrophoneView(MicrophoneFields):
    """A kept microphone with its response file."""

    id: int
    response_name: str | None
    response_points: list[list[float]]


class InterfaceView(InterfaceFields):
    """A kept interface."""

    id: int


class RoomView(RoomFields):
    """A kept room, and the noise that the newest resting take told of it."""

    id: int
    noise_dba: float | None


class ThingView(BaseModel):
    """Something in the simulated room that can be switched off."""

    name: str
    on: bool


class ControlView(BaseModel):
    """One gain control in signal order: where it stands, how far it goes, and what was learned
    of it."""

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


@dataclass(frozen=True, kw_only=True)
class OutlookView(Outlook):
    """What the rig should give, and what takes told of it since."""

    facts: tuple[Fact, ...]


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
    channels: int
    processing: str | None
    settable: list[DeviceField] | None


class LoginView(BaseModel):
    """Whether the program is started at login, by which file, and why that cannot be here."""

    on: bool
    path: str
    why_not: str | None


class ComputerView(BaseModel):
    """The computer's sound settings and what is wrong with them.

    ``simulated``: it is a stand-in; ``server`` is the sound server of a real one, ``missing`` why
    nothing of it is known.
    """

    simulated: bool
    server: str | None
    missing: str | None
    devices: list[DeviceView]
    findings: list[AuditFinding]
    login: LoginView | None


class SettingView(BaseModel):
    """A setting of the chain: a number, or a band.

    A number goes from ``low`` to ``high``; one nudge moves it by ``step``.

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


class KindName(BaseModel):
    """A kind of stage by its name."""

    kind: str
    title: str


class StageView(BaseModel):
    """One stage: whether it runs, what was derived, whether the person holds it, and under which
    step and leaf it is set.

    ``key`` names it in its chain; ``further``: a person added it; ``is_new``: it came with this
    version and is off until it is derived.
    """

    key: str
    kind: str
    title: str
    step: Literal["clean", "tone", "steady"]
    leaf: str
    on: bool
    derived_on: bool
    pinned: bool
    because: str
    is_new: bool
    further: bool
    switchable: bool


class DiagramPointView(BaseModel):
    """Levels at one point of the path."""

    name: str
    title: str
    voice_low_dbfs: float | None
    voice_high_dbfs: float | None
    peak_dbfs: float | None
    # What older versions kept has neither; it is drawn again when the path is derived.
    floor_dbfs_a: float | None = None
    delay_ms: float | None = None
    note: str | None
    predicted: bool = False


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
    asks: str | None = None


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


class OlderTakesView(BaseModel):
    """Older takes of a purpose, in the order in which they were taken."""

    takes: list[TakeView]


class HalfView(BaseModel):
    """A take that was cut off."""

    id: str
    purpose: Purpose
    seconds: float
    started_at: str


class WatchView(BaseModel):
    """Listening into the room while something is switched off or moved."""

    on: bool
    purpose: Literal["rest", "talk"] | None


class HeldView(BaseModel):
    """Something that is remembered, MB, and how much of it may be; None where it is counted in
    pieces."""

    what: str
    mb: float
    most_mb: float | None


class MemoryView(BaseModel):
    """The page's program, MB (None where the system does not tell), the worker (None where there is
    none), and what of it is remembered."""

    program_mb: float | None
    worker_mb: float | None
    held: list[HeldView]


SeriesKind = Literal["prefer", "which"]


class PairView(BaseModel):
    """What can be compared: what its first sound is called, and the code of its second."""

    title: str
    second: str
    first: str


class RunningSeriesView(BaseModel):
    """A series that is answered: nothing here tells which of the two is which."""

    id: int
    kind: SeriesKind
    title: str
    question: str
    round: int
    rounds: int
    seconds: float
    loudness_lufs: float | None
    apart_lu: float | None


class SeriesView(BaseModel):
    """A series at its end. ``first``: how often the first of the pair was chosen or named, “no
    difference” counted half; chance alone lands from ``chance_low`` to ``chance_high`` in 95 of 100
    series. ``stage``: what can be left off when it is not heard."""

    id: int
    at: str
    kind: SeriesKind
    title: str
    rounds: int
    first: float
    same: int
    chance_low: int
    chance_high: int
    heard: bool
    sentence: str
    first_name: str
    stage: str | None
    leave_off: str | None


class MovedView(BaseModel):
    """One reading then and now."""

    name: str
    title: str
    then: float | None
    now: float | None
    unit: str
    moved: bool


class CheckedFeedView(BaseModel):
    """A listener that was proved before a check: its delay then and now, ms; ``proved`` whether it
    gets what is meant by its first marker since, with what that found; None before there is one."""

    listener: str
    then_ms: float | None
    now_ms: float | None
    proved: bool | None
    moved: bool
    found: str | None


class CheckedView(BaseModel):
    """One check against the calibration of ``against``; ``keeps``: what one press would take over
    from it, None where nothing should be kept."""

    take_id: int
    at: str
    against: str
    drifted: bool
    causes: list[ToldCause]
    readings: list[MovedView]
    bands: list[DriftBand]
    feeds: list[CheckedFeedView]
    keeps: str | None


class WishView(BaseModel):
    """One wish as it was found: by its name in the taste, dB, and how far it may be off."""

    name: str
    value_db: float
    error_db: float


class FindSoundView(BaseModel):
    """A search for a taste: the number of the pair that is heard, None where none is; once it has
    ended what was found, and whether it is worth taking over."""

    running: bool
    number: int | None
    most: int
    convinces: bool | None
    said: str | None
    wishes: list[WishView]


class BeforeAfterView(BaseModel):
    """A take before and after at one loudness, every ``step_s``, and what is said of it."""

    take_id: int
    step_s: float
    found: BeforeAfter
    sentences: tuple[str, ...]


class TwoBandView(BaseModel):
    """One third octave: the second microphone against the first, dB, None where unknown."""

    hz: float
    db: float | None
    error_db: float | None


class TwoView(BaseModel):
    """Two microphones: ``said`` begins with which to take. ``take_id``: the take of both at once,
    ``beside_id`` that of its second channel, None where two rigs are compared."""

    take_id: int | None
    beside_id: int | None
    first: str
    second: str
    better: Literal["first", "second"] | None
    said: tuple[RankingSentence, ...]
    bars: tuple[TwoBar, ...]
    bands: list[TwoBandView]


class RigBesideView(BaseModel):
    """Another rig that can be compared with."""

    id: int
    name: str


class VersionView(BaseModel):
    """One version: ``step`` whose confirmation made it, empty where something else did;
    ``in_force``: whether the settings are the same now."""

    id: int
    number: int
    name: str
    note: str
    step: str
    at: str
    in_force: bool


class DifferingView(BaseModel):
    """One switch or setting that differs; ``setting`` is empty for the switch."""

    stage: str
    title: str
    setting: str
    first: str | None
    second: str | None


class PlannedView(BaseModel):
    """What both plan for the first feed."""

    title: str
    unit: str
    first: float | None
    second: float | None


class ComparedView(BaseModel):
    """Two versions: what differs, what they plan, and how the second's tone differs at ``hz``,
    dB."""

    settings: list[DifferingView]
    plans: list[PlannedView]
    hz: list[float]
    db: list[float]


class SituationsComparedView(BaseModel):
    """Two situations: what they decide otherwise, and the settings that it gives; None where those
    are derived only when it is used."""

    decided: list[send_views.DecidedView]
    compared: ComparedView | None


class ComesView(BaseModel):
    """Something of a brought file that comes over as it is."""

    title: str
    value: str


class MeasuredHereView(BaseModel):
    """Something that is measured here instead: what the file says, what it is here, None before
    the takes."""

    title: str
    why: str
    then: float | None
    here: float | None
    unit: str


class BroughtView(BaseModel):
    """A calibration file that is looked at; ``missing``: the takes without which what is measured
    here is not known yet."""

    name: str
    title: str
    at: str
    microphone: str
    other_microphone: bool
    comes: list[ComesView]
    measured: list[MeasuredHereView]
    missing: list[str]


class ProvePart(BaseModel):
    """What Prove shows."""

    pairs: list[PairView]
    series: RunningSeriesView | None
    ended_series: list[SeriesView]
    checks: list[CheckedView]
    two: TwoView | None
    rigs_beside: list[RigBesideView]
    versions: list[VersionView]
    brought: BroughtView | None


class RigPart(BaseModel):
    """The rig in hand, the things that rigs are made of, the computer."""

    rig: RigView
    rigs: list[RigName]
    microphones: list[MicrophoneView]
    interfaces: list[InterfaceView]
    rooms: list[RoomView]
    controls: list[ControlView]
    outlook: OutlookView
    computer: ComputerView


class StepsPart(BaseModel):
    """The steps, what one press derives anew, whether what follows from a change is still being
    worked out, what can be undone, what the person is told."""

    steps: list[StepView]
    derivable: str | None
    working_out: bool
    undo: ChangeView | None
    redo: ChangeView | None
    message: str | None


class TakesPart(BaseModel):
    """The takes in force and the newest few of each purpose, which purposes have
    ``older_takes``, and what runs of them; ``seconds`` that one of each purpose lasts,
    ``until_steady_s`` that talk lasts at most which ends by itself."""

    takes: list[TakeView]
    older_takes: list[Purpose] = []
    halves: list[HalfView]
    progress: ProgressView | None
    watch: WatchView
    predictions: dict[str, Shift]
    seconds: dict[Purpose, float]
    until_steady_s: float


class RoomPart(BaseModel):
    """Readings of the room."""

    quiet: QuietView | None
    in_use: QuietView | None
    split: SplitView | None
    causes: CausesView | None


class TalkPart(BaseModel):
    """Readings of talk, and the gain plan."""

    talk: TalkView | None
    loud: TalkView | None
    soft: TalkView | None
    voice_causes: list[CauseView]
    gain_plan: GainPlanView | None


class ChainPart(BaseModel):
    """The stages and their settings, and what the person wants of them."""

    stages: list[StageView]
    repeatable: list[KindName]
    settings: list[SettingView]
    preferences: PreferencesBody
    targets: list[TargetName]


class CleanPart(BaseModel):
    """The evidence of Clean."""

    clean: CleanView | None


class TonePart(BaseModel):
    """The evidence of Tone."""

    tone: ToneView | None


class DeliveryPart(BaseModel):
    """Where the treated voice lands."""

    delivery: DeliveryView | None


class DiagramPart(BaseModel):
    """The level diagram."""

    diagram: list[DiagramPointView]


class SendPart(BaseModel):
    """Who is heard and who hears; ``programs`` and ``players`` are those of this computer, empty
    where it is simulated; ``feeds_stay``: the feeds stay in the system when the program ends."""

    programs: list[send_views.SystemProgramView]
    players: list[send_views.SystemPlayerView]
    feeds_stay: bool
    inputs: list[inputs.InputView]
    sources: list[send_views.SourceView]
    destinations: list[send_views.DestinationView]
    proofs: send_views.ProofCountView
    left_to_do: list[str]
    cases: list[send_views.CaseView]
    two_people: send_views.TwoPeopleView
    returns: list[send_views.ReturnView]
    clips: list[send_views.ClipView]
    ducking: send_views.DuckingView | None
    cut: list[str]
    mixes_stale: bool


class RunPart(BaseModel):
    """What is live, the recorder, the recordings, what is bound to controllers, the situations,
    what is noticed."""

    run: send_views.RunView
    situations: list[send_views.SituationView]
    following: send_views.FollowingView
    noticing: send_views.NoticingView
    recorder: send_views.RecorderView
    recordings: list[send_views.RecordingView]
    bindings: list[send_views.BindingView]
    clip_names: list[send_views.ClipNameView]


class Overview(
    RigPart,
    StepsPart,
    TakesPart,
    RoomPart,
    TalkPart,
    ChainPart,
    CleanPart,
    TonePart,
    DeliveryPart,
    DiagramPart,
    SendPart,
    RunPart,
    ProvePart,
):
    """Everything that the page shows.

    ``revision`` grows with every change that pages are told of; ``have`` names each part that was
    read by a word that differs whenever the part does. A page that says which words it has gets the
    fields of the parts that differ, and no others.
    """

    revision: int
    have: dict[str, str] = {}
    findings: list[FolderFinding]
