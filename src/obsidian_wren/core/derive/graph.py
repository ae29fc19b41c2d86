"""What depends on what: facts, takes, readings and settings as one graph, and what a change leaves
stale.

A *source* is something that a person or the world decides: a fact of the rig, the newest take of a
purpose, a pin. A *node* is derived: it names what it needs. What was derived is kept with the
sources that it used; it is stale exactly when one of the sources that it depends on, through
whatever lies between, differs now. Facts reach a node through the take that it was measured from,
and only those that can change what the node says: a turned preamp moves levels, not the tone.

Source: topological order, Kahn (1962).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.stage_kind import StageKind
from obsidian_wren.core.derive.reasons import Reason, Value
from obsidian_wren.core.wording import _, within

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
    """Something derived.

    ``measures``: take purposes with the facts of each that matter; ``needs``: other nodes; ``pins``
    and ``choices``: sources of the person's own, beside the pins of the stages that are kept with
    it. ``version`` is counted up when its own rule answers otherwise.
    """

    name: str
    title: str
    measures: Mapping[str, frozenset[str]] = field(default_factory=dict)
    needs: tuple[str, ...] = ()
    pins: tuple[str, ...] = ()
    choices: tuple[str, ...] = ()
    version: int = 1

    @property
    def stages(self) -> tuple[str, ...]:
        """The kinds of stage whose pins and rules it stands on."""
        return self.pins + tuple(k.kind for k in KINDS.values() if k.node == self.name)


_NODES = (
    Node("quiet", _("the room at rest"), {"rest": _ROOM_SHAPE | _GAIN}),
    Node("in-use", _("the room in use"), {"in-use": _ROOM_SHAPE | _GAIN | _DESK}),
    Node(
        "muted",
        _("the muted input"),
        {"muted": frozenset({"interface", "source", "enhancements"}) | _GAIN},
    ),
    # A take at another gain carries its own gain; that the knob went back is what it is for.
    Node("other-gain", _("the room at another gain"), {"other-gain": _ROOM_SHAPE}),
    Node(
        "split",
        _("the parts of the noise floor"),
        needs=("quiet", "muted", "other-gain"),
        choices=("microphone_data",),
    ),
    Node("causes", _("the causes of the noise floor"), needs=("quiet", "in-use", "split")),
    Node("profile", _("the noise profile"), needs=("quiet",)),
    Node("talk", _("normal talk"), {"talk": _VOICE_SHAPE | _GAIN}),
    Node("loud", _("the loudest"), {"loud": _VOICE_SHAPE | _GAIN}),
    Node("soft", _("the softest"), {"soft": _VOICE_SHAPE | _GAIN}),
    Node("dial", _("the learned dial"), {"dial": frozenset({"interface", "source"})}),
    Node(
        "gain-plan",
        _("the gain plan"),
        needs=("talk", "loud", "soft", "quiet", "split", "dial"),
        choices=("aim",),
    ),
    Node("voice-shape", _("the voice's spectrum"), {"passage": _VOICE_SHAPE}),
    Node("room-shape", _("the room's spectrum"), {"rest": _ROOM_SHAPE}),
    Node("reference", _("the reference take"), {"reference": frozenset()}),
    Node("phone", _("the phone's take"), {"phone": frozenset()}),
    Node("ring", _("the room reverb"), {"clap": _PLACE | {"room"}, "sweep": _PLACE | {"room"}}),
    Node("highpass", _("the high-pass"), needs=("voice-shape", "room-shape")),
    Node(
        "cleaning",
        _("the cleaning"),
        {
            "talk": _VOICE_SHAPE | _GAIN,
            "rest": _ROOM_SHAPE | _GAIN,
            "in-use": _ROOM_SHAPE | _GAIN | _DESK,
        },
        needs=("ring",),
        pins=("highpass",),
        choices=("cut_weight", "treated"),
    ),
    Node(
        "equalizer",
        _("the equalizer"),
        needs=("highpass", "reference", "phone", "ring"),
        choices=("response", "target", "taste", "shape_percent"),
    ),
    Node(
        "delivery",
        _("the voice chain"),
        {"talk": _VOICE_SHAPE | _GAIN},
        needs=("equalizer", "cleaning"),
        choices=("treated", "order"),
    ),
    Node(
        "diagram",
        _("the level diagram"),
        {"talk": _VOICE_SHAPE | _GAIN, "rest": _ROOM_SHAPE | _GAIN},
        needs=("delivery",),
        version=2,
    ),
)
GRAPH: dict[str, Node] = {node.name: node for node in _NODES}


def sources(name: str) -> frozenset[str]:
    """Every source that a node depends on, as keys:

    ``take:PURPOSE``, ``PURPOSE.FACT``, ``pin:STAGE``, ``choice:NAME``, ``rule:STAGE``,
    ``rule:NODE``.
    """
    return _sources(name, tuple(KINDS.values()))


@cache
def _sources(name: str, kinds: tuple[StageKind, ...]) -> frozenset[str]:
    node = GRAPH[name]
    found = {f"pin:{stage}" for stage in node.stages}
    found |= {f"rule:{stage}" for stage in node.stages} | {f"rule:{name}"}
    found |= {f"choice:{choice}" for choice in node.choices}
    for purpose, facts in node.measures.items():
        found.add(f"take:{purpose}")
        found |= {f"{purpose}.{fact}" for fact in facts}
    for needed in node.needs:
        found |= _sources(needed, kinds)
    return frozenset(found)


def rule_versions() -> dict[str, Value]:
    """The version of every rule, as sources."""
    nodes: dict[str, Value] = {f"rule:{node.name}": node.version for node in _NODES}
    # A stage and a node of one name are one rule.
    return nodes | {f"rule:{kind.kind}": kind.version for kind in KINDS.values()}


def changed(name: str, used: Mapping[str, Value], now: Mapping[str, Value]) -> tuple[Reason, ...]:
    """The sources of a node that differ from what it used.

    A source that was not recorded then cannot differ.
    """
    reasons = []
    for key in sorted(sources(name)):
        if (
            key in used
            and used[key] != now.get(key)
            and not _never_taken(key, used, now)
            and not _same_gain(key, used, now)
        ):
            reasons.append(Reason(key, used[key], now.get(key)))
    return tuple(
        sorted(
            reasons,
            key=lambda reason: (
                reason.source.startswith(("pin:", "choice:", "rule:")),
                _rank(reason.source),
            ),
        )
    )


def _never_taken(key: str, used: Mapping[str, Value], now: Mapping[str, Value]) -> bool:
    """Whether a fact is of a take that there was not and is not: nothing stands on it."""
    purpose, dot, _ = key.partition(".")
    take = f"take:{purpose}"
    return bool(dot) and take in used and used[take] is None and now.get(take) is None


def _same_gain(key: str, used: Mapping[str, Value], now: Mapping[str, Value]) -> bool:
    """Whether a gain in dB differs only because more is known of it: it was unknown, or a dial
    at the same mark was learned since."""
    purpose, _, fact = key.partition(".")
    if fact != "gain_db":
        return False
    dial = f"{purpose}.dial"
    return (
        used[key] is None
        or now.get(key) is None
        or (used.get(dial) is not None and used.get(dial) == now.get(dial))
    )


def why_stale(name: str, used: Mapping[str, Value], now: Mapping[str, Value]) -> str | None:
    """The sentence that says what changed since, the weightiest first, None when nothing did."""
    reasons = changed(name, used, now)
    if not reasons:
        return None
    # A numbered dial says it in its own marks; the decibels behind it are the same change once
    # more.
    dials = {
        reason.source.partition(".")[0] for reason in reasons if reason.source.endswith(".dial")
    }
    reasons = tuple(
        r
        for r in reasons
        if not (r.source.endswith(".gain_db") and r.source.partition(".")[0] in dials)
    )
    sentences: list[str] = []
    for reason in reasons:
        sentence = reason.sentence(_titles())
        if sentence not in sentences:
            sentences.append(sentence)
    return " ".join(sentences[:2])


_ORDER = (
    "gain_db",
    "dial",
    "pad_on",
    "slider",
    "trim_db",
    "program_db",
    "distance_cm",
    "angle_deg",
    "height_cm",
)


def _rank(source: str) -> tuple[int, str]:
    fact = source.partition(".")[2]
    return (_ORDER.index(fact) if fact in _ORDER else len(_ORDER), source)


def can_derive(reasons: Iterable[Reason], moves: frozenset[str]) -> bool:
    """Whether what is at hand can derive a stale answer anew: newer takes, pins and choices can,
    and facts whose effect is known."""
    return all(
        ":" in reason.source or reason.source.partition(".")[2] in moves for reason in reasons
    )


def _titles() -> dict[str, str]:
    """What each rule is called: the answers of the graph, and the stages."""
    nodes = {node.name: node.title for node in _NODES}
    return nodes | {
        kind.kind: _("the {title}", title=within(kind.title)) for kind in KINDS.values()
    }
