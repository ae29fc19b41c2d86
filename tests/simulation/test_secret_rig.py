"""The fit on a simulated rig whose microphone is a secret: what it finds is what the spec hides."""

import numpy as np
import pytest

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.derive.equalizer_fit import fit_equalizer
from obsidian_wren.core.derive.equalizer_problem import eq_response_db
from obsidian_wren.core.derive.tone_target import same_voice
from obsidian_wren.core.derive.trust import trust_from_snr, without_noise
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.simulation.spec import BOATHOUSE, WorldSpec, read_spec
from obsidian_wren.simulation.world import SimulatedRig

RATE = 48_000


def rig(bells, seed):
    """The boathouse with a flat microphone and these bells, its noises turned down to 40 dB
    under the voice."""
    body = read_spec(BOATHOUSE).model_dump()
    body["seed"] = seed
    body["noises"] = [{"kind": "heater", "level_db_spl": 30}, {"kind": "hum", "level_db_spl": 24}]
    body["microphone"] |= {"response_db": (), "bells": bells, "self_noise_dba": 10}
    made = SimulatedRig(WorldSpec.model_validate(body))
    made.turn(32)
    return made


@pytest.mark.parametrize("seed", range(4))
def test_the_hidden_response_is_found(seed):
    rng = np.random.default_rng(seed)
    bells = [
        {
            "frequency_hz": float(np.exp(rng.uniform(np.log(150), np.log(7000)))),
            "gain_db": float(rng.uniform(-5, 5)),
            "q": float(rng.uniform(0.6, 2.5)),
        }
        for _ in range(4)
    ]
    flat, secret = rig([], 100 + seed), rig(bells, 200 + seed)
    reference = read_talk(flat.take("passage", seconds=40), rate_hz=RATE)
    talk = read_talk(secret.take("passage", seconds=40), rate_hz=RATE)
    quiet = read_quiet(secret.take("rest", seconds=15), rate_hz=RATE)
    trust = trust_from_snr(talk.voice, quiet.noise)
    fit = fit_equalizer(
        without_noise(talk.voice, quiet.noise),
        same_voice(reference.voice, corridor_db=0.2),
        trust,
        rate_hz=RATE,
    )
    hz = np.geomspace(100, 9000, 300)
    hidden = [EqualizerBand("peak", b["frequency_hz"], b["gain_db"], b["q"]) for b in bells]
    left = eq_response_db(fit.bands, hz, rate_hz=RATE) + eq_response_db(hidden, hz, rate_hz=RATE)
    left -= left.mean()
    assert np.sqrt(np.mean(left**2)) <= 0.25
    assert np.abs(left).max() <= 1.5
    assert len(fit.bands) <= 8
