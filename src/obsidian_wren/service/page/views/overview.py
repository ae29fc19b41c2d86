"""Everything that the page shows, in one answer."""

from __future__ import annotations

from pydantic import BaseModel

from obsidian_wren.service.calibration.wishes import WishesBody
from obsidian_wren.service.mixes import inputs
from obsidian_wren.service.page import send_views
from obsidian_wren.service.page.views.chain import KindName, SettingView, StageView
from obsidian_wren.service.page.views.clean import CleanView
from obsidian_wren.service.page.views.computer import ComputerView
from obsidian_wren.service.page.views.diagram import DiagramPointView
from obsidian_wren.service.page.views.facts import FindingView
from obsidian_wren.service.page.views.gain import GainPlanView, TalkView
from obsidian_wren.service.page.views.prove import ProvePart
from obsidian_wren.service.page.views.quiet import CausesView, CauseView, QuietView, SplitView
from obsidian_wren.service.page.views.rig import (
    ControlView,
    InterfaceView,
    MicrophoneView,
    OutlookView,
    RigName,
    RigView,
    RoomView,
)
from obsidian_wren.service.page.views.steady import DeliveryView
from obsidian_wren.service.page.views.takes import (
    ChangeView,
    HalfView,
    PredictionView,
    StepView,
    TakeView,
    WatchView,
)
from obsidian_wren.service.page.views.tone import TargetName, ToneView
from obsidian_wren.service.takes.progress import ProgressView
from obsidian_wren.service.words import Purpose


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
    predictions: dict[str, PredictionView]
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
    wishes: WishesBody
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
    returns: list[send_views.ReturnView]
    clips: list[send_views.ClipView]
    ducking: send_views.DuckingView | None
    cut: list[str]
    mixes_stale: bool


class RunPart(BaseModel):
    """What is live, the recorder, the recordings, what is bound to controllers."""

    run: send_views.RunView
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
    findings: list[FindingView]
