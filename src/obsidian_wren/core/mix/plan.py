"""What each listener gets, derived: by its kind, by what each source measures, and by what a person holds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.chain.limiter import LinkedLimiter
from obsidian_wren.core.decibels import Samples, amplitude_from_db, power_from_db
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import hop_energies, integrated_lufs, lufs_of_hops
from obsidian_wren.core.measure.words import Word, pauses_s
from obsidian_wren.core.mix.ducking import Ducker, Ducking, ducked
from obsidian_wren.core.mix.engine import RELEASE_S, Mix, MixSend
from obsidian_wren.core.mix.kinds import RULES, VOICE_OVER_LU, KindRule, MixPins, Share
from obsidian_wren.core.mix.routes import Destination, RouteRefused, Routing, Send, Source, admit

_VOICES = ("voice", "second")
# The signal under which others drop.
OVER = "voice treated"
_NEAR_LU = 0.1
_SURELY_UNDER_DB = 0.3
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

    @classmethod
    def of_one_channel(cls, lufs: float) -> Measured:
        """What one channel of that loudness measures; both sides carry it where it is heard on two."""
        return cls(lufs, lufs + _BOTH_SIDES_LU)

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


class Foresight:
    """Material to foresee mixes with: takes and samples of every signal, ``(n,)`` or ``(n, 2)`` each. What all mixes share is worked
    out once; signals that the material lacks count as silent."""

    def __init__(self, material: Mapping[str, Samples], *, ducking: Ducking, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        count = max((len(block) for block in material.values()), default=0)
        voice = np.zeros(count)
        spoken = material.get(OVER)
        if spoken is not None:
            voice[: len(spoken)] = spoken if spoken.ndim == 1 else spoken.mean(axis=1)
        shares = Ducker(ducking, rate_hz=rate_hz).shares(voice)
        self._whole = _Beside(material, shares)
        # What the voice stands over is measured where it speaks.
        self._spoken = None if spoken is None else _Beside(material, shares, _speaking(voice, rate_hz))

    def outcome(self, plan: MixPlan) -> Outcome:
        """What comes out of a mix of the material."""
        return self._outcome(plan, *_Sum.of(self._whole, plan, self._rate_hz).after(0.0, plan.ceiling_dbtp))

    def _outcome(self, plan: MixPlan, lufs: float, peak: float) -> Outcome:
        return Outcome(lufs if np.isfinite(lufs) else None, peak, self.voice_over(plan))

    def landed(self, plan: MixPlan) -> tuple[float, Outcome]:
        """The dB on the whole that bring a mix to its loudness, and what comes out then. The limiter bends the way, so it is gone in
        steps."""
        mixed = _Sum.of(self._whole, plan, self._rate_hz)
        trim = 0.0
        lufs, peak = mixed.after(trim, plan.ceiling_dbtp)
        for _ in range(4):
            if not np.isfinite(lufs) or abs(plan.aim_lufs - lufs) < _NEAR_LU:
                break
            trim += plan.aim_lufs - lufs
            lufs, peak = mixed.after(trim, plan.ceiling_dbtp)
        return trim, self._outcome(plan, lufs, peak)

    def voice_over(self, plan: MixPlan) -> float | None:
        """By how many LU the voice stands, while it speaks, over all that drops under it; None without either."""
        sends = plan.mix().sends
        voice = [send for send in sends if send.signal == OVER]
        bed = [send for send in sends if send.signal != OVER and send.duck_db > 0.0]
        if not voice or not bed or self._spoken is None:
            return None
        over, under = (integrated_lufs(self._spoken.sum(part, plan.channels).T, rate_hz=self._rate_hz) for part in (voice, bed))
        return over - under if np.isfinite([over, under]).all() else None


def _speaking(voice: Samples, rate_hz: float) -> npt.NDArray[np.bool_]:
    """Which of ``(n,)`` samples lie in frames that are louder than 15 dB under their mean."""
    frames = round(0.05 * rate_hz)
    count = len(voice) // frames
    energy = (voice[: count * frames] ** 2).reshape(count, frames).mean(axis=1)
    chosen = np.zeros(len(voice), dtype=bool)
    chosen[: count * frames] = np.repeat(energy > 10.0 ** (-1.5) * energy.mean(), frames) if count else False
    return chosen


class _Beside:
    """Signals beside each other, ``(channels, n)`` each, and how far what drops under the voice is down at each sample; all of it, or
    what is chosen."""

    def __init__(self, material: Mapping[str, Samples], shares: Samples, chosen: npt.NDArray[np.bool_] | None = None) -> None:
        self._shares = shares if chosen is None else shares[chosen]
        self._sounds: dict[str, Samples] = {}
        for name, block in material.items():
            wide = np.atleast_2d(block.T)
            self._sounds[name] = np.ascontiguousarray(wide if chosen is None else wide[:, chosen[: wide.shape[1]]])
        self._gains: dict[float, Samples] = {}

    def sum(self, sends: Sequence[MixSend], channels: int) -> Samples:
        """The sum ``(channels, n)``."""
        total = np.zeros((channels, len(self._shares)))
        for send in sends:
            if send.signal not in self._sounds:
                continue
            sound = self._sounds[send.signal]
            if len(sound) > channels:
                sound = sound.mean(axis=0, keepdims=True)
            if send.duck_db not in self._gains:
                self._gains[send.duck_db] = ducked(self._shares, send.duck_db)
            count = sound.shape[1]
            gain = amplitude_from_db(send.gain_db)
            total[:, :count] += sound * (gain * self._gains[send.duck_db][:count] if send.duck_db else gain)
        return total


@dataclass(frozen=True)
class _Sum:
    """A mix before its limiter: ``(channels, n)``, its true peak in dBTP and the K-weighted energy of its hops."""

    samples: Samples
    peak_dbtp: float
    energies: Samples
    rate_hz: float

    @classmethod
    def of(cls, signals: _Beside, plan: MixPlan, rate_hz: float) -> _Sum:
        samples = signals.sum(plan.mix().sends, plan.channels)
        peak = max((true_peak_dbtp(channel) for channel in samples), default=-np.inf)
        return cls(samples, peak, hop_energies(samples.T, rate_hz=rate_hz), rate_hz)

    def after(self, trim_db: float, ceiling_dbtp: float) -> tuple[float, float]:
        """Loudness in LUFS and true peak in dBTP behind a trim and a limiter."""
        if self.peak_dbtp + trim_db < ceiling_dbtp - _SURELY_UNDER_DB:
            # The limiter only delays this.
            return lufs_of_hops(self.energies * power_from_db(trim_db)), self.peak_dbtp + trim_db
        limiter = LinkedLimiter(channels=len(self.samples), ceiling_dbtp=ceiling_dbtp, release_s=RELEASE_S, rate_hz=self.rate_hz)
        step = round(self.rate_hz)
        scaled = (self.samples * amplitude_from_db(trim_db)).T
        heard = np.concatenate([limiter.process(scaled[at : at + step]) for at in range(0, len(scaled), step)])
        return integrated_lufs(heard, rate_hz=self.rate_hz), max(true_peak_dbtp(np.ascontiguousarray(channel)) for channel in heard.T)


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

    What drops under the voice drops further where all of it together would come too near.
    """
    deeper = 0.0
    plan = derive_mix(listener, routing, measured, pins)
    over = foresight.voice_over(plan)
    if over is not None and over < VOICE_OVER_LU:
        deeper = VOICE_OVER_LU - over
        plan = derive_mix(listener, routing, measured, pins, deeper_db=deeper)
    trim, outcome = foresight.landed(plan)
    return Landing(trim, deeper, outcome)


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
