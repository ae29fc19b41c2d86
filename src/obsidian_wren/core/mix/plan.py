"""What each listener gets, derived: by its kind, by what each source measures, and by what a person holds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.words import Word, pauses_s
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixEngine, MixSend
from obsidian_wren.core.mix.kinds import RULES, KindRule, Share
from obsidian_wren.core.mix.routes import Destination, RouteRefused, Routing, Send, Source, admit

_VOICES = ("voice", "second")
# One channel put on both sides is 3 dB louder (BS.1770-5 adds the channels' power).
_BOTH_SIDES_LU = 3.0103
_PART_OF_A_PHRASE_S = 0.35


@dataclass(frozen=True)
class Measured:
    """How loud a signal comes: LUFS folded to one channel, and as it is heard on two."""

    mono_lufs: float
    stereo_lufs: float

    @classmethod
    def of(cls, samples: Samples, *, rate_hz: float) -> Measured | None:
        """Measure ``(n,)`` or ``(n, 2)`` samples; None where nothing passes the gates."""
        mono = samples if samples.ndim == 1 else samples.mean(axis=1)
        both = np.column_stack([samples, samples]) if samples.ndim == 1 else samples
        found = cls(integrated_lufs(mono, rate_hz=rate_hz), integrated_lufs(both, rate_hz=rate_hz))
        return found if np.isfinite([found.mono_lufs, found.stereo_lufs]).all() else None

    def on(self, channels: int) -> float:
        """Its loudness in a mix of one or two channels."""
        return self.mono_lufs if channels == 1 else self.stereo_lufs


@dataclass(frozen=True)
class MixPins:
    """What a person holds of one listener's mix; None and missing keys are derived."""

    aim_lufs: float | None = None
    ceiling_dbtp: float | None = None
    channels: int | None = None
    under_lu: Mapping[str, float] = field(default_factory=dict)
    duck_db: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class SendPlan:
    """One source in a mix: gain, the loudness at which it arrives (None while it was not measured), how far it drops, and why."""

    send: Send
    gain_db: float
    lufs: float | None
    duck_db: float
    pinned: bool
    because: str


@dataclass(frozen=True)
class MixPlan:
    """One listener's mix. ``kept_out`` names each source that it does not get, with the reason."""

    listener: Destination
    sends: tuple[SendPlan, ...]
    kept_out: tuple[tuple[str, str], ...]
    aim_lufs: float
    ceiling_dbtp: float
    channels: int
    because: str

    def mix(self) -> Mix:
        """The mix as the engine runs it."""
        sends = tuple(MixSend(signal_of(plan.send), plan.gain_db, plan.duck_db) for plan in self.sends)
        return Mix(self.listener.key, sends, self.channels, self.ceiling_dbtp)


@dataclass(frozen=True)
class Outcome:
    """What a listener would hear of some material: loudness in LUFS, true peak in dBTP, and by how many LU the voice stands over the rest
    while it speaks (None without a rest)."""

    lufs: float | None
    true_peak_dbtp: float
    voice_over_lu: float | None


def signal_of(send: Send) -> str:
    """The name under which a send's sound runs through the engine."""
    return f"{send.source} {send.tap}" if send.source in _VOICES else send.source


def usual_sends(sources: Sequence[Source], destinations: Sequence[Destination]) -> Routing:
    """Every listener gets what its kind gets by rule, as far as no loop or double comes of it."""
    routing = Routing({s.key: s for s in sources}, {d.key: d for d in destinations})
    for listener in destinations:
        for source in sources:
            if source.kind in RULES[listener.kind].shares and source.of != listener.key:
                try:
                    routing = admit(routing, Send(source.key, listener.key))
                except RouteRefused:
                    continue
    return routing


def derive_mix(
    listener: Destination, routing: Routing, measured: Mapping[str, Measured], pins: MixPins | None = None, *, trim_db: float = 0.0
) -> MixPlan:
    """The mix of one listener. ``measured`` is by signal; ``trim_db`` brings the sum to the aim once it is known."""
    pins = pins or MixPins()
    rule = RULES[listener.kind]
    aim = rule.aim_lufs if pins.aim_lufs is None else pins.aim_lufs
    channels = rule.channels if pins.channels is None else pins.channels
    sends = tuple(
        _send(send, routing.sources[send.source], rule, measured, pins, aim, channels, trim_db) for send in routing.to(listener.key)
    )
    heard = {plan.send.source for plan in sends}
    kept_out = tuple((key, _kept_out(source, listener, rule, routing)) for key, source in routing.sources.items() if key not in heard)
    ceiling = rule.ceiling_dbtp if pins.ceiling_dbtp is None else pins.ceiling_dbtp
    return MixPlan(listener, sends, kept_out, aim, ceiling, channels, rule.because)


def _send(
    send: Send, source: Source, rule: KindRule, measured: Mapping[str, Measured], pins: MixPins, aim: float, channels: int, trim_db: float
) -> SendPlan:  # fmt: skip
    share = rule.shares.get(source.kind, Share(6.0, 12.0))
    pinned = source.key in pins.under_lu or source.key in pins.duck_db
    under = pins.under_lu.get(source.key, share.under_lu)
    # One who holds a level lower than the rule's needs no drop beyond what is still missing.
    derived = 0.0 if share.kept_under_lu is None else max(0.0, share.kept_under_lu - under)
    duck = pins.duck_db.get(source.key, derived)
    known = measured.get(signal_of(send))
    if known is None:
        return SendPlan(send, trim_db - under, None, duck, pinned, "Not measured yet, so it comes as it is until it has sounded.")
    gain = aim - under - known.on(channels)
    where = "at the listener's loudness" if under == 0.0 else f"{under:g} LU under your voice"
    drop = f"; drops {duck:g} dB more while you speak" if duck else ""
    because = f"It comes at {known.on(channels):.1f} LUFS and belongs {where}{drop}."
    return SendPlan(send, gain + trim_db, aim - under + trim_db, duck, pinned, because)


