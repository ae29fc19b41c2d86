"""The boathouse's scenes heard at every listener: loudness in its aim, the voice on top, nobody
hears themselves."""

import numpy as np
import pytest

from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.mix.cases import CASES
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import MixEngine
from obsidian_wren.core.mix.kinds import RULES, VOICE_OVER_LU, usual_sends
from obsidian_wren.core.mix.landing import land
from obsidian_wren.core.mix.measured import Measured
from obsidian_wren.core.mix.plan import derive_mix
from obsidian_wren.core.mix.prediction import Prediction
from obsidian_wren.core.mix.return_plan import RETURN_LUFS
from obsidian_wren.core.mix.returns import derive_return
from obsidian_wren.core.mix.routes import Destination, Source
from obsidian_wren.simulation import sounds
from signals import RATE, voice

DUCKING = Ducking(-40.0, 15.0, 250.0, 400.0)
TURN = 9 * RATE
NAMES = {
    "voice": "Your voice",
    "second": "Deck zither",
    "computer": "Computer sound",
    "music": "Music",
    "clips": "Clips",
}


def at_loudness(sound, lufs):
    return sound * 10 ** ((lufs - integrated_lufs(sound, rate_hz=RATE)) / 20)


def treated(who):
    """The return, as the run treats it."""
    from obsidian_wren.core.chain.offline import render

    raw = sounds.far_voice(who, RATE)[: 15 * RATE]
    return render(derive_return(raw, rate_hz=RATE).specs, raw, rate_hz=RATE)


@pytest.fixture(scope="module")
def material():
    """Turns: the voice, the editor, the crew, the voice again; music, game and zither all the
    while; a clip now and then."""
    talk = at_loudness(voice()[: 2 * TURN], -18.0)
    editor, crew = treated("editor")[:TURN], treated("crew")[:TURN]
    silence = np.zeros(TURN)
    whole = 4 * TURN
    clip = at_loudness(np.concatenate([sounds.clip("bell", RATE), np.zeros(RATE)]), -23.0)
    pads = np.zeros(whole)
    for start in (2, 12, 30):
        pads[start * RATE : start * RATE + len(clip)] = clip
    return {
        "voice treated": np.concatenate([talk[:TURN], silence, silence, talk[TURN:]]),
        "voice raw": np.zeros(whole),
        "second treated": 0.4 * np.resize(sounds.music(RATE).mean(axis=1), whole),
        "return-call": np.concatenate([silence, editor, silence, silence]),
        "return-game-chat": np.concatenate([silence, silence, crew, silence]),
        "music": np.resize(sounds.music(RATE), (whole, 2)),
        "computer": np.resize(sounds.computer_sound(RATE), (whole, 2)),
        "clips": pads,
    }


def scene_of(case):
    listeners = [
        Destination(
            kind.replace(" ", "-"), kind, kind, frozenset({f"return-{kind.replace(' ', '-')}"})
        )
        for kind in sorted(case.listeners)
    ]
    sources = [Source(kind, NAMES[kind], kind) for kind in sorted(case.sources)]
    for listener in listeners:
        if listener.kind in ("call", "game chat"):
            sources.append(Source(f"return-{listener.key}", "Who is there", "return", listener.key))
    return usual_sends(sources, listeners)


@pytest.mark.parametrize("case", CASES, ids=[case.key for case in CASES])
def test_every_listener_of_every_case_hears_its_loudness_and_the_voice_on_top(material, case):
    routing = scene_of(case)
    measured = {
        name: found
        for name, sound in material.items()
        if (found := Measured.of(sound, rate_hz=RATE))
    }
    for key, source in routing.sources.items():
        if source.kind == "return":
            measured[key] = Measured(RETURN_LUFS, RETURN_LUFS + 3.01)
    here = {
        name: sound for name, sound in material.items() if name.partition(" ")[0] in routing.sources
    }
    prediction = Prediction(here, ducking=DUCKING, rate_hz=RATE)
    plans = []
    for seat in routing.destinations.values():
        landing = land(seat, routing, measured, prediction)
        plan = derive_mix(
            seat, routing, measured, trim_db=landing.trim_db, deeper_db=landing.deeper_db
        )
        plans.append(plan)
        assert f"return-{seat.key}" not in [send.send.source for send in plan.sends]
        if landing.outcome.voice_over_lu is not None:
            assert landing.outcome.voice_over_lu >= VOICE_OVER_LU - 0.5
    engine = MixEngine([plan.mix() for plan in plans], ducking=DUCKING, rate_hz=RATE)
    whole = len(material["voice treated"])
    heard = {plan.listener.key: [] for plan in plans}
    for at in range(0, whole, RATE // 10):
        for key, block in engine.process(
            {name: sound[at : at + RATE // 10] for name, sound in here.items()}
        ).items():
            heard[key].append(block)
    for plan in plans:
        sound = np.concatenate(heard[plan.listener.key])
        lufs = integrated_lufs(sound, rate_hz=RATE)
        assert lufs == pytest.approx(RULES[plan.listener.kind].aim_lufs, abs=0.5), (
            plan.listener.kind
        )
        assert 20 * np.log10(np.abs(sound).max()) <= RULES[plan.listener.kind].ceiling_dbtp + 0.01


def test_the_sides_of_a_call_come_at_one_loudness_however_they_sounded():
    for who in ("editor", "crew"):
        assert integrated_lufs(treated(who), rate_hz=RATE) == pytest.approx(RETURN_LUFS, abs=0.5)
