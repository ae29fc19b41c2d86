"""The browser's own microphone, with a WAV in its place."""

import base64
import io
import json
import re

import numpy as np
import pytest
import scipy.signal
import soundfile
from handling import (
    LOG_LIVE,
    SLOW,
    button,
    leaf,
    number,
    seconds_taken,
    send_until_it_arrives,
    status,
    step,
)
from playwright.sync_api import expect

from obsidian_wren.core.measure.levels import rms_dbfs
from signals import RATE, noise, room, voice

# Pieces, four a second: a third of the room.
HALF_A_TAKE = 20
FAKE = ("--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream")


@pytest.fixture
def with_wav(tmp_path, start, browse, boathouse_data):
    """A page whose microphone is a WAV."""

    def go(sound, *, init=None, data=None, permissions=("microphone",)):
        path = tmp_path / "capture.wav"
        soundfile.write(path, sound, RATE, subtype="PCM_16")
        page = browse(
            start(data=data),
            *FAKE,
            f"--use-file-for-fake-audio-capture={path}",
            init=init,
            permissions=permissions,
        )
        step(page, "Rig")
        page.get_by_text("The browser’s microphone").click()
        return page

    return go


def test_its_level_is_that_of_the_wav(with_wav):
    # Below 8 kHz, so that nothing is lost whatever rate the browser runs at.
    sound = scipy.signal.sosfilt(
        scipy.signal.butter(8, 8000, fs=RATE, output="sos"), noise(10 ** (-40 / 20), 20.0)
    )
    page = with_wav(sound)
    step(page, "Quiet")
    button(page, "Record the room, 15 s").click()
    expect(page.get_by_role("timer")).to_have_text(re.compile(r"\d s left"), timeout=SLOW)
    expect(page.get_by_role("heading", name="Room at rest")).to_be_visible(timeout=SLOW)
    assert number(page, "Room at rest") == pytest.approx(rms_dbfs(sound), abs=0.5)
    assert "note" not in page.locator(".chip").last.inner_text()


def test_processing_that_stays_on_is_told(with_wav):
    lie = """
        const real = MediaStreamTrack.prototype.getSettings;
        MediaStreamTrack.prototype.getSettings = function () {
            return { ...real.call(this), autoGainControl: true };
        };
    """
    page = with_wav(noise(0.005, 20.0), init=lie)
    step(page, "Quiet")
    button(page, "Record the room, 15 s").click()
    seconds_taken(page, 4)
    button(page, "Stop the take").click()
    page.locator(".chip", has_text="note").click(timeout=SLOW)
    expect(page.locator(".detail")).to_contain_text(
        "The browser left auto gain on although it was asked not to"
    )


def test_a_refused_permission_says_what_to_do(start, browse):
    refuse = (
        "navigator.mediaDevices.getUserMedia = async () => { throw new DOMException('no',"
        " 'NotAllowedError'); };"
    )
    page = browse(start(), init=refuse)
    step(page, "Quiet")
    button(page, "Record the room, 15 s").click()
    expect(page.get_by_role("alert")).to_contain_text("Allow it in the address bar")


def test_an_unplugged_microphone_keeps_what_came_before(with_wav):
    hold = """
        const real = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
        navigator.mediaDevices.getUserMedia = async (c) => (window.held = await real(c));
    """
    page = with_wav(noise(0.005, 20.0), init=hold)
    step(page, "Quiet")
    button(page, "Record the room, 15 s").click()
    seconds_taken(page, 4)
    page.evaluate("window.held.getAudioTracks()[0].dispatchEvent(new Event('ended'))")
    expect(page.get_by_role("alert")).to_contain_text(
        "The microphone was disconnected after", timeout=SLOW
    )
    expect(page.get_by_role("heading", name="Room at rest")).to_be_visible()


def test_a_page_that_dies_half_way_leaves_a_half_take(with_wav):
    page = with_wav(noise(0.005, 20.0))
    step(page, "Quiet")
    sent = []

    def die_after_some(route):
        sent.append(route.request.url)
        if len(sent) > HALF_A_TAKE:
            route.abort()
        else:
            route.continue_()

    # A page that dies says nothing any more, however slowly it is closed; one that is closed may
    # still have a word. What holds for the page alone ends before the page does.
    url, context = page.url, page.context
    context.route("**/api/takes/browser/**", die_after_some)
    context.route("**/api/takes/stop", lambda route: route.abort())
    button(page, "Record the room, 15 s").click()
    seconds_taken(page, 4)
    page.close()
    context.unroute_all(behavior="ignoreErrors")
    again = context.new_page()
    again.goto(url)
    expect(
        again.get_by_text(re.compile(r"A take of the room was interrupted after \d+\.\d s"))
    ).to_be_visible(timeout=SLOW)
    again.get_by_role("button", name="Use it").click()
    step(again, "Quiet")
    expect(again.get_by_text("interrupted").first).to_be_visible(timeout=SLOW)
    expect(status(again, "Quiet")).to_have_text("open")


