"""What follows from a change, worked out behind its answer: the same numbers as at once, marked
until they are there, and never those of an older key."""

import threading

import pytest
from sqlalchemy import select

from beside import work_beside
from obsidian_wren.core.told import Told
from obsidian_wren.service.calibration import catching_up, current, deriving, settings, stages
from obsidian_wren.service.calibration.background import Background, Overtaken
from obsidian_wren.service.calibration.events import ChainChanged
from obsidian_wren.service.calibration.preferences import PreferencesBody, TasteBody
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.undo import put_back
from obsidian_wren.store.models import SettingRow, Take
from obsidian_wren.web.app import create_app
from shown import overview, shows
from waiting import PATIENCE_S

# What tells one program or one moment from another.
OWN = {"revision", "have", "undo", "redo", "versions"}


@pytest.fixture
def behind(boathouse):
    """The boathouse's program with what follows worked out behind, by a worker."""
    catching_up.start_catching_up(work_beside(boathouse))
    yield boathouse
    current(boathouse).background.stop()


def pin(app, stage, name, value):
    settings.change_setting(app, stage, name, value=value, band=None, pinned=True)


def shown(app):
    catching_up.wait_derived(app)
    found = overview(app).model_dump()
    for setting in found["settings"]:
        setting.pop("id", None)
    return {name: value for name, value in found.items() if name not in OWN}


def value(app, stage, name):
    return next(s.value for s in shows(app, "settings") if (s.stage, s.name) == (stage, name))


@pytest.mark.parametrize(
    "change",
    [
        lambda app: pin(app, "highpass", "frequency_hz", 90.0),
        lambda app: stages.switch_stage(app, "gate", False),
        lambda app: stages.add_stage(app, "equalizer"),
        lambda app: settings.change_preferences(
            app, PreferencesBody(taste=TasteBody(warmth_db=0.5))
        ),
        lambda app: (stages.switch_stage(app, "deesser", False), put_back.undo(app)),
    ],
)
def test_it_gives_what_working_it_out_at_once_gives(behind, other_boathouse, change):
    change(behind)
    change(other_boathouse)
    assert shown(behind) == shown(other_boathouse)


def test_the_change_is_there_at_once_and_what_follows_is_marked(behind, monkeypatch):
    goes = threading.Event()
    derive = deriving.derive_everything

    def held(ctx, *, refit):
        goes.wait()
        derive(ctx, refit=refit)

    monkeypatch.setattr(deriving, "derive_everything", held)
    before = overview(behind, "delivery", "steps", "working_out")
    pin(behind, "highpass", "frequency_hz", 110.0)
    during = overview(behind, "derivable", "steps", "working_out")
    assert value(behind, "highpass", "frequency_hz") == 110.0
    assert during.working_out
    assert not before.working_out
    # Nothing is called outdated that is on its way.
    assert during.derivable is None
    assert [step.status for step in during.steps] == [step.status for step in before.steps]
    goes.set()
    catching_up.wait_derived(behind)
    after = overview(behind, "delivery", "working_out")
    assert not after.working_out
    assert after.delivery != before.delivery


def test_of_many_keys_the_last_one_counts_and_few_are_worked_out(behind, monkeypatch):
    derived, all_pressed = [], threading.Event()
    derive = deriving.derive_everything

    def counted(ctx, *, refit):
        # However fast this machine derives, and however slow it takes keys.
        assert all_pressed.wait(PATIENCE_S)
        derive(ctx, refit=refit)
        derived.append(refit)

    monkeypatch.setattr(deriving, "derive_everything", counted)
    for hz in range(70, 90):
        pin(behind, "highpass", "frequency_hz", float(hz))
    all_pressed.set()
    catching_up.wait_derived(behind)
    assert value(behind, "highpass", "frequency_hz") == 89.0
    assert shows(behind, "derivable") is None
    assert len(derived) <= 3


def test_the_chain_that_is_heard_follows_at_once(behind, monkeypatch):
    heard = []
    behind.follow(
        ChainChanged, lambda event: heard.append(dict(zip(event.keys, event.specs, strict=True)))
    )
    monkeypatch.setattr(deriving, "derive_everything", lambda ctx, *, refit: None)
    pin(behind, "highpass", "frequency_hz", 95.0)
    assert heard[0]["highpass"].frequency_hz == 95.0


def test_what_others_keep_meanwhile_is_not_written_over(behind, other_boathouse, monkeypatch):
    derive = deriving.derive_everything
    meddled = []

    def meddling(ctx, *, refit):
        derive(ctx, refit=refit)
        if not meddled:
            meddled.append(True)
            with behind.sessions.begin() as session:
                session.merge(SettingRow(id=row_id, value=130.0, pinned=True))

    with behind.sessions() as session:
        row_id = session.scalars(
            select(SettingRow.id).where(
                SettingRow.stage == "highpass",
                SettingRow.name == "frequency_hz",
            )
        ).one()
    monkeypatch.setattr(deriving, "derive_everything", meddling)
    pin(behind, "compressor", "ratio", 3.0)
    pin(other_boathouse, "compressor", "ratio", 3.0)
    pin(other_boathouse, "highpass", "frequency_hz", 130.0)
    assert shown(behind)["settings"] == shown(other_boathouse)["settings"]


