"""What the page is told: the shape of every answer.

The OpenAPI document and the page’s types are made from these.
"""

from obsidian_wren.service.page.send_views.beside import (
    CaseView,
    ClipView,
    DuckingView,
    ReturnReadingView,
    ReturnView,
    SourceView,
)
from obsidian_wren.service.page.send_views.listeners import (
    DestinationView,
    PathDelayView,
    ProgramSettingsView,
    ProofView,
    SystemPlayerView,
    SystemProgramView,
)
from obsidian_wren.service.page.send_views.mix import KeptOutView, MixView, SentView
from obsidian_wren.service.page.send_views.run import (
    BindingView,
    ClipNameView,
    RecorderView,
    RecordingView,
    RunView,
    TrackChoice,
)
from obsidian_wren.service.page.send_views.verdicts import (
    CheckView,
    MixFactView,
    ProofCountView,
    VerdictView,
)

__all__ = [
    "BindingView",
    "CaseView",
    "CheckView",
    "ClipNameView",
    "ClipView",
    "DestinationView",
    "DuckingView",
    "KeptOutView",
    "MixFactView",
    "MixView",
    "PathDelayView",
    "ProgramSettingsView",
    "ProofCountView",
    "ProofView",
    "RecorderView",
    "RecordingView",
    "ReturnReadingView",
    "ReturnView",
    "RunView",
    "SentView",
    "SourceView",
    "SystemPlayerView",
    "SystemProgramView",
    "TrackChoice",
    "VerdictView",
]