def _kept_out(source: Source, listener: Destination, rule: KindRule, routing: Routing) -> str:
    if source.of == listener.key:
        return "nobody hears themselves"
    if source.kind in rule.kept_out:
        return rule.kept_out[source.kind]
    try:
        admit(routing, Send(source.key, listener.key))
    except RouteRefused as refused:
        return str(refused)
    return "you keep it out"


def predict(plan: MixPlan, material: Mapping[str, Samples], *, ducking: Ducking, rate_hz: float) -> Outcome:
    """Run the mix over takes and samples of every signal, ``(n,)`` or ``(n, 2)`` each, and measure what comes out.

    Signals that the material lacks count as silent.
    """
    over = "voice treated"
    heard = _run(plan.mix(), material, over, ducking, rate_hz)
    lufs = integrated_lufs(heard, rate_hz=rate_hz)
    peaks = [true_peak_dbtp(np.ascontiguousarray(channel)) for channel in heard.T]
    return Outcome(lufs if np.isfinite(lufs) else None, max(peaks), _voice_over(plan, material, over, ducking, rate_hz))


def _run(mix: Mix, material: Mapping[str, Samples], over: str, ducking: Ducking, rate_hz: float) -> Samples:
    engine = MixEngine([mix], over=over, ducking=ducking, rate_hz=rate_hz)
    count = max((len(block) for block in material.values()), default=0)
    step = round(0.2 * rate_hz)
    parts = [engine.process({name: block[at : at + step] for name, block in material.items()}) for at in range(0, count, step)]
    return np.concatenate([part[mix.listener] for part in parts]) if parts else np.zeros((0, mix.channels))


def _voice_over(plan: MixPlan, material: Mapping[str, Samples], over: str, ducking: Ducking, rate_hz: float) -> float | None:
    mix = plan.mix()
    voice = [send for send in mix.sends if send.signal == over]
    bed = [send for send in mix.sends if send.signal != over and send.duck_db > 0.0]
    if not voice or not bed or over not in material:
        return None
    alone = _run(replace(mix, sends=tuple(voice), ceiling_dbtp=0.0), material, over, ducking, rate_hz)
    under = _run(replace(mix, sends=tuple(bed), ceiling_dbtp=0.0), material, over, ducking, rate_hz)
    frames = round(0.05 * rate_hz)
    count = len(alone) // frames
    energy = [(sound[: count * frames] ** 2).reshape(count, -1).mean(axis=1) for sound in (alone, under)]
    speaking = energy[0] > 10.0 ** (-1.5) * energy[0].mean()
    # What the voice stands over is measured where it speaks, each weighted as the ear does.
    mask = np.repeat(speaking, frames)
    spoken, beneath = (integrated_lufs(sound[: count * frames][mask], rate_hz=rate_hz) for sound in (alone, under))
    return spoken - beneath if np.isfinite([spoken, beneath]).all() else None


def land(
    listener: Destination, routing: Routing, measured: Mapping[str, Measured], material: Mapping[str, Samples], pins: MixPins | None = None,
    *, ducking: Ducking, rate_hz: float,
) -> tuple[MixPlan, Outcome]:  # fmt: skip
    """The mix whose sum meets the aim on the material, and what it gives. The limiter bends the way there, so it is gone in steps."""
    trim = 0.0
    plan = derive_mix(listener, routing, measured, pins)
    outcome = predict(plan, material, ducking=ducking, rate_hz=rate_hz)
    for _ in range(4):
        if outcome.lufs is None or abs(plan.aim_lufs - outcome.lufs) < 0.1:
            break
        trim += plan.aim_lufs - outcome.lufs
        plan = derive_mix(listener, routing, measured, pins, trim_db=trim)
        outcome = predict(plan, material, ducking=ducking, rate_hz=rate_hz)
    return plan, outcome


def derive_ducking(words: Sequence[Word], *, active_dbfs: float, room_dbfs: float) -> tuple[Ducking, str]:
    """Threshold and times from this voice, and why. Levels in dBFS (AES17) behind the chain; the depth is each send's own."""
    pauses = pauses_s(tuple(words))
    inside, between = pauses[pauses < _PART_OF_A_PHRASE_S], pauses[pauses >= _PART_OF_A_PHRASE_S]
    threshold = max(active_dbfs - 14.0, min(room_dbfs + 10.0, active_dbfs - 6.0))
    hold = float(np.clip(1000.0 * np.percentile(inside, 95), 150.0, 350.0)) if len(inside) >= 5 else 250.0
    release = float(np.clip(1000.0 * np.percentile(between, 50) / 2.0, 200.0, 900.0)) if len(between) >= 2 else 400.0
    because = (
        f"19 of 20 pauses inside your phrases are over in {hold:.0f} ms, so it holds that long; between phrases you pause long enough to "
        f"come back in {release:.0f} ms."
    )
    return Ducking(0.0, threshold, 15.0, hold, release), because
