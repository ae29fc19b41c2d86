"""The audit of the sound settings."""

from dataclasses import replace

import pytest

from obsidian_wren.core.derive.audit import audit
from obsidian_wren.core.derive.sound_device import SoundDevice, device_key


def device(identity="in-3", **changes):
    base = SoundDevice(
        identity,
        "Line 3 (USB Audio 2.0)",
        "input",
        present=True,
        enabled=True,
        rate_hz=48_000,
        bits=24,
        slider_percent=100,
        muted=False,
        enhancements=False,
        auto_gain=False,
        channels=2,
        is_default=True,
        is_default_for_calls=True,
        serial="A1",
        port="usb-2",
    )
    return replace(base, **changes)


PHONES = device("out-3", direction="output", kind="headphones", system_name="Line out")


def check(*devices, **more):
    return [
        finding.code
        for finding in audit(devices, rig_device_id="in-3", rate_hz=48_000, bits=24, **more)
    ]


def test_clean_settings_have_no_findings():
    assert check(device(), PHONES) == []


@pytest.mark.parametrize(
    "change, code",
    [
        (dict(enabled=False), "disabled"),
        (dict(muted=True), "muted"),
        (dict(auto_gain=True), "auto-gain"),
        (dict(enhancements=True), "enhancements"),
        (dict(rate_hz=44_100), "rate"),
        (dict(slider_percent=70), "slider"),
        (dict(bits=16), "bits"),
    ],
)
def test_each_fault_is_found_with_the_change_that_mends_it(change, code):
    found = audit([device(**change), PHONES], rig_device_id="in-3", rate_hz=48_000, bits=24)
    assert [finding.code for finding in found] == [code]
    mended = replace(device(**change), **{found[0].change.field: found[0].change.value})
    assert check(mended, PHONES) == []


def test_findings_stand_in_order_of_harm():
    other = device("in-1", system_name="Microphone (HD Camera)", kind="webcam", serial=None)
    mine = device(
        is_default=False, enhancements=True, rate_hz=44_100, bits=16, slider_percent=50, muted=True
    )
    speakers = device(
        "out-1", direction="output", kind="loudspeakers", system_name="Speakers", rate_hz=44_100
    )
    assert check(mine, other, speakers) == [
        "muted",
        "other-input",
        "enhancements",
        "rate",
        "slider",
        "loudspeakers",
        "bits",
        "output-rate",
    ]


def test_hearing_oneself_twice_a_missing_device_and_equal_names():
    assert "twice" in check(device(), PHONES, direct_monitoring=True, monitors_itself=True)
    assert check(device(present=False), PHONES) == ["gone"]
    assert check(device(), device("in-9", is_default=False), PHONES) == ["same-name"]
    assert (
        check(
            device(own_name="Loft mic"), device("in-9", is_default=False, own_name="Spare"), PHONES
        )
        == []
    )


def test_a_device_is_recognised_by_serial_and_line_or_by_its_plug():
    first = device()
    back = device("in-8", system_name="Line 8 (USB Audio 2.0)", port="usb-5")
    assert device_key(back) == device_key(first)
    assert device_key(device(line=2)) != device_key(first)
    assert device_key(device(serial="B2")) != device_key(first)
    plain = device(serial=None, kind="webcam")
    assert device_key(replace(plain, id="in-7")) == device_key(plain)
    assert device_key(replace(plain, port="usb-9")) != device_key(plain)


def test_what_no_program_may_set_is_left_to_the_person():
    may = frozenset({"is_default", "muted", "slider_percent"})
    real = device(rate_hz=44_100, slider_percent=70, settable=may)
    found = {
        each.code: each for each in audit([real], rig_device_id="in-3", rate_hz=48_000, bits=24)
    }
    assert found["slider"].change.value == 100
    assert found["rate"].change is None
    assert found["rate"].action == "Set it to 48 kHz in the sound settings of the system"


def test_what_works_on_the_voice_in_the_server_and_who_records_it_raw_is_said():
    found = audit(
        [device(processing="Echo cancelling")],
        rig_device_id="in-3",
        rate_hz=48_000,
        bits=24,
        raw_listeners=("Walk recorder", "Editor call", "Walk recorder"),
    )
    assert [each.code for each in found] == ["raw", "processing"]
    assert found[0].title.startswith("Editor call and Walk recorder record")
    assert found[1].title == "Echo cancelling of the sound server alters your voice"


def test_an_output_that_is_none_is_no_loudspeaker():
    nothing = device("out-9", direction="output", kind="feed", rate_hz=44_100)
    assert check(device(), nothing) == []
