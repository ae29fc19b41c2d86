"""What each listener gets, derived: by its kind, by what each source measures, and by what a person holds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.limiter import LinkedLimiter
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.words import Word, pauses_s
from obsidian_wren.core.mix.ducking import Ducker, Ducking, ducked
from obsidian_wren.core.mix.engine import RELEASE_S, Mix, MixSend
from obsidian_wren.core.mix.kinds import RULES, VOICE_OVER_LU, KindRule, MixPins, Share
from obsidian_wren.core.mix.routes import Destination, RouteRefused, Routing, Send, Source, admit

_VOICES = ("voice", "second")
# The signal under which others drop.
OVER = "voice treated"
_NEAR_LU = 0.1
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


def derive_mix(
    listener: Destination,
    routing: Routing,
    measured: Mapping[str, Measured],
    pins: MixPins | None = None,
    *,
    trim_db: float = 0.0,
    deeper_db: float = 0.0,
) -> MixPlan:
    """The mix of one listener. ``measured`` is by signal; ``trim_db`` brings the sum to the aim once it is known, ``deeper_db``
    lets what drops under the voice drop further."""
    pins = pins or MixPins()
    rule = RULES[listener.kind]
    aim = rule.aim_lufs if pins.aim_lufs is None else pins.aim_lufs
    channels = rule.channels if pins.channels is None else pins.channels
    sends = tuple(
        _send(send, routing.sources[send.source], rule, measured, pins, aim, channels, trim_db, deeper_db)
        for send in routing.to(listener.key)
    )
    heard = {plan.send.source for plan in sends}
    kept_out = tuple((key, _kept_out(source, listener, rule, routing)) for key, source in routing.sources.items() if key not in heard)
    ceiling = rule.ceiling_dbtp if pins.ceiling_dbtp is None else pins.ceiling_dbtp
    return MixPlan(listener, sends, kept_out, aim, ceiling, channels, rule.because)


def _send(
    send: Send, source: Source, rule: KindRule, measured: Mapping[str, Measured], pins: MixPins, aim: float, channels: int, trim_db: float,
    deeper_db: float,
) -> SendPlan:  # fmt: skip
    share = rule.shares.get(source.kind, Share(6.0, 12.0))
    pinned = source.key in pins.under_lu or source.key in pins.duck_db
    under = pins.under_lu.get(source.key, share.under_lu)
    # One who holds a level lower than the rule's needs no drop beyond what is still missing.
    derived = 0.0 if share.kept_under_lu is None else max(0.0, share.kept_under_lu - under)
    # Several at once are louder than each; a step of a decibel keeps the number plain.
    derived += float(np.ceil(deeper_db)) if derived > 0.0 else 0.0
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
    """What comes out of a mix of takes and samples of every signal, ``(n,)`` or ``(n, 2)`` each.

    Signals that the material lacks count as silent.
    """
    return Foresight(material, ducking=ducking, rate_hz=rate_hz).outcome(plan)


class Foresight:
    """Material to foresee mixes with; what all mixes share is worked out once."""

    def __init__(self, material: Mapping[str, Samples], *, ducking: Ducking, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._material = material
        self._count = max((len(block) for block in material.values()), default=0)
        voice = np.zeros(self._count)
        spoken = material.get(OVER)
        if spoken is not None:
            voice[: len(spoken)] = spoken if spoken.ndim == 1 else spoken.mean(axis=1)
        self._gains: dict[float, Samples] = {}
        self._shares = Ducker(ducking, rate_hz=rate_hz).shares(voice)

    def outcome(self, plan: MixPlan) -> Outcome:
        """Run a mix over the material and measure what comes out."""
        heard = self._limited(self._sum(plan.mix().sends, plan.channels), plan)
        lufs = integrated_lufs(heard, rate_hz=self._rate_hz)
        peaks = [true_peak_dbtp(np.ascontiguousarray(channel)) for channel in heard.T]
        return Outcome(lufs if np.isfinite(lufs) else None, max(peaks, default=-np.inf), self.voice_over(plan))

    def loudness(self, plan: MixPlan) -> float:
        """The loudness of a mix alone, LUFS."""
        return integrated_lufs(self._limited(self._sum(plan.mix().sends, plan.channels), plan), rate_hz=self._rate_hz)

    def _sum(self, sends: Sequence[MixSend], channels: int) -> Samples:
        total = np.zeros((self._count, channels))
        for send in sends:
            block = self._material.get(send.signal)
            if block is None:
                continue
            wide = block[:, None] if block.ndim == 1 else block
            if wide.shape[1] > channels:
                wide = wide.mean(axis=1, keepdims=True)
            gain = amplitude_from_db(send.gain_db)
            if not send.duck_db:
                total[: len(wide)] += wide * gain
                continue
            total[: len(wide)] += wide * (gain * self._ducked(send.duck_db)[: len(wide), None])
        return total

    def _ducked(self, depth_db: float) -> Samples:
        """The gain of what drops so far, ``(n,)``."""
        if depth_db not in self._gains:
            self._gains[depth_db] = ducked(self._shares, depth_db)
        return self._gains[depth_db]

    def _limited(self, mixed: Samples, plan: MixPlan) -> Samples:
        limiter = LinkedLimiter(channels=plan.channels, ceiling_dbtp=plan.ceiling_dbtp, release_s=RELEASE_S, rate_hz=self._rate_hz)
        step = round(self._rate_hz)
        return np.concatenate([limiter.process(mixed[at : at + step]) for at in range(0, len(mixed), step)]) if len(mixed) else mixed

    def voice_over(self, plan: MixPlan) -> float | None:
        """By how many LU the voice stands, while it speaks, over all that drops under it; None without either."""
        sends = plan.mix().sends
        voice = [send for send in sends if send.signal == OVER]
        bed = [send for send in sends if send.signal != OVER and send.duck_db > 0.0]
        if not voice or not bed or OVER not in self._material:
            return None
        alone, under = self._sum(voice, plan.channels), self._sum(bed, plan.channels)
        frames = round(0.05 * self._rate_hz)
        count = len(alone) // frames
        energy = np.einsum("ij,ij->i", alone[: count * frames], alone[: count * frames]).reshape(count, -1).mean(axis=1)
        speaking = energy > 10.0 ** (-1.5) * energy.mean()
        # What the voice stands over is measured where it speaks, each weighted as the ear does.
        mask = np.repeat(speaking, frames)
        spoken, beneath = (integrated_lufs(sound[: count * frames][mask], rate_hz=self._rate_hz) for sound in (alone, under))
        return spoken - beneath if np.isfinite([spoken, beneath]).all() else None


@dataclass(frozen=True)
class Landing:
    """What brings a mix to its aims: dB on the whole, further dB of ducking, and what comes out then."""

    trim_db: float
    deeper_db: float
    outcome: Outcome


def land(
    listener: Destination, routing: Routing, measured: Mapping[str, Measured], foresight: Foresight, pins: MixPins | None = None
) -> Landing:
    """Bring a mix to its loudness on the material.

    What drops under the voice drops further where all of it together would come too near. The limiter bends the way to the loudness, so
    it is gone in steps.
    """
    trim, deeper = 0.0, 0.0
    plan = derive_mix(listener, routing, measured, pins)
    over = foresight.voice_over(plan)
    if over is not None and over < VOICE_OVER_LU:
        deeper = VOICE_OVER_LU - over
        plan = derive_mix(listener, routing, measured, pins, deeper_db=deeper)
    for _ in range(4):
        lufs = foresight.loudness(plan)
        if not np.isfinite(lufs) or abs(plan.aim_lufs - lufs) < _NEAR_LU:
            break
        trim += plan.aim_lufs - lufs
        plan = derive_mix(listener, routing, measured, pins, trim_db=trim, deeper_db=deeper)
    return Landing(trim, deeper, foresight.outcome(plan))


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
    return Ducking(threshold, 15.0, hold, release), because