def test_live_over_the_microphone_the_treated_voice_arrives(with_wav, boathouse_data):
    talk = voice("talk")[: 20 * RATE] + room(seconds=20.0)
    page = with_wav(talk, data=boathouse_data)
    step(page, "Send")
    page.get_by_label("chooses").first.select_option("Wren: call")
    button(page, "Start live").click()
    expect(page.get_by_text("Over your microphone")).to_be_visible(timeout=SLOW)
    expect(page.locator(".live .num")).to_have_text(re.compile(r"−\d+\.\d dBFS"), timeout=SLOW)
    step(page, "Rig")
    leaf(page, "Interface")
    page.get_by_label("Sample rate").select_option(label="96 kHz")
    step(page, "Send")
    # The browser runs at its own rate, whatever Rig says; the check must say so.
    expect(page.get_by_text("Rig says 96 kHz: set both to one rate")).to_be_visible()
    send_until_it_arrives(page)
    button(page, "Stop live").click()
    expect(page.get_by_text("Not live").first).to_be_visible()


def test_live_over_the_microphone_goes_on_after_a_restart(browse, start_again):
    page = browse(start_again(), *FAKE, permissions=("microphone",), init=LOG_LIVE)
    step(page, "Rig")
    page.get_by_text("The browser’s microphone").click()
    step(page, "Send")
    button(page, "Start live").click()
    live = page.locator(".live .num")
    expect(live).to_have_text(re.compile(r"−\d+\.\d dBFS"), timeout=SLOW)
    start_again()
    # Nothing is pressed: the page finds the program, and its microphone is live again, from the
    # same moment for the program too.
    expect(page.locator("html")).to_have_attribute("data-seen", "Not Live Not Live", timeout=SLOW)
    expect(live).to_have_text(re.compile(r"−\d+\.\d dBFS"), timeout=SLOW)
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.get_by_text("Over your microphone")).to_be_visible()
    button(page, "Stop live").click()
    expect(page.get_by_text("Not live").first).to_be_visible()


# A microphone that hears what the test lets it hear: sounds by name, played round and round into a
# stream as a browser gives one.
HEARD = """
    window.hear = null;
    navigator.mediaDevices.getUserMedia = async () => {
        const context = new AudioContext({ sampleRate: 48000 });
        const bytes = Uint8Array.from(atob(window.sounds[window.hear]), (c) => c.charCodeAt(0));
        const source = context.createBufferSource();
        source.buffer = await context.decodeAudioData(bytes.buffer);
        source.loop = true;
        const into = context.createMediaStreamDestination();
        source.connect(into);
        source.start();
        return into.stream;
    };
"""


def as_base64(sound):
    out = io.BytesIO()
    soundfile.write(out, sound, RATE, format="FLAC", subtype="PCM_16")
    return base64.b64encode(out.getvalue()).decode()


def test_a_newcomer_with_a_microphone_comes_from_an_empty_folder_to_a_proof(start, browse):
    quiet = room(10 ** (-68 / 20), 20.0)
    said = {name: voice(name, peak=0.22) for name in ("talk", "passage")}
    sounds = {
        "room": quiet,
        **{name: sound + np.resize(quiet, len(sound)) for name, sound in said.items()},
    }
    sounds_js = (
        f"window.sounds = {json.dumps({name: as_base64(sound) for name, sound in sounds.items()})};"
    )
    complaints = []
    page = browse(start(), *FAKE, permissions=("microphone",), init=HEARD + sounds_js)
    page.on(
        "console",
        lambda said: (
            complaints.append(f"{said.text} {said.location}") if said.type == "error" else None
        ),
    )
    step(page, "Rig")
    page.get_by_text("The browser’s microphone").click()
    button(page, "Confirm rig").click()
    page.evaluate("window.hear = 'room'")
    button(page, "Record the room, 15 s").click()
    expect(page.get_by_role("heading", name="Room at rest")).to_be_visible(timeout=SLOW)
    button(page, "Confirm quiet").click()
    page.evaluate("window.hear = 'talk'")
    button(page, "Record normal talk").click()
    # It ends by itself; pieces that are on their way then are nobody's trouble.
    expect(page.get_by_role("heading", name="Highest peak")).to_be_visible(timeout=SLOW)
    expect(page.get_by_role("timer")).to_have_count(0, timeout=SLOW)
    button(page, "Confirm gain").click()
    step(page, "Tone")
    page.evaluate("window.hear = 'passage'")
    button(page, "Read the passage, 40 s").click()
    expect(page.get_by_text("what the rig adds, and its uncertainty")).to_be_visible(timeout=SLOW)
    for name in ("Clean", "Tone", "Steady"):
        step(page, name)
        button(page, f"Confirm {name.lower()}").click()
    step(page, "Send")
    page.get_by_label("chooses").first.select_option("Wren: call")
    button(page, "Start live").click()
    expect(page.get_by_text("Over your microphone")).to_be_visible(timeout=SLOW)
    send_until_it_arrives(page)
    button(page, "Confirm send").click()
    expect(page.get_by_text("7 of 8 confirmed")).to_be_visible()
    step(page, "Send")
    button(page, "Stop live").click()
    expect(page.get_by_text("Not live").first).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)
    # A refusal with its sentence may stand there on a busy machine; a fault of page or program may
    # not.
    assert complaints == []
