"""Who hears what: no loops, no doubles, whatever is clicked."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from obsidian_wren.core.mix.routes import (
    Destination,
    RouteRefused,
    Routing,
    Send,
    Source,
    admit,
    find_doubles,
    find_loop,
    withdraw,
    without_faults,
)
from routing_truth import copies, faults, ways

VOICE, SECOND = (
    Source("voice", "Your voice", "voice"),
    Source("second", "Second microphone", "second"),
)
COMPUTER, MUSIC = (
    Source("computer", "Computer sound", "computer"),
    Source("music", "Music", "music"),
)
EDITOR, CREW = (
    Source("return:call", "Editor", "return", of="call"),
    Source("return:game", "Crew", "return", of="game"),
)
CALL = Destination("call", "Editor call", "call", frozenset({"return:call"}))
GAME = Destination("game", "Crew game chat", "game chat", frozenset({"return:game"}))
RECORDER = Destination("recorder", "Walk recorder", "recorder")
PHONES = Destination("headphones", "Headphones", "headphones")


def routing(
    *sends,
    sources=(VOICE, SECOND, COMPUTER, MUSIC, EDITOR, CREW),
    destinations=(CALL, GAME, RECORDER, PHONES),
):
    return Routing({s.key: s for s in sources}, {d.key: d for d in destinations}, frozenset(sends))


def test_the_usual_case_is_sound():
    made = routing()
    for send in [
        Send("voice", "call"),
        Send("voice", "game"),
        Send("voice", "recorder"),
        Send("return:call", "recorder"),
        Send("music", "recorder"),
        Send("return:call", "headphones"),
        Send("return:game", "headphones"),
        Send("music", "headphones"),
    ]:
        made = admit(made, send)
    assert len(made.sends) == 8
    assert faults(made) == set()


def test_nobody_hears_themselves():
    with pytest.raises(RouteRefused, match="Editor call would hear itself") as refused:
        admit(routing(), Send("return:call", "call"))
    assert refused.value.path == ("call", "return:call")


def test_a_loop_through_two_listeners_is_refused_with_its_way():
    made = admit(routing(), Send("return:call", "game"))
    with pytest.raises(RouteRefused) as refused:
        admit(made, Send("return:game", "call"))
    assert refused.value.path == ("Editor call", "Editor", "Crew game chat", "Crew", "Editor call")
    assert "Editor call → Editor → Crew game chat → Crew → Editor call" in str(refused.value)
    assert admit(withdraw(made, Send("return:call", "game")), Send("return:game", "call"))


def test_a_loudspeaker_beside_the_microphone_closes_a_loop():
    speakers = Destination(
        "headphones", "Loudspeakers", "headphones", frozenset({"voice"}), passes_on=True
    )
    made = routing(Send("voice", "call"), destinations=(CALL, speakers))
    with pytest.raises(RouteRefused) as refused:
        admit(made, Send("return:call", "headphones"))
    assert refused.value.path == (
        "Editor call",
        "Editor",
        "Loudspeakers",
        "Your voice",
        "Editor call",
    )
    assert admit(made, Send("music", "headphones"))


def test_computer_sound_that_carries_the_call_is_kept_from_the_call():
    plain = Destination("call", "Editor call", "call", frozenset({"return:call", "computer"}))
    made = routing(destinations=(plain, RECORDER))
    with pytest.raises(RouteRefused, match="Editor call → Computer sound → Editor call"):
        admit(made, Send("computer", "call"))
    assert admit(made, Send("computer", "recorder"))


def test_raw_and_treated_to_one_listener_sound_hollow():
    made = admit(routing(), Send("voice", "call"))
    with pytest.raises(
        RouteRefused,
        match="would hear one sound twice: Your voice, treated → Editor call, and Your voice, raw",
    ):
        admit(made, Send("voice", "call", "raw"))


def test_one_voice_by_two_ways_is_refused():
    other = Destination(
        "other", "Second computer", "second computer", frozenset({"computer"}), passes_on=True
    )
    made = routing(
        Send("voice", "other"), Send("voice", "recorder"), destinations=(other, RECORDER)
    )
    with pytest.raises(RouteRefused) as refused:
        admit(made, Send("computer", "recorder"))
    assert refused.value.path == (
        "Your voice",
        "Second computer",
        "Computer sound",
        "Walk recorder",
    )
    assert admit(withdraw(made, Send("voice", "recorder")), Send("computer", "recorder"))


def test_a_call_that_may_give_the_voice_back_is_no_double():
    made = routing(
        Send("voice", "call"), Send("voice", "recorder"), Send("return:call", "recorder")
    )
    assert find_doubles(made) == ()


def test_what_a_program_does_by_itself_is_found_and_cut():
    plain = Destination("call", "Editor call", "call", frozenset({"return:call", "computer"}))
    made = routing(
        Send("voice", "call"),
        Send("computer", "call"),
        Send("computer", "recorder"),
        destinations=(plain, RECORDER),
    )
    assert find_loop(made) == ("call", "computer", "call")
    kept, cut = without_faults(made)
    assert cut == (Send("computer", "call"),)
    assert kept.sends == made.sends - {Send("computer", "call")}
    assert faults(kept) == set()


def test_what_is_not_there_cannot_be_sent():
    with pytest.raises(KeyError, match="no way from kettle to call"):
        admit(routing(), Send("kettle", "call"))


keys = st.sampled_from([f"d{i}" for i in range(5)])


@st.composite
def worlds(draw):
    """Up to five listeners that play into anything, and six sources, some of them returns."""
    sources = [Source("voice", "voice", "voice"), Source("computer", "computer", "computer")]
    sources += [
        Source(f"r{i}", f"return {i}", "return", of=f"d{i}") for i in range(draw(st.integers(0, 5)))
    ]
    names = [source.key for source in sources]
    destinations = [
        Destination(
            f"d{i}",
            f"listener {i}",
            "call",
            frozenset(draw(st.lists(st.sampled_from(names), max_size=3)))
            | ({f"r{i}"} & set(names)),
            draw(st.booleans()),
        )
        for i in range(5)
    ]
    return Routing({s.key: s for s in sources}, {d.key: d for d in destinations})


@given(worlds(), st.data())
def test_whatever_is_clicked_no_listener_hears_its_own_return(world, data):
    made = world
    for _ in range(data.draw(st.integers(1, 25))):
        send = Send(
            data.draw(st.sampled_from(sorted(made.sources))),
            data.draw(keys),
            data.draw(st.sampled_from(["treated", "raw"])),
        )
        if data.draw(st.booleans()):
            try:
                made = admit(made, send)
            except RouteRefused as refused:
                assert len(refused.path) >= 2
        else:
            made = withdraw(made, send)
        assert faults(made) == set()


@given(worlds(), st.data())
def test_nothing_is_refused_without_a_reason(world, data):
    made = world
    for _ in range(data.draw(st.integers(1, 12))):
        send = Send(
            data.draw(st.sampled_from(sorted(made.sources))),
            data.draw(keys),
            data.draw(st.sampled_from(["treated", "raw"])),
        )
        with_it = Routing(made.sources, made.destinations, made.sends | {send})
        try:
            made = admit(made, send)
        except RouteRefused:
            assert faults(with_it)
        else:
            assert made.sends == with_it.sends


@given(worlds(), st.data())
def test_loops_and_doubles_are_found_where_they_are_and_only_there(world, data):
    sends = data.draw(
        st.sets(
            st.builds(
                Send,
                st.sampled_from(sorted(world.sources)),
                keys,
                st.sampled_from(["treated", "raw"]),
            ),
            max_size=12,
        )
    )
    made = Routing(world.sources, world.destinations, frozenset(sends))
    loop = find_loop(made)
    assert (loop is not None) == any(ways(made, key, key, sure=False) for key in made.destinations)
    if loop is not None:
        assert loop in ways(made, loop[0], loop[0], sure=False)
    if loop is not None:
        return
    doubled = {
        (source, listener)
        for source in made.sources
        for listener in made.destinations
        if copies(made, source, listener) > 1
    }
    assert {double.destination for double in find_doubles(made)} == {
        listener for _, listener in doubled
    }


@given(worlds(), st.data())
def test_any_routing_is_made_sound_by_cutting(world, data):
    sends = data.draw(
        st.sets(st.builds(Send, st.sampled_from(sorted(world.sources)), keys), max_size=15)
    )
    kept, cut = without_faults(Routing(world.sources, world.destinations, frozenset(sends)))
    assert faults(kept) == set()
    assert kept.sends | set(cut) == sends
    for send in cut:
        with pytest.raises(RouteRefused):
            admit(kept, send)
