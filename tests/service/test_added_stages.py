"""Stages beside the usual ones: a kind that this version does not ship, further ones of a kind,
and rigs of other versions."""

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import pytest
from sqlalchemy import select

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.parameters import Parameter
from obsidian_wren.core.chain.sequence import default_sequence
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.chain.stage_kind import StageKind
from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.stage_plan import StagePlanBuilder
from obsidian_wren.formats.calibration import chain_spec
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.service import live
from obsidian_wren.service.calibration import chain_rows, deriving, settings, stages
from obsidian_wren.service.calibration.preferences import BandValue
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.exporting import export_calibration
from obsidian_wren.service.live import living
from obsidian_wren.service.mixes import mixing
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.undo.put_back import undo
from obsidian_wren.store.models import StageRow
from shown import overview, shows

TAKES_DB = 3.0


class Pad:
    """Takes a few decibels away."""

    kind = "pad"
    delay_samples = 0
    state = ()
    gain_db = None

    def __init__(self, takes_db):
        self.factor = amplitude_from_db(-takes_db)

    def process(self, block):
        return block * self.factor


@dataclass(frozen=True)
class PadSpec(Numbers):
    kind: ClassVar[str] = "pad"
    takes_db: float
    on: bool = True

    def build(self, *, rate_hz):
        return Pad(self.takes_db)


def derive_pad(take_set, pins):
    answer = StagePlanBuilder("pad", pins)
    answer.set("takes_db", TAKES_DB, "The test wants it so.")
    return answer.plan(True, "The test wants it.")


PAD = StageKind(
    "pad",
    "Pad of the test",
    step="steady",
    leaf="levels",
    node="delivery",
    spec=PadSpec,
    rule=derive_pad,
    steadies=True,
    repeats=True,
    parameters=(Parameter("takes_db", "Takes", "dB", 0.0, 12.0, 0.5),),
)


@pytest.fixture
def with_pad(monkeypatch):
    """A kind that is added to the list, before the gain."""
    kinds = dict(KINDS)
    KINDS.clear()
    for name, kind in kinds.items():
        if name == "gain":
            KINDS["pad"] = PAD
        KINDS[name] = kind
    yield
    KINDS.clear()
    KINDS.update(kinds)


def stage(app, key):
    return next(entry for entry in shows(app, "stages") if entry.key == key)


def specs(app):
    with app.sessions() as session:
        return chain_rows.keyed_specs(in_hand(app, session))


def write(app, tmp_path):
    import json

    path = tmp_path / "calibration.json"
    path.write_text(json.dumps(export_calibration(app)))
    return read_calibration(path)


def test_a_rig_of_an_older_version_keeps_its_chain_and_shows_what_is_new(boathouse, with_pad):
    before = specs(boathouse)
    assert "pad" not in before
    new = stage(boathouse, "pad")
    assert (new.on, new.is_new, new.title) == (False, True, "Pad of the test")
    assert next(s for s in shows(boathouse, "steps") if s.name == "send").status != "not yet"
    living.start_run(boathouse)
    assert live.current(boathouse).running is not None
    living.stop_run(boathouse)


def test_an_added_kind_does_the_whole_job(boathouse, with_pad, tmp_path):
    loudness = shows(boathouse, "delivery").planned_lufs
    deriving.derive_again(boathouse)
    found = stage(boathouse, "pad")
    assert (found.on, found.is_new, found.step, found.leaf) == (True, False, "steady", "levels")
    setting = next(s for s in shows(boathouse, "settings") if s.stage == "pad")
    assert (setting.value, setting.unit, setting.because) == (
        TAKES_DB,
        "dB",
        "The test wants it so.",
    )
    # The gain behind it makes up for what it takes.
    gain = specs(boathouse)["gain"]
    assert isinstance(gain, GainSpec)
    assert shows(boathouse, "delivery").planned_lufs == pytest.approx(loudness, abs=0.2)

    settings.change_setting(boathouse, "pad", "takes_db", value=6.0, band=None, pinned=True)
    assert specs(boathouse)["pad"] == PadSpec(6.0)
    assert specs(boathouse)["gain"].gain_db == pytest.approx(gain.gain_db + 3.0, abs=0.6)
    with pytest.raises(Refused, match="0 to 12"):
        settings.change_setting(boathouse, "pad", "takes_db", value=13.0, band=None, pinned=True)
    undo(boathouse)
    assert specs(boathouse)["pad"] == PadSpec(TAKES_DB)
    stages.switch_stage(boathouse, "pad", False)
    assert not specs(boathouse)["pad"].on
    stages.switch_stage(boathouse, "pad", None)

    file = write(boathouse, tmp_path)
    assert [entry.kind for entry in file.chain] == [kind_of(key).kind for key in default_sequence()]
    assert PadSpec(TAKES_DB) in chain_spec(file)
    mixing.refresh(boathouse)
    living.start_run(boathouse)
    assert live.current(boathouse).run is not None
    living.stop_run(boathouse)


