"""What is said of programs that really record."""

from obsidian_wren.core.mix.system_listeners import (
    ProgramRecording,
    audit_feed,
    audit_output,
    hears,
    left_to_move,
)


def recording(program="Walk recorder", *, percent=100.0, muted=False):
    return ProgramRecording(program, percent, muted)


def said(*recordings, trouble=None):
    found = audit_feed(recordings, feed="Wren: call", trouble=trouble)
    return [(each.code, each.mark) for each in found]


def test_each_program_is_said_as_it_stands():
    assert said() == [("nobody", "note")]
    assert said(recording()) == [("listens", "good")]
    assert said(recording(muted=True, percent=20.0)) == [("muted", "fault")]
    assert said(recording(), recording("Editor call", percent=50.0)) == [
        ("listens", "good"),
        ("turned down", "fault"),
    ]
    assert said(recording(), trouble="Start it.") == [("no input", "fault")]


def test_the_raw_microphone_is_told_from_others():
    assert hears("desk", raw="desk") == "raw"
    assert hears("webcam", raw="desk") == "other"
    assert hears(None, raw=None) == "other"
    assert left_to_move([recording("B"), recording("A"), recording("B")]) == (
        "Move A to a feed: it records the raw microphone.",
        "Move B to a feed: it records the raw microphone.",
    )


def test_headphones_on_no_output_are_no_fault():
    assert [each.mark for each in audit_output(None)] == ["note"]
    assert audit_output("Deck phones")[0].sentence == "Plays to Deck phones"
