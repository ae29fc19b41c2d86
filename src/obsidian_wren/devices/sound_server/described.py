"""What the sound server says of a device or a stream, in our words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from obsidian_wren.core.derive.sound_device import DeviceField, SoundDevice, device_key
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import SystemListener, SystemMicrophone, SystemPlayer

PREFIX, CLIENT = "obsidian_wren.", "Obsidian Wren"
# What a program may ask of a device; the rest stands in the server's own files.
_SETTABLE: frozenset[DeviceField] = frozenset({"is_default", "muted", "slider_percent"})
# Sample formats of the protocol by their numbers (``pulse/sample.h``).
_BITS = {0: 8, 1: 8, 2: 8, 3: 16, 4: 16, 9: 24, 10: 24, 11: 24, 12: 24}
_FLOAT_BITS = 32
# What a server makes where there is no output at all.
_NOTHING = "auto_null"
# A name with its version at the end, or with what it is plugged into in brackets.
_OF_A_LIBRARY = re.compile(r"[A-Za-z]+\d+(\.\d+)*|.*\[.*\]")
_PROCESSING = {
    "module-echo-cancel": _("Echo cancelling"),
    "module-ladspa-source": _("A plug-in"),
    "module-virtual-source": _("A filter"),
}


def is_a_program(properties: Mapping[str, str]) -> bool:
    """Whether a stream is a program's: those of the server itself have no name, and what we record
    and play, from whichever of our processes, is ours."""
    return properties.get("application.name", CLIENT) != CLIENT


def microphone(source: Any, usual: str) -> SystemMicrophone:
    """A source that is no monitor."""
    return SystemMicrophone(
        source.name,
        source.description,
        source.rate_hz,
        source.channel_count,
        percent(source),
        bool(source.mute),
        source.name == usual,
        source.name.startswith(PREFIX),
    )


def percent(device: Any) -> float:
    """The loudest channel's volume."""
    return round(100.0 * max(device.volume.values, default=1.0), 1)


def devices(
    sources: Sequence[Any], sinks: Sequence[Any], modules: Mapping[int, str], info: Any
) -> tuple[SoundDevice, ...]:
    """Every input and output but monitors; several lines of one device are counted."""
    found = [
        _device(each, "input", modules, info.default_source_name)
        for each in sources
        if each.monitor_of_sink_name is None
    ]
    found += [_device(each, "output", modules, info.default_sink_name) for each in sinks]
    lines: Counter[str] = Counter()
    counted = []
    for device in sorted(found, key=lambda each: (each.direction, each.id)):
        key = device_key(device)
        lines[key] += 1
        counted.append(SoundDevice(**{**vars(device), "line": lines[key]}))
    return tuple(counted)


def _device(each: Any, direction: Any, modules: Mapping[int, str], usual: str) -> SoundDevice:
    properties = each.proplist
    return SoundDevice(
        id=each.name,
        system_name=each.description,
        direction=direction,
        present=True,
        enabled=_connected(each),
        rate_hz=each.rate_hz,
        bits=_BITS.get(each.format, _FLOAT_BITS),
        slider_percent=percent(each),
        muted=bool(each.mute),
        enhancements=False,
        auto_gain=False,
        channels=each.channel_count,
        is_default=each.name == usual,
        is_default_for_calls=each.name == usual,
        serial=properties.get("device.serial"),
        # One that sits in no plug is known by its name.
        port=properties.get("device.bus_path") or each.name,
        kind=_kind(each, direction),
        processing=_processing(each, modules),
        settable=_SETTABLE,
    )


def _connected(each: Any) -> bool:
    """A jack tells whether something is in it; most plugs do not."""
    port = getattr(each, "port_active", None)
    return port is None or str(getattr(port, "available_state", "unknown")).rsplit("=", 1)[
        -1
    ].strip(" '>") not in ("no",)


def _kind(each: Any, direction: str) -> Any:
    properties = each.proplist
    if each.name.startswith(PREFIX) or each.name == _NOTHING:
        return "feed"
    form = properties.get("device.form_factor", "")
    if direction == "output":
        port = getattr(getattr(each, "port_active", None), "name", "") or ""
        worn = form in ("headphone", "headset") or "headphone" in port or "headset" in port
        return "headphones" if worn else "loudspeakers"
    if form == "webcam":
        return "webcam"
    return (
        "built-in" if form == "internal" or properties.get("device.bus") == "pci" else "interface"
    )


def _processing(each: Any, modules: Mapping[int, str]) -> str | None:
    """What of the server works on its sound before any program hears it."""
    if each.name.startswith(PREFIX):
        return None
    name = modules.get(each.owner_module, "")
    if name in _PROCESSING:
        return _PROCESSING[name]
    properties = each.proplist
    group = properties.get("node.link-group", "")
    if group.startswith("echo-cancel"):
        return _PROCESSING["module-echo-cancel"]
    return "A filter" if group or properties.get("device.class") == "filter" else None


def _process(properties: Mapping[str, str]) -> int | None:
    number = properties.get("application.process.id", "")
    return int(number) if number.isdigit() else None


def program(properties: Mapping[str, str]) -> str:
    """What a program is called: where it gives the name of a library that it plays or records
    through, the title of its window, or the name of what runs."""
    name = properties["application.name"]
    if not _OF_A_LIBRARY.fullmatch(name):
        return name
    known = ("window.name", "application.process.binary", "media.name")
    return next((properties[key] for key in known if properties.get(key)), name)


def listener(stream: Any, names: Mapping[int, str]) -> SystemListener:
    """A program that records."""
    properties = stream.proplist
    source = names.get(stream.source)
    return SystemListener(
        stream.index,
        program(properties),
        _process(properties),
        source,
        source is not None and source.startswith(PREFIX),
        100.0 * max(stream.volume.values) if stream.volume.values else 100.0,
        bool(stream.mute),
    )


def player(stream: Any, names: Mapping[int, str]) -> SystemPlayer:
    """A program that plays."""
    properties = stream.proplist
    return SystemPlayer(
        stream.index, program(properties), _process(properties), names.get(stream.sink)
    )