def test_who_writes_all_the_time_is_worked_with_in_turn(behind, monkeypatch):
    derive = deriving.derive_everything
    tries = []

    def write():
        with behind.sessions.begin() as session:
            the_rig(behind, session).name = f"Loft {len(tries)}"

    def disturbed(ctx, *, refit):
        derive(ctx, refit=refit)
        tries.append(True)
        writer = threading.Thread(target=write)
        writer.start()
        if len(tries) < 3:
            writer.join()

    monkeypatch.setattr(deriving, "derive_everything", disturbed)
    pin(behind, "highpass", "frequency_hz", 100.0)
    catching_up.wait_derived(behind)
    assert len(tries) == 3
    assert not shows(behind, "working_out")
    assert shows(behind, "derivable") is None


def test_what_hands_out_waits_and_what_changes_does_not(behind, monkeypatch):
    goes = threading.Event()
    derive = deriving.derive_everything

    def held(ctx, *, refit):
        goes.wait()
        derive(ctx, refit=refit)

    monkeypatch.setattr(deriving, "derive_everything", held)
    client = create_app(behind).test_client()
    nudge = {"stage": "highpass", "name": "frequency_hz", "value": 105.0, "pinned": True}
    assert client.patch("/api/settings", json=nudge).json["working_out"]
    assert client.post("/api/undo").json["working_out"]
    assert client.patch("/api/settings", json=nudge).json["working_out"]
    threading.Timer(0.2, goes.set).start()
    handed_out = client.get("/api/calibration").json
    assert not shows(behind, "working_out")
    highpass = next(stage for stage in handed_out["chain"] if stage["key"] == "highpass")
    assert highpass["settings"]["frequency_hz"]["value"] == 105.0


def test_a_sound_that_is_lost_is_marked_and_done_without(behind):
    with behind.sessions() as session:
        takes = session.scalars(select(Take).where(Take.purpose == "passage"))
        digest = next(iter(takes)).sha256
    for store in (behind.sounds, behind.readings, behind.answers):
        store.forget()
    current(behind).take_sets.forget()
    (behind.folder.takes / f"{digest}.flac").unlink()
    pin(behind, "highpass", "frequency_hz", 100.0)
    catching_up.wait_derived(behind)
    assert any(t.fault for t in shows(behind, "takes"))


def test_a_refusal_is_told(behind, monkeypatch):
    told = behind.bus.listen()

    def refuses(ctx, *, refit):
        raise Told("drowned", "Your voice is not above the room.")

    monkeypatch.setattr(deriving, "derive_everything", refuses)
    pin(behind, "highpass", "frequency_hz", 100.0)
    catching_up.wait_derived(behind)
    news = [told.get(timeout=5) for _ in range(2)]
    assert ("trouble", {"sentence": "Your voice is not above the room."}) in news
    # What stands on an older key says so.
    assert shows(behind, "derivable") is not None


def test_confirming_behind_a_change_keeps_what_follows_from_it(behind):
    client = create_app(behind).test_client()
    pin(behind, "highpass", "frequency_hz", 98.0)
    answer = client.post("/api/confirm", json={"step": "steady", "anyway": True})
    assert answer.status_code == 200
    assert not answer.json["working_out"]


def test_work_that_is_overtaken_is_asked_again_with_what_is_newer():
    behind, done, asked = Background(), threading.Event(), []

    def work(rigs):
        asked.append(dict(rigs))
        if len(asked) == 1:
            behind.ask(2, refit=False)
            with pytest.raises(Overtaken):
                behind.go_on()
            raise Overtaken

    behind.start(work, done.set)
    behind.ask(1, refit=True)
    assert done.wait(30)
    assert behind.wait(30)
    behind.stop()
    assert asked == [{1: True}, {1: True, 2: False}]


def test_what_was_asked_when_the_end_comes_is_let_go():
    behind, began, goes = Background(), threading.Event(), threading.Event()

    def work(_rigs):
        began.set()
        goes.wait(30)
        behind.go_on()

    behind.start(work, lambda: None)
    behind.ask(1, refit=False)
    assert began.wait(30)
    behind.ask(2, refit=True)
    threading.Timer(0.1, goes.set).start()
    behind.stop()
    assert not behind.runs


def test_what_could_not_be_worked_out_is_marked_and_derived_with_one_press(
    behind, other_boathouse, monkeypatch
):
    with monkeypatch.context() as broken:
        broken.setattr(deriving, "derive_everything", lambda ctx, *, refit: 1 / 0)
        pin(behind, "highpass", "frequency_hz", 100.0)
        catching_up.wait_derived(behind)
    assert "the voice chain" in shows(behind, "derivable")
    assert not shows(behind, "working_out")
    deriving.derive_again(behind)
    assert shows(behind, "derivable") is None
    pin(other_boathouse, "highpass", "frequency_hz", 100.0)
    assert shown(behind)["settings"] == shown(other_boathouse)["settings"]
