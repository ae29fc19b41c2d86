"""What a series is called, and its two sounds."""

from __future__ import annotations

from obsidian_wren.core.chain.sequence import title_of

WITHOUT = "without:"


def stage_of(second: str) -> str | None:
    """The stage that the second of a pair is without, None where it is the raw voice."""
    return second.removeprefix(WITHOUT) if second.startswith(WITHOUT) else None


def series_title(second: str) -> str:
    """What a series is called."""
    stage = stage_of(second)
    return (
        "Treated against raw" if stage is None else f"With and without: {title_of(stage).lower()}"
    )


def sound_names(second: str) -> tuple[str, str]:
    """What the first and the second of a pair are called in a sentence."""
    stage = stage_of(second)
    if stage is None:
        return "the treated voice", "the raw one"
    return f"the voice with the {title_of(stage).lower()}", "the one without"
