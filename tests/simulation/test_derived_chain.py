"""Nine simulated rigs, each with something of its own: the chain asks for the right stages and
lands inside all its aims."""

import numpy as np
import pytest
from chain_rigs import RIGS, derived

from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.deplosive import band_peaks_dbfs
from obsidian_wren.core.derive.noise_reduction import MOST_DB
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.simulation.acoustics import breath_times_s

AIMS = Aims()


@pytest.mark.parametrize("name", RIGS)
def test_each_rig_lands_inside_all_its_aims_with_the_stages_that_it_needs(name):
    plan, take_set, _ = derived(name)
    _lands_inside_its_aims(plan, take_set)
    _asks_for_what_is_needed(plan, RIGS[name][1])
    _cuts_no_word(plan)


def _lands_inside_its_aims(plan, take_set):
    landing = plan.landing
    assert landing.loudness_lufs == pytest.approx(AIMS.loudness_lufs, abs=0.2)
    assert landing.true_peak_dbtp <= AIMS.ceiling_dbtp
    assert AIMS.peaks_dbfs[0] <= landing.peaks_dbfs <= AIMS.peaks_dbfs[1]
    assert landing.range_lu <= AIMS.range_lu
    assert landing.lift_db <= AIMS.most_lift_db
    need = plan.stage("noise_reduction").evidence.floor_dbfs_a - AIMS.floor_dbfs_a
    # Where the room asks for more than is good for words, the rest stays and is said.
    assert landing.floor_dbfs_a <= AIMS.floor_dbfs_a + max(0.0, need - MOST_DB) + 1.0
    assert plan.order_warnings == ()
    out = render(plan.specs(), take_set.talk, rate_hz=take_set.rate_hz)
    assert integrated_lufs(out, rate_hz=take_set.rate_hz) == pytest.approx(
        landing.loudness_lufs, abs=0.1
    )


def _asks_for_what_is_needed(plan, wanted):
    asked = {kind: plan.stage(kind).switch.on for kind in wanted}
    assert asked == wanted
    special = {"noise_reduction", "ring_reduction", "deplosive", "deesser", "leveller"}
    on = {stage.kind for stage in plan.stages if stage.switch.on} & special
    assert on == {kind for kind, is_on in wanted.items() if is_on} & special
    for stage in plan.stages:
        assert stage.switch.because.strip()
        assert all(setting.because.strip() for setting in stage.settings.values())


def _cuts_no_word(plan):
    counts = plan.stage("gate").evidence.counts
    assert counts.words >= 5
    assert counts.beginnings_cut + counts.ends_cut <= 0.05 * 2 * counts.words


def test_breath_is_found_and_held_only_while_it_lasts():
    plan, take_set, rig = derived("bursts of breath")
    found = plan.stage("deplosive").evidence.found
    times = breath_times_s(rig.spec.talker, 30.0)
    assert len(found) >= 0.8 * len(times)
    for plosive in found:
        assert np.abs(times - plosive.at_s).min() < 0.06
    stage = plan.stage("deplosive")
    highpassed = render([plan.stage("highpass").spec()], take_set.talk, rate_hz=take_set.rate_hz)
    held = render([stage.spec()], highpassed, rate_hz=take_set.rate_hz)
    corner, limit = (stage.settings[name].value for name in ("frequency_hz", "threshold_dbfs"))
    before, after = (
        band_peaks_dbfs(sound, corner, take_set.rate_hz) for sound in (highpassed, held)
    )
    at = np.array([round(p.at_s * 100) for p in found])
    highest = lambda levels: np.array([levels[a - 2 : a + 14].max() for a in at])  # noqa: E731
    assert (highest(before) > limit).all()
    # The first half wave is over before anything can act on it; of the burst as a whole most goes.
    assert (highest(before) - highest(after) > 5.0).all()
    energy = lambda levels: np.array([np.sum(10 ** (levels[a : a + 14] / 10)) for a in at])  # noqa: E731
    assert (10 * np.log10(energy(before) / energy(after)) > 7.0).all()
    far = np.ones(len(held), dtype=bool)
    for time in times:
        far[round((time - 0.02) * take_set.rate_hz) : round((time + 0.6) * take_set.rate_hz)] = (
            False
        )
    change = np.abs(held - highpassed)[far]
    assert np.sqrt(np.mean(change**2)) < 0.05 * np.sqrt(np.mean(take_set.talk[far] ** 2))


def test_hissing_comes_down_to_its_neighbours_and_no_further():
    plan, _, _ = derived("hissing talker")
    stage = plan.stage("deesser")
    over = np.array([s.over_neighbours_db for s in stage.evidence.found])
    assert np.percentile(over, 95) > 1.0
    assert stage.settings["range_db"].value <= min(8.0, max(over)) + 0.1
    assert 4000 <= stage.settings["frequency_hz"].value <= 10_000
