"""The computer's sound settings against the rig: what disagrees or works on the voice twice,
worst first, each with what to change.

Source: practice: what raw voice, double processing and unequal rates cost in calls.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from obsidian_wren.core.derive.sound_device import DeviceField, SoundDevice
from obsidian_wren.core.wording import _, ngettext


@dataclass(frozen=True)
class Change:
    """One change in the sound settings."""

    device_id: str
    field: DeviceField
    value: float | bool


@dataclass(frozen=True)
class AuditFinding:
    """One thing that disagrees.

    ``harm`` from 1, the worst; ``change`` mends it, None where the person must do it by hand.
    """

    code: str
    harm: int
    title: str
    sentence: str
    action: str
    change: Change | None


def audit(
    devices: Sequence[SoundDevice],
    *,
    rig_device_id: str | None,
    rate_hz: int,
    bits: int,
    direct_monitoring: bool = False,
    monitors_itself: bool = False,
    raw_listeners: Sequence[str] = (),
) -> tuple[AuditFinding, ...]:
    """Findings in order of harm.

    ``rig_device_id`` is the input that the rig's interface shows up as; ``raw_listeners`` names the
    programs that record it themselves. What no program may set has no change.
    """
    here = [device for device in devices if device.present]
    rig = next((device for device in here if device.id == rig_device_id), None)
    found: list[AuditFinding] = []
    if rig is None:
        found.append(
            AuditFinding(
                "gone",
                1,
                _("The interface is not connected"),
                _("The computer does not list the rig's interface."),
                _("Plug it in: it is recognised as soon as it returns."),
                None,
            )
        )
        return tuple(found)
    found += _input(rig, here)
    found += _processing(rig)
    found += _rates(rig, here, rate_hz, bits)
    found += _outputs(here, direct_monitoring, monitors_itself)
    found += _names(here)
    found += _recorders(rig, raw_listeners)
    settable = {device.id: device.settable for device in here}
    return tuple(
        sorted((_by_hand(finding, settable) for finding in found), key=lambda finding: finding.harm)
    )


def _by_hand(
    finding: AuditFinding, settable: Mapping[str, frozenset[DeviceField] | None]
) -> AuditFinding:
    """What no program may set is left to the person."""
    change = finding.change
    if change is None:
        return finding
    may = settable[change.device_id]
    if may is None or change.field in may:
        return finding
    action = _("{action} in the sound settings of the system", action=finding.action)
    return replace(finding, action=action, change=None)


def _recorders(rig: SoundDevice, programs: Sequence[str]) -> list[AuditFinding]:
    names = sorted(set(programs))
    if not names:
        return []
    return [
        AuditFinding(
            "raw",
            2,
            ngettext(
                "{names} records {title} itself",
                "{names} record {title} itself",
                len(names),
                names=_(" and ").join(names),
                title=rig.title,
            ),
            _("It gets the raw voice, without anything set here."),
            _("Move it to a feed in Send"),
            None,
        )
    ]


def _input(rig: SoundDevice, here: Sequence[SoundDevice]) -> list[AuditFinding]:
    found = []
    if not rig.enabled:
        found.append(
            AuditFinding(
                "disabled",
                1,
                _("{title} is switched off", title=rig.title),
                _("No program can hear it."),
                _("Switch it on"),
                Change(rig.id, "enabled", True),
            )
        )
    if rig.muted:
        found.append(
            AuditFinding(
                "muted",
                1,
                _("{title} is muted", title=rig.title),
                _("It sends silence only."),
                _("Unmute it"),
                Change(rig.id, "muted", False),
            )
        )
    default = next((d for d in here if d.direction == "input" and d.is_default), None)
    if default is not None and default.id != rig.id and default.kind != "feed":
        found.append(
            AuditFinding(
                "other-input",
                2,
                _("Another input is the default"),
                _(
                    "Programs that do not choose a device hear {title}, not {title_2}.",
                    title=default.title,
                    title_2=rig.title,
                ),
                _("Make {title} the default input", title=rig.title),
                Change(rig.id, "is_default", True),
            )
        )
    return found


def _processing(rig: SoundDevice) -> list[AuditFinding]:
    found = []
    if rig.processing is not None:
        found.append(
            AuditFinding(
                "processing",
                3,
                _(
                    "{processing} of the sound server alters your voice",
                    processing=rig.processing,
                ),
                _(
                    "{title} is not the microphone itself: the measurements include its"
                    " processing.",
                    title=rig.title,
                ),
                _("Use the microphone behind it in this rig"),
                None,
            )
        )
    if rig.auto_gain:
        found.append(
            AuditFinding(
                "auto-gain",
                3,
                _("Auto gain changes your level"),
                _(
                    "It changes the gain while you talk: no measured level stays valid, and the"
                    " voice pumps."
                ),
                _("Switch it off"),
                Change(rig.id, "auto_gain", False),
            )
        )
    if rig.enhancements:
        found.append(
            AuditFinding(
                "enhancements",
                3,
                _("Enhancements are on"),
                _("The computer already cleans and filters the voice, so it is processed twice."),
                _("Switch them off"),
                Change(rig.id, "enhancements", False),
            )
        )
    return found


def _rates(
    rig: SoundDevice, here: Sequence[SoundDevice], rate_hz: int, bits: int
) -> list[AuditFinding]:
    found = []
    if rig.rate_hz != rate_hz:
        found.append(
            AuditFinding(
                "rate",
                4,
                _("Two sample rates"),
                _(
                    "The computer runs {title} at {rate_hz:g} kHz, the rig at {rate_hz_2:g}:"
                    " the sound is converted on the way, with clicks or a wrong pitch at worst.",
                    title=rig.title,
                    rate_hz=rig.rate_hz / 1000,
                    rate_hz_2=rate_hz / 1000,
                ),
                _("Set it to {rate_hz:g} kHz", rate_hz=rate_hz / 1000),
                Change(rig.id, "rate_hz", float(rate_hz)),
            )
        )
    if rig.slider_percent < 100:
        found.append(
            AuditFinding(
                "slider",
                5,
                _("The input slider is at {slider_percent:g} %", slider_percent=rig.slider_percent),
                _(
                    "It reduces the level after the converter: clipping before it stays, and"
                    " raising the level later raises the noise with it."
                ),
                _("Set it to 100 %"),
                Change(rig.id, "slider_percent", 100.0),
            )
        )
    if rig.bits < bits:
        found.append(
            AuditFinding(
                "bits",
                6,
                _("Only {bits} bit", bits=rig.bits),
                _(
                    "The interface delivers {bits} bit and the computer uses {bits_2}.",
                    bits=bits,
                    bits_2=rig.bits,
                ),
                _("Set it to {bits} bit", bits=bits),
                Change(rig.id, "bits", float(bits)),
            )
        )
    for device in here:
        if (
            device.direction == "output"
            and device.is_default
            and device.enabled
            and device.kind != "feed"
            and device.rate_hz != rate_hz
        ):
            found.append(
                AuditFinding(
                    "output-rate",
                    7,
                    _(
                        "{title} runs at {rate_hz:g} kHz",
                        title=device.title,
                        rate_hz=device.rate_hz / 1000,
                    ),
                    _("What you hear is converted on the way; raw and treated may drift apart."),
                    _("Set it to {rate_hz:g} kHz", rate_hz=rate_hz / 1000),
                    Change(device.id, "rate_hz", float(rate_hz)),
                )
            )
    return found


def _outputs(
    here: Sequence[SoundDevice], direct_monitoring: bool, monitors_itself: bool
) -> list[AuditFinding]:
    found = []
    loud = next(
        (d for d in here if d.direction == "output" and d.is_default and d.kind == "loudspeakers"),
        None,
    )
    phones = next((d for d in here if d.direction == "output" and d.kind == "headphones"), None)
    if loud is not None:
        change = Change(phones.id, "is_default", True) if phones is not None else None
        action = (
            _("Make {title} the default output", title=phones.title)
            if phones is not None
            else _("Plug in headphones")
        )
        found.append(
            AuditFinding(
                "loudspeakers",
                5,
                _("Loudspeakers are on while the microphone is open"),
                _("Others hear themselves again, and a loop can howl."),
                action,
                change,
            )
        )
    if direct_monitoring and monitors_itself:
        found.append(
            AuditFinding(
                "twice",
                6,
                _("You hear yourself twice"),
                _(
                    "Direct monitoring plays the raw voice at once, and the treated voice"
                    " follows a moment later."
                ),
                _(
                    "Switch direct monitoring off at the interface while you listen to the"
                    " treated voice"
                ),
                None,
            )
        )
    return found


def _names(here: Sequence[SoundDevice]) -> list[AuditFinding]:
    counted = Counter((device.direction, device.title) for device in here)
    found = []
    for (direction, title), count in counted.items():
        if count > 1:
            found.append(
                AuditFinding(
                    "same-name",
                    8,
                    _(
                        "{count} {direction}s are called “{title}”",
                        count=count,
                        direction=direction,
                        title=title,
                    ),
                    _("Other programs cannot tell them apart."),
                    _("Give each a name of your own"),
                    None,
                )
            )
    return found
