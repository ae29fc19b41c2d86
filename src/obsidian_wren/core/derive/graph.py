"""What depends on what: facts, takes, readings and settings as one graph, and what a change leaves stale.

A *source* is something that a person or the world decides: a fact of the rig, the newest take of a purpose, a pin. A *node* is derived:
it names what it needs. What was derived is kept with the sources that it used; it is stale exactly when one of the sources that it
depends on, through whatever lies between, differs now. Facts reach a node through the take that it was measured from, and only those
that can change what the node says: a turned preamp moves levels, not the tone.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache

from obsidian_wren.core.chain.parameters import TITLES

Value = float | int | str | bool | None

# Facts that lift or lower voice and room alike.
_GAIN = frozenset({"gain_db", "dial", "pad_on", "trim_db", "slider", "program_db"})
_PLACE = frozenset({"distance_cm", "angle_deg", "height_cm"})
_DEVICES = frozenset({"microphone", "pattern", "interface", "source", "enhancements"})
_VOICE_SHAPE = _PLACE | _DEVICES | {"room", "pop_screen", "foam"}
_ROOM_SHAPE = _PLACE | _DEVICES | {"room", "foam"}
# The desk is heard only while someone works at it.
_DESK = frozenset({"shock_mount", "support"})


@dataclass(frozen=True)
class Node:
    """Something derived. ``measures``: take purposes with the facts of each that matter; ``needs``: other nodes; ``pins`` and
    ``choices``: sources of the person's own."""

    name: str
    title: str
    measures: Mapping[str, frozenset[str]] = field(default_factory=dict)
    needs: tuple[str, ...] = ()
    pins: tuple[str, ...] = ()
    choices: tuple[str, ...] = ()


_NODES = (
    Node("quiet", "the room at rest", {"rest": _ROOM_SHAPE | _GAIN}),
    Node("in-use", "the room in use", {"in-use": _ROOM_SHAPE | _GAIN | _DESK}),
    Node("muted", "the muted input", {"muted": frozenset({"interface", "source", "enhancements"}) | _GAIN}),
    # A take at another gain carries its own gain; that the knob went back is what it is for.
    Node("other-gain", "the room at another gain", {"other-gain": _ROOM_SHAPE}),
    Node("split", "the parts of the floor", needs=("quiet", "muted", "other-gain"), choices=("microphone_data",)),
    Node("causes", "the causes of the floor", needs=("quiet", "in-use", "split")),
    Node("profile", "the noise profile", needs=("quiet",)),
    Node("talk", "normal talk", {"talk": _VOICE_SHAPE | _GAIN}),
    Node("loud", "the loudest", {"loud": _VOICE_SHAPE | _GAIN}),
    Node("soft", "the softest", {"soft": _VOICE_SHAPE | _GAIN}),
    Node("dial", "the learned dial", {"dial": frozenset({"interface", "source"})}),
    Node("gain-plan", "the gain plan", needs=("talk", "loud", "soft", "quiet", "split", "dial"), choices=("aim",)),
    Node("voice-shape", "the voice's spectrum", {"passage": _VOICE_SHAPE}),
    Node("room-shape", "the room's spectrum", {"rest": _ROOM_SHAPE}),
    Node("reference", "the reference take", {"reference": frozenset()}),
    Node("ring", "the ring of the room", {"clap": _PLACE | {"room"}, "sweep": _PLACE | {"room"}}),
    Node("highpass", "the high-pass", needs=("voice-shape", "room-shape"), pins=("highpass",)),
    Node(
        "cleaning", "the cleaning",
        {"talk": _VOICE_SHAPE | _GAIN, "rest": _ROOM_SHAPE | _GAIN, "in-use": _ROOM_SHAPE | _GAIN | _DESK}, needs=("ring",),
        pins=("highpass", "deplosive", "noise_reduction", "ring_reduction", "gate"), choices=("cut_weight", "treated"),
    ),
    Node(
        "equalizer", "the equalizer", needs=("highpass", "reference"), pins=("equalizer",), choices=("response", "target", "taste")
    ),
    Node(
        "delivery", "the voice chain", {"talk": _VOICE_SHAPE | _GAIN}, needs=("equalizer", "cleaning"),
        pins=("lowpass", "deesser", "leveller", "compressor", "colour", "gain", "limiter"), choices=("treated", "order"),
    ),
    Node("diagram", "the level diagram", {"talk": _VOICE_SHAPE | _GAIN, "rest": _ROOM_SHAPE | _GAIN}, needs=("delivery",)),
)  # fmt: skip
GRAPH: dict[str, Node] = {node.name: node for node in _NODES}