def test_what_a_rule_derived_is_outdated_once_the_rule_changes(boathouse, monkeypatch):
    assert shows(boathouse, "clean").stale is None
    changed = replace(KINDS["gate"], version=KINDS["gate"].version + 1)
    monkeypatch.setitem(KINDS, "gate", changed)
    shown = overview(boathouse, "clean", "steps", "tone")
    assert shown.clean.stale == "The rule for the gate changed."
    assert shown.tone is not None
    assert next(s for s in shown.steps if s.name == "tone").status != "stale"
    deriving.derive_again(boathouse)
    assert shows(boathouse, "clean").stale is None


def test_a_second_gate_has_settings_pins_and_a_place_of_its_own(boathouse, tmp_path):
    first = specs(boathouse)["gate"]
    stages.add_stage(boathouse, "gate")
    order = list(specs(boathouse))
    assert order.index("gate-2") == order.index("gate") + 1
    order.remove("gate-2")
    order.insert(order.index("compressor") + 1, "gate-2")
    stages.order_stages(boathouse, order)
    assert list(specs(boathouse)) == order
    second = stage(boathouse, "gate-2")
    assert (second.kind, second.further, second.title) == ("gate", True, "Gate 2")
    settings.change_setting(boathouse, "gate-2", "ratio", value=1.5, band=None, pinned=True)
    stages.switch_stage(boathouse, "gate-2", True)
    held = specs(boathouse)
    assert (held["gate-2"].ratio, held["gate-2"].on) == (1.5, True)
    # What the second does in the pauses, the first need not; where it stands is its own.
    assert held["gate"].threshold_dbfs == first.threshold_dbfs
    file = write(boathouse, tmp_path)
    assert [entry.kind for entry in file.chain].count("gate") == 2
    assert held["gate-2"] in chain_spec(file)

    stages.remove_stage(boathouse, "gate-2")
    assert "gate-2" not in specs(boathouse)
    undo(boathouse)
    assert specs(boathouse)["gate-2"].ratio == 1.5
    stages.remove_stage(boathouse, "gate-2")
    stages.add_stage(boathouse, "gate")
    assert not stage(boathouse, "gate-2").pinned


def test_a_second_equalizer_holds_the_bands_of_the_person(boathouse, tmp_path):
    stages.add_stage(boathouse, "equalizer")
    assert not specs(boathouse)["equalizer-2"].on
    fitted = specs(boathouse)["equalizer"]
    band = BandValue(shape="peak", frequency_hz=900.0, gain_db=-2.0, q=1.2)
    stages.add_band(boathouse, "equalizer-2", band)
    own = specs(boathouse)["equalizer-2"]
    assert (own.on, [b.frequency_hz for b in own.bands]) == (True, [900.0])
    assert specs(boathouse)["equalizer"] == fitted
    deriving.derive_again(boathouse, refit=True)
    assert specs(boathouse)["equalizer-2"] == own
    shown = next(s for s in shows(boathouse, "settings") if s.stage == "equalizer-2")
    assert (shown.band.gain_db, shown.pinned, shown.sure_db) == (-2.0, True, None)
    assert own in chain_spec(write(boathouse, tmp_path))
    with pytest.raises(Refused, match="further equalizer"):
        stages.add_band(boathouse, "equalizer", band)


@pytest.mark.parametrize(
    ("act", "sentence"),
    [
        (lambda app: stages.add_stage(app, "limiter"), "Another limiter"),
        (lambda app: stages.add_stage(app, "nothing"), "no such stage"),
        (lambda app: stages.remove_stage(app, "gate"), "Switch this one off"),
        (lambda app: stages.remove_stage(app, "gate-2"), "Only a stage that was added"),
        (lambda app: stages.switch_stage(app, "nothing", True), "no such stage"),
        (lambda app: stages.order_stages(app, ["gate"]), "every stage once"),
    ],
)
def test_what_cannot_be_is_refused(boathouse, act, sentence):
    with pytest.raises(Refused, match=sentence):
        act(boathouse)


def test_a_row_of_a_stage_that_nobody_knows_is_passed_over(boathouse):
    with boathouse.sessions.begin() as session:
        rig = in_hand(boathouse, session).rig
        session.add(
            StageRow(
                rig_id=rig.id,
                kind="from_later",
                runs=True,
                derived=True,
                pinned=True,
                because="",
                data={},
            )
        )
        rig.stage_order = ["from_later", *KINDS]
    assert tuple(specs(boathouse)) == default_sequence()
    assert overview(boathouse).findings == []
    deriving.derive_again(boathouse)
    with boathouse.sessions() as session:
        kept = session.scalars(select(StageRow).where(StageRow.kind == "from_later")).one()
    assert kept.runs
    assert np.isfinite(shows(boathouse, "delivery").planned_lufs)