@cache
def sources(name: str) -> frozenset[str]:
    """Every source that a node depends on, as keys: ``take:PURPOSE``, ``PURPOSE.FACT``, ``pin:STAGE``, ``choice:NAME``."""
    node = GRAPH[name]
    found = {f"pin:{stage}" for stage in node.pins} | {f"choice:{choice}" for choice in node.choices}
    for purpose, facts in node.measures.items():
        found.add(f"take:{purpose}")
        found |= {f"{purpose}.{fact}" for fact in facts}
    for needed in node.needs:
        found |= sources(needed)
    return frozenset(found)


def dependents(source: str) -> tuple[str, ...]:
    """Every node that a source reaches, in the order of the graph."""
    return tuple(name for name in GRAPH if source in sources(name))


def used_now(name: str, now: Mapping[str, Value]) -> dict[str, Value]:
    """What a node derived now would stand on: its sources as they are. ``now`` holds takes' facts under ``PURPOSE.FACT``."""
    return {key: now.get(key) for key in sorted(sources(name))}


@dataclass(frozen=True)
class Reason:
    """One source that differs: its key, what it was, what it is."""

    source: str
    then: Value
    now: Value

    def sentence(self) -> str:
        """Why, in words."""
        return _sentence(self)


def changed(name: str, used: Mapping[str, Value], now: Mapping[str, Value]) -> tuple[Reason, ...]:
    """The sources of a node that differ from what it used. A source that was not recorded then cannot differ."""
    reasons = []
    for key in sorted(sources(name)):
        if key in used and used[key] != now.get(key) and not _same_gain(key, used, now):
            reasons.append(Reason(key, used[key], now.get(key)))
    return tuple(sorted(reasons, key=lambda reason: (reason.source.startswith(("pin:", "choice:")), _rank(reason.source))))


def _same_gain(key: str, used: Mapping[str, Value], now: Mapping[str, Value]) -> bool:
    """Whether a gain in dB differs only because more is known of it: it was unknown, or a dial at the same mark was learned since."""
    purpose, _, fact = key.partition(".")
    if fact != "gain_db":
        return False
    dial = f"{purpose}.dial"
    return used[key] is None or now.get(key) is None or (used.get(dial) is not None and used.get(dial) == now.get(dial))


def why_stale(name: str, used: Mapping[str, Value], now: Mapping[str, Value]) -> str | None:
    """The sentence that says what changed since, the weightiest first, None when nothing did."""
    reasons = changed(name, used, now)
    if not reasons:
        return None
    # A numbered dial says it in its own marks; the decibels behind it are the same change once more.
    dials = {reason.source.partition(".")[0] for reason in reasons if reason.source.endswith(".dial")}
    reasons = tuple(r for r in reasons if not (r.source.endswith(".gain_db") and r.source.partition(".")[0] in dials))
    said: list[str] = []
    for reason in reasons:
        sentence = reason.sentence()
        if sentence not in said:
            said.append(sentence)
    return " ".join(said[:2])


_ORDER = ("gain_db", "dial", "pad_on", "slider", "trim_db", "program_db", "distance_cm", "angle_deg", "height_cm")


def _rank(source: str) -> tuple[int, str]:
    fact = source.partition(".")[2]
    return (_ORDER.index(fact) if fact in _ORDER else len(_ORDER), source)


_TAKES = {
    "rest": "The room was taken again",
    "in-use": "The room in use was taken again",
    "muted": "The muted input was taken again",
    "other-gain": "The room at another gain was taken again",
    "talk": "Normal talk was taken again",
    "loud": "The loudest was taken again",
    "soft": "The softest was taken again",
    "passage": "A newer passage was read",
    "dial": "The dial was taken at another position",
    "clap": "A clap was taken",
    "sweep": "A sweep was taken",
    "reference": "The reference was taken again",
}
_FACTS = {
    "gain_db": ("at {then} dB gain", "{now}"),
    "dial": ("with the dial at {then}", "{now}"),
    "slider": ("with the slider at {then} %", "{now} %"),
    "trim_db": ("with the device's output at {then} dB", "{now} dB"),
    "program_db": ("with the program's trim at {then} dB", "{now} dB"),
    "distance_cm": ("at {then} cm", "{now}"),
    "angle_deg": ("{then}° off axis", "{now}°"),
    "height_cm": ("{then} cm over the mouth", "{now}"),
    "microphone": ("with {then}", "{now}"),
    "pattern": ("as {then}", "{now}"),
    "interface": ("through {then}", "{now}"),
    "room": ("in {then}", "{now}"),
    "source": ("from {then} sound", "{now}"),
    "support": ("on the {then}", "{now}"),
}
_SWITCHES = {
    "pad_on": "the pad",
    "pop_screen": "the pop screen",
    "foam": "the foam",
    "shock_mount": "the shock mount",
    "enhancements": "the enhancements",
}


def _said(value: Value) -> str:
    if value is None:
        return "unknown"
    return f"{value:g}" if isinstance(value, (int, float)) and not isinstance(value, bool) else str(value)


def _sentence(reason: Reason) -> str:
    kind, _, rest = reason.source.partition(":")
    if kind == "take":
        return f"{_TAKES[rest]} since." if reason.now is not None else "A take that it stood on was discarded."
    if kind == "pin":
        return f"You changed the {TITLES[rest].lower()} since."
    if kind == "choice":
        words = {
            "aim": "The aim changed since.",
            "response": "Another response file is in use.",
            "microphone_data": "The microphone's data changed since.",
            "taste": "You bent the target since.",
            "target": "You chose another target since.",
            "treated": "The aims of the treated voice changed since.",
            "cut_weight": "You weighed cut words anew since.",
            "order": "The stages stand in another order since.",
        }
        return words[rest]
    fact = reason.source.partition(".")[2]
    if fact in _SWITCHES:
        return f"Measured {'with' if reason.then else 'without'} {_SWITCHES[fact]}, now {'with' if reason.now else 'without'}."
    then, now = _FACTS[fact]
    return f"Measured {then.format(then=_said(reason.then))}, now {now.format(now=_said(reason.now))}."


def stale_nodes(recorded: Mapping[str, Mapping[str, Value]], now: Mapping[str, Value]) -> dict[str, tuple[Reason, ...]]:
    """Every recorded node that is stale, with its reasons."""
    found = {name: changed(name, used, now) for name, used in recorded.items() if name in GRAPH}
    return {name: reasons for name, reasons in found.items() if reasons}


def can_derive(reasons: Iterable[Reason], moves: frozenset[str]) -> bool:
    """Whether what is at hand can derive a stale answer anew: newer takes, pins and choices can, and facts whose effect is known."""
    return all(":" in reason.source or reason.source.partition(".")[2] in moves for reason in reasons)


def order(names: Iterable[str]) -> list[str]:
    """Nodes in an order in which each comes after what it needs."""
    wanted = set(names)
    return [name for name in GRAPH if name in wanted]
