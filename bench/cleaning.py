"""Cleaning beside a general-purpose suppressor, on voices that no rule was tuned on.

Speech from the system's generators with fan, hiss, hum and keys at known levels. ESTOI and PESQ
(wide band) against the voice alone; the suppressor is given the same seconds of noise alone. What
is asked of the gate is what the rules derive from the takes. All of Clean is hum, clicks, noise
reduction and gate with settings as for a spoiled room; reverb reduction is only offered where the
room is about as strong as the voice, so it is measured there.

Noise that moves is what ``tests/moving_noise.py`` makes, and other people, each in a room of its
own, at 0 to 20 dB under three voices in turns, in a room 55 dB under them. Clean is planned from
the room at rest, from twelve seconds of the same noise of another seed, and from the talk with the
noise in it; once with all stages and once without the learned one.

Before speech presence, hum and clicks the same voices gave ESTOI 0.751 / 0.845 / 0.950, PESQ 1.67 /
2.13 / 3.12, a fall of 15.2 dB, a kurtosis ratio of 9.50, a loss of 0.29 dB; noise reduction, reverb
and gate took 0.567 ms a block where all of Clean now takes 0.250 ms.
"""

from __future__ import annotations

import itertools
import sys
import time
import warnings
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import noisereduce
import numpy as np
import scipy.signal
import soxr
from pesq import pesq
from pystoi import stoi

from moving_noise import MOVING, in_a_room, moving
from obsidian_wren.core.chain.clicks import ClicksSpec
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.hum import HumSpec
from obsidian_wren.core.chain.learned import LearnedSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.ring_reduction import RingReductionSpec
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.chain_plan import derive_chain
from obsidian_wren.core.derive.noise_reduction import profile_rows
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.derive.take_set import prepare
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.noise_profile import noise_profile
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from rooms import recorded, talker
from voices import ACTIVE_DBFS, RATE, missing_generators, speak

VOICES = ("flite awb", "flite kal16", "espeak f3")
SNRS_DB = (5, 10, 20)
CLEAN = ("hum", "learned", "clicks", "highpass", "noise_reduction", "ring_reduction", "gate")
MOVING_VOICES, MOVING_SNRS_DB = ("flite awb", "flite slt", "flite kal16"), (0, 5, 10, 20)
ASKED_DB = 18.0
# A gate that takes less lets through.
SHUT_DB = 3.0
LINES = (1.0, 0.7, 0.5, 0.3, 0.3, 0.2, 0.15, 0.1)
_NOTHING_HELD = Pins()
Treat = Callable[[Samples], Samples]


def db(ratio: float) -> float:
    return 10.0 * float(np.log10(max(ratio, 1e-12)))


def power(sound: Samples) -> float:
    return float(np.mean(np.square(sound)))


def low(sound: Samples) -> Samples:
    return np.asarray(soxr.resample(sound, RATE, 16_000))


def quality(voice: Samples, heard: Samples) -> tuple[float, float]:
    clean, other = low(voice), low(heard)
    return float(stoi(clean, other, 16_000, extended=True)), float(pesq(16_000, clean, other, "wb"))


def noise(kind: str, seconds: float, seed: int = 5) -> Samples:
    """Hiss is white, a fan falls by 8 dB a decade from 60 Hz on; mean square 1."""
    drawn = np.random.default_rng(seed).standard_normal(round(seconds * RATE))
    if kind == "fan":
        hz = np.fft.rfftfreq(len(drawn), 1.0 / RATE)
        drawn = np.fft.irfft(np.fft.rfft(drawn) / np.maximum(hz, 60.0) ** 0.8, len(drawn))
    return np.asarray(drawn / np.sqrt(power(drawn)))


def peakiness(sound: Samples) -> float:
    """Kurtosis of the power of bins over time, the median from 200 Hz to 8 kHz."""
    frames = np.lib.stride_tricks.sliding_window_view(sound, 1024)[::512] * np.hanning(1024)
    hz = np.fft.rfftfreq(1024, 1.0 / RATE)
    found = np.abs(np.fft.rfft(frames, axis=1))[:, (hz > 200) & (hz < 8000)] ** 2
    away = found - found.mean(axis=0)
    return float(np.median((away**4).mean(axis=0) / (away**2).mean(axis=0) ** 2))


def through(*specs: StageSpec) -> Treat:
    return lambda sound: render(specs, sound, rate_hz=RATE)


def ours(rest: Samples) -> Treat:
    profile = noise_profile(rest, rate_hz=RATE)
    assert profile is not None
    return through(NoiseReductionSpec(ASKED_DB, profile_rows(profile)))


def spectral_gating(rest: Samples) -> Treat:
    def treat(sound: Samples) -> Samples:
        share = 1.0 - 10.0 ** (-ASKED_DB / 20.0)
        return np.asarray(
            noisereduce.reduce_noise(
                sound, RATE, stationary=True, y_noise=rest, prop_decrease=share
            )
        )

    return treat


def loud_speech_lost_db(voice: Samples, heard: Samples) -> float:
    levels = frame_levels_dbfs(voice, rate_hz=RATE, frame_s=0.02)
    whole = len(levels) * 960
    loud = np.repeat(levels > ACTIVE_DBFS, 960)
    left, said = heard[:whole][loud], voice[:whole][loud]
    return -db(float((left @ said) ** 2 / (said @ said) ** 2))


def steady_noise() -> None:
    suppressors = {"ours": ours, "spectral gating": spectral_gating}
    scores: dict[tuple[str, int], list[tuple[float, float]]] = {}
    falls: dict[str, list[tuple[float, float, float]]] = {}
    for name in VOICES:
        voice = speak(name, 10.0)
        for kind in ("fan", "hiss"):
            drawn = noise(kind, 22.0)
            for snr in SNRS_DB:
                size = 10.0 ** ((ACTIVE_DBFS - 3.01 - snr) / 20.0)
                rest, under = drawn[: 12 * RATE] * size, drawn[12 * RATE :] * size
                heard = voice + under
                scores.setdefault(("untreated", snr), []).append(quality(voice, heard))
                for label, make in suppressors.items():
                    treat = make(rest)
                    left = treat(heard)
                    scores.setdefault((label, snr), []).append(quality(voice, left))
                    quiet = treat(rest)[RATE:]
                    falls.setdefault(label, []).append(
                        (
                            db(power(rest[RATE:]) / power(quiet)),
                            peakiness(quiet) / peakiness(rest),
                            loud_speech_lost_db(voice, left),
                        )
                    )
    print("fan and hiss                ESTOI at 5 / 10 / 20 dB   PESQ at 5 / 10 / 20 dB")
    for label in ("untreated", *suppressors):
        means = [np.mean(scores[label, snr], axis=0) for snr in SNRS_DB]
        told = " / ".join(f"{mean[0]:.3f}" for mean in means)
        print(f"{label:26}  {told}     {' / '.join(f'{mean[1]:.2f}' for mean in means)}")
    print(f"asked {ASKED_DB:.0f} dB                 fall in pauses   kurtosis ratio   loss")
    for label, rows in falls.items():
        fall, ratio, lost = np.mean(rows, axis=0)
        print(f"{label:26}  {fall:5.1f} dB         {ratio:5.2f}            {lost:.2f} dB")


def mains(seconds: float, wander_hz: float) -> Samples:
    at = np.arange(round(seconds * RATE)) / RATE
    phase = 2.0 * np.pi * np.cumsum(50.0 + wander_hz * np.sin(2.0 * np.pi * at / 20.0)) / RATE
    wave = np.zeros(len(at))
    for number, size in enumerate(LINES, start=1):
        wave += size * np.sin(number * phase + number)
    return wave / np.sqrt(power(wave))


def hum_left() -> None:
    size = 10.0 ** ((ACTIVE_DBFS - 3.01 - 10.0) / 20.0)
    rows = [
        (k, 20.0 * np.log10(a * size * np.sqrt(2.0 / np.sum(np.square(LINES)))))
        for k, a in enumerate(LINES, start=1)
    ]
    treat = through(HumSpec(50.01, 2.0, tuple((k, float(level), -90.0) for k, level in rows)))
    for wander in (0.0, 0.02):
        left = []
        for name in VOICES:
            voice = np.concatenate([np.zeros(3 * RATE), speak(name, 20.0)])
            hum = mains(len(voice) / RATE, wander) * size
            alone = treat(hum)[5 * RATE :]
            said = (treat(hum + voice) - voice)[5 * RATE :]
            left.append((db(power(alone) / power(hum)), db(power(said) / power(hum))))
        pauses, talking = np.mean(left, axis=0)
        print(
            f"hum 10 dB under the voice, mains ± {wander:.2f} Hz:"
            f" left {pauses:.1f} dB in pauses, {talking:.1f} dB under the voice  (bar -25 dB)"
        )


def keys(seconds: float, seed: int) -> Samples:
    drawn = np.random.default_rng(seed)
    wave = np.zeros(round(seconds * RATE))
    length = round(0.012 * RATE)
    fall, at = np.exp(-np.arange(length) / (0.0025 * RATE)), 0.3
    while at < seconds - 0.1:
        edges = [drawn.uniform(800.0, 1600.0), drawn.uniform(5000.0, 8000.0)]
        band = scipy.signal.butter(2, edges, "bandpass", fs=RATE, output="sos")
        burst = scipy.signal.sosfilt(band, drawn.standard_normal(length)) * fall
        first = round(at * RATE)
        wave[first : first + length] += burst / np.abs(burst).max() * drawn.uniform(0.7, 1.0)
        at += drawn.uniform(0.12, 0.38)
    return wave


def distortion_ratio_db(voice: Samples, heard: Samples) -> float:
    """Scale-invariant signal to distortion (Le Roux and others 2019)."""
    part = voice * float(heard @ voice / (voice @ voice))
    return db(power(part) / power(heard - part))


def key_clicks() -> None:
    rows = []
    for name in VOICES:
        beside = noise("hiss", 10.0) * 10.0 ** (-70.0 / 20.0)
        voice = speak(name, 10.0) + beside
        struck = keys(10.0, 3)
        struck *= np.sqrt(power(voice) / power(struck)) * 10.0 ** (-18.7 / 20.0)
        treat = through(ClicksSpec(5.0, -15.0, 40.0))
        left = treat(voice + struck)
        rows.append(
            (
                quality(voice, voice + struck)[1],
                quality(voice, left)[1],
                distortion_ratio_db(voice, voice + struck),
                distortion_ratio_db(voice, left),
                quality(voice, treat(voice))[1],
            )
        )
    raw, treated, raw_db, treated_db, clean = np.mean(rows, axis=0)
    print(
        f"keys: PESQ {raw:.2f} -> {treated:.2f} (bar 2.9), SI-SDR {raw_db:.1f} ->"
        f" {treated_db:.1f} dB (bar 24); a voice without keys keeps PESQ {clean:.2f}"
    )


def beginnings_lost_db(voice: Samples, heard: Samples) -> list[float]:
    levels = frame_levels_dbfs(voice, rate_hz=RATE, frame_s=0.01)
    top, found = float(levels.max()), []
    for at in range(12, len(levels) - 3):
        if levels[at] > top - 30.0 and levels[at - 10 : at].max() < top - 45.0:
            part = slice(at * 480, at * 480 + 1440)
            same = float(heard[part] @ voice[part] / (voice[part] @ voice[part]))
            found.append(-db(same**2))
    return found


def planned(
    heard: Samples,
    rest: Samples,
    pins: Pins = _NOTHING_HELD,
    in_use: Samples | None = None,
) -> Sequence[StageSpec]:
    """The stages of Clean as the rules derive them from these takes."""
    quiet = read_quiet(rest, rate_hz=RATE)
    takes = prepare(
        heard,
        rest,
        in_use,
        rate_hz=RATE,
        rest_rate_hz=RATE,
        in_use_rate_hz=None if in_use is None else RATE,
        talk_reading=read_talk(heard, rate_hz=RATE, quiet=quiet),
        quiet_reading=quiet,
    )
    return derive_chain(takes, pins, sequence=CLEAN).specs()


def left_open_percent(specs: Sequence[StageSpec], sound: Samples, pauses: Samples) -> float:
    """How much of the pauses the gate, the last of the stages, lets through where it runs."""
    gate = specs[-1]
    assert isinstance(gate, GateSpec)
    before, after = (
        frame_levels_dbfs(render(chain, sound, rate_hz=RATE), rate_hz=RATE, frame_s=0.01)
        for chain in (specs[:-1], [*specs[:-1], replace(gate, on=True)])
    )
    return 100.0 * float(np.mean((before - after < SHUT_DB)[pauses[: len(after)]]))


def gate_as_planned() -> None:
    for snr in (20, 30):
        changes, beginnings = [], []
        pauses_open: list[list[float]] = []
        for name in VOICES[:2]:
            said = speak(name, 10.0)
            voice = np.concatenate([np.zeros(RATE // 2), said, np.zeros(RATE), said])
            for kind in ("fan", "hiss"):
                size = 10.0 ** ((ACTIVE_DBFS - 3.01 - snr) / 20.0)
                drawn = noise(kind, 15.0 + len(voice) / RATE, 7) * size
                rest, heard = drawn[: 15 * RATE], voice + drawn[15 * RATE :][: len(voice)]
                specs = planned(heard, rest)
                gate = next(spec for spec in specs if isinstance(spec, GateSpec))
                rest_of = [spec for spec in specs if spec is not gate]
                open_, shut = (
                    render(chain, heard, rate_hz=RATE) for chain in (rest_of, (*rest_of, gate))
                )
                changes.append(quality(voice, shut)[1] - quality(voice, open_)[1])
                reference = render(
                    [spec for spec in specs if spec.kind == "highpass"], voice, rate_hz=RATE
                )
                beginnings += beginnings_lost_db(reference, shut)
                level_only = planned(heard, rest, Pins({("gate", "likelihood_db"): 0.0}))
                levels = frame_levels_dbfs(voice, rate_hz=RATE, frame_s=0.01)
                pauses = levels < levels.max() - 60.0
                pauses_open.append(
                    [left_open_percent(chain, heard, pauses) for chain in (specs, level_only)]
                )
        print(
            f"gate as planned at {snr} dB: PESQ {np.mean(changes):+.2f} against none (bar -0.03),"
            f" beginnings of words lose {np.mean(beginnings):.1f} dB (bar 4 dB at 20 dB)"
        )
        likely, level = np.mean(pauses_open, axis=0)
        print(f"  it lets {likely:.0f} % of the pauses through, by level alone {level:.0f} %")


def regular_clicks(seed: int, seconds: float) -> Samples:
    """Bursts of 20 ms, twice a second; mean square 1."""
    rng = np.random.default_rng(seed)
    sound, length = np.zeros(round(seconds * RATE)), round(0.02 * RATE)
    fall = np.exp(-np.arange(length) / (0.005 * RATE))
    for at in np.arange(0.2, seconds - 0.1, 0.5):
        first = round((at + rng.uniform(-0.02, 0.02)) * RATE)
        sound[first : first + length] = rng.standard_normal(length) * fall
    return np.asarray(sound / np.sqrt(power(sound)))


def clicks_as_planned() -> None:
    for snr, bar in ((10, 2.2), (20, 3.0)):
        rows = []
        for seed, name in enumerate(MOVING_VOICES):
            voice = np.concatenate([np.zeros(RATE), speak(name, 10.0)])
            size = 10.0 ** ((ACTIVE_DBFS - 3.01 - snr) / 20.0)
            room = noise("hiss", 35.0, seed) * 10.0 ** ((ACTIVE_DBFS - 3.01 - 55.0) / 20.0)
            rest, other, under = np.split(room, [12 * RATE, 24 * RATE])
            heard = voice + under[: len(voice)] + regular_clicks(seed, 11.0) * size
            specs = planned(heard, rest, in_use=other + regular_clicks(40 + seed, 12.0) * size)
            left = render(specs, heard, rate_hz=RATE)
            rows.append((quality(voice, heard)[1], quality(voice, left)[1]))
        raw, treated = np.mean(rows, axis=0)
        print(f"regular clicks of 20 ms at {snr} dB: PESQ {raw:.2f} -> {treated:.2f} (bar {bar})")


def ends_lost_db(voice: Samples, open_: Samples, shut: Samples) -> list[float]:
    """What the gate takes of the last 80 ms of words, dB, as the voice alone tells where they are;
    only where they stand over the rest of the noise."""
    levels = frame_levels_dbfs(voice, rate_hz=RATE, frame_s=0.01)
    top, found = float(levels.max()), []
    for at in range(10, len(levels) - 12):
        if levels[at - 1] > top - 35.0 >= levels[at] and levels[at : at + 10].max() < top - 35.0:
            part = slice((at - 8) * 480, at * 480)
            if power(voice[part]) > power(open_[part] - voice[part]):
                found.append(db(power(open_[part]) / power(shut[part])))
    return found


def word_ends() -> None:
    lost: list[float] = []
    gates: list[bool] = []
    for snr in (10, 15, 20):
        for seed, name in enumerate(MOVING_VOICES):
            said = speak(name, 10.0)
            voice = np.concatenate([np.zeros(RATE // 2), said, np.zeros(RATE), said])
            for kind in ("fan", "hiss"):
                size = 10.0 ** ((ACTIVE_DBFS - 3.01 - snr) / 20.0)
                drawn = noise(kind, 15.0 + len(voice) / RATE, 70 + seed) * size
                rest, heard = drawn[: 15 * RATE], voice + drawn[15 * RATE :][: len(voice)]
                specs = planned(heard, rest)
                rest_of = [spec for spec in specs if spec.kind != "gate"]
                open_, shut = (render(chain, heard, rate_hz=RATE) for chain in (rest_of, specs))
                gates.append(len(rest_of) < len(specs) and specs[-1].on)
                lost += ends_lost_db(voice, open_, shut)
    clipped = 100.0 * float(np.mean(np.array(lost) > SHUT_DB))
    print(
        f"soft word ends at 10 to 20 dB that the gate clips by more than {SHUT_DB:.0f} dB:"
        f" {clipped:.0f} % of {len(lost)} (bar 10 %); the gate is on in {sum(gates)} of"
        f" {len(gates)} rooms"
    )


def everything(rest: Samples, hum_dbfs: float) -> tuple[StageSpec, ...]:
    profile = noise_profile(rest, rate_hz=RATE)
    assert profile is not None
    return (
        HumSpec(50.0, 2.0, tuple((k, hum_dbfs - 3.0 * k, -90.0) for k in range(1, 7))),
        ClicksSpec(6.0, -20.0, 40.0),
        NoiseReductionSpec(12.0, profile_rows(profile)),
        RingReductionSpec(6.0, 0.3, -15.0),
        GateSpec(-60.0, 4.0, 100.0, 12.0, 0.8, 150.0, 100.0, 2.5, 90.0, likelihood_db=0.2),
    )


def moves(kind: str, seed: int, seconds: float) -> Samples:
    """Noise that moves, or other people; mean square 1."""
    rng = np.random.default_rng(seed)
    people = {"one talker": 1, "babble": 6}
    if kind in people:
        said = np.sum([talker(rng) for _each in range(people[kind])], axis=0)
        sound = in_a_room(said[: round(seconds * RATE)], rng)
    else:
        sound = moving(kind, seed, seconds)
    return np.asarray(sound / np.sqrt(power(sound)))


def moving_noise() -> None:
    off = Pins(switches={"learned": False})
    found: dict[str, list[tuple[float, ...]]] = {}
    ons: dict[str, int] = {}
    talkers = itertools.cycle(MOVING_VOICES)
    for seed, (kind, snr) in enumerate(
        itertools.product((*MOVING, "babble", "one talker"), MOVING_SNRS_DB)
    ):
        voice = np.concatenate([np.zeros(RATE), speak(next(talkers), 10.0)])
        size = 10.0 ** ((ACTIVE_DBFS - 3.01 - snr) / 20.0)
        room = noise("hiss", 35.0, seed) * 10.0 ** ((ACTIVE_DBFS - 3.01 - 55.0) / 20.0)
        rest, other, under = np.split(room, [12 * RATE, 24 * RATE])
        in_use = other + moves(kind, 900 + seed, 12.0) * size
        heard = voice + under[: len(voice)] + moves(kind, 300 + seed, 11.0) * size
        chains = [planned(heard, rest, pins, in_use) for pins in (off, _NOTHING_HELD)]
        levels = frame_levels_dbfs(voice, rate_hz=RATE, frame_s=0.01)
        pauses = np.repeat(levels < levels.max() - 60.0, 480)
        row: list[float] = [*quality(voice, heard)]
        for specs in chains:
            left = render(specs, heard, rate_hz=RATE)
            fall = db(power(heard[: len(pauses)][pauses]) / power(left[: len(pauses)][pauses]))
            row += [*quality(voice, left), fall]
        ons[kind] = ons.get(kind, 0) + any(s.kind == "learned" and s.on for s in chains[1])
        found.setdefault(kind, []).append(tuple(row))
    print("what moves, 0 to 20 dB     untreated      without learned       as planned")
    print("                          ESTOI PESQ    ESTOI PESQ  fall     ESTOI PESQ  fall   on")
    everything_ = [row for rows in found.values() for row in rows]
    for kind, rows in (*found.items(), ("all", everything_)):
        a, b, c, d, e, f, g, h = np.mean(rows, axis=0)
        print(
            f"{kind:24}  {a:.3f} {b:.2f}    {c:.3f} {d:.2f}  {e:4.1f}     {f:.3f} {g:.2f}  {h:4.1f}"
            f"   {ons.get(kind, sum(ons.values()))} of {len(rows)}"
        )


def clean_beside_what_moves() -> None:
    """A clean voice through the learned stage as a room with a street plans it."""
    rng = np.random.default_rng(2)
    told = []
    for name in (*MOVING_VOICES, "flite rms", "recorded words"):
        voice = recorded(rng) if name == "recorded words" else speak(name, 12.0)
        voice = voice * 10.0 ** (-31.0 / 20.0) / np.sqrt(power(voice))
        room = noise("hiss", 36.0) * 10.0 ** ((ACTIVE_DBFS - 3.01 - 65.0) / 20.0)
        rest, other, under = np.split(room, 3)
        heard = voice + under[: len(voice)]
        specs = planned(heard, rest, in_use=other + moves("street", 7, 12.0) * 0.005)
        learned = [spec for spec in specs if isinstance(spec, LearnedSpec)]
        left = render(learned, heard, rate_hz=RATE)
        on = "" if learned[0].on else " (off)"
        told.append(f"{name} {quality(voice, left)[1]:.2f} of {quality(voice, heard)[1]:.2f}{on}")
    print(f"clean speech while the learned stage is on, PESQ: {', '.join(told)}  (bar 4.2 each)")
    quiet = planned(heard, rest, in_use=other)
    print(f"  in a quiet room on: {[s.kind for s in quiet if s.on]}")


def log_spectral_distance_db(one: Samples, other: Samples) -> float:
    """Root mean square over frequency of the difference of levels, the mean over frames that hold
    speech, bins 50 dB under the loudest left out."""
    frames = [
        np.abs(
            np.fft.rfft(
                np.lib.stride_tricks.sliding_window_view(x, 1024)[::512] * np.hanning(1024), axis=1
            )
        )
        ** 2
        + 1e-12
        for x in (one, other)
    ]
    spoken = frames[0].sum(axis=1) > 1e-3 * frames[0].sum(axis=1).max()
    heard = frames[0] > 1e-5 * frames[0].max()
    apart = 10.0 * np.log10(frames[0] / frames[1])
    rows = [float(np.sqrt(np.mean(apart[j][heard[j]] ** 2))) for j in np.flatnonzero(spoken)]
    return float(np.mean(rows))


def clean_speech() -> None:
    rows = []
    for name in VOICES:
        drawn = noise("hiss", 22.0) * 10.0 ** (-75.0 / 20.0)
        voice = speak(name, 10.0) + drawn[12 * RATE :]
        specs = [s for s in everything(drawn[: 12 * RATE], -75.0) if s.kind != "ring_reduction"]
        left = render(specs, voice, rate_hz=RATE)
        rows.append((log_spectral_distance_db(voice, left), quality(voice, left)[1]))
    far, score = np.mean(rows, axis=0)
    print(
        f"clean speech through all of Clean: LSD {far:.2f} dB (bar 0.5), PESQ {score:.2f} (bar 4.3)"
    )


def distant_talk() -> None:
    rows = []
    for name in VOICES:
        voice = speak(name, 10.0)
        drawn = np.random.default_rng(2).standard_normal(RATE)
        late = drawn * np.exp(-6.91 * np.arange(RATE) / (0.6 * RATE))
        late[: round(0.004 * RATE)] = 0.0
        ring = scipy.signal.fftconvolve(voice, late)[: len(voice)]
        heard = voice + ring * np.sqrt(power(voice) / power(ring))
        left = render([RingReductionSpec(6.0, 0.6, 0.0)], heard, rate_hz=RATE)
        rows.append((quality(voice, heard)[0], quality(voice, left)[0]))
    raw, treated = np.mean(rows, axis=0)
    print(f"distant talk, decay 0.6 s: ESTOI {raw:.3f} -> {treated:.3f} (bar: no worse)")


def cost() -> None:
    drawn = noise("hiss", 12.0) * 10.0 ** (-60.0 / 20.0)
    stages = everything(drawn, -60.0)
    learned = LearnedSpec(24.0, -70.0, 24.0)
    chains = {"all of Clean": stages} | {spec.kind: (spec,) for spec in (*stages, learned)}
    running = {name: VoiceChain(specs, RATE) for name, specs in chains.items()}
    blocks = (speak(VOICES[0], 10.0) + noise("hiss", 10.0) * 1e-3).reshape(-1, 480)
    spent: dict[str, list[float]] = {name: [] for name in running}
    for block in blocks:
        for name, chain in running.items():
            start = time.perf_counter()
            chain.process(block)
            spent[name].append(time.perf_counter() - start)
    told = ", ".join(f"{name} {1e3 * np.median(rows):.3f} ms" for name, rows in spent.items())
    print(
        f"a block of 10 ms, median: {told}  (bar 0.25 ms for all;"
        " learned 0.35 ms, mean"
        f" {1e3 * np.mean(spent['learned']):.3f} ms)"
    )


def main() -> None:
    warnings.filterwarnings("ignore")
    missing = missing_generators()
    if missing:
        print(f"not measured: {missing}")
        return
    steady_noise()
    hum_left()
    key_clicks()
    gate_as_planned()
    distant_talk()
    clean_speech()
    clicks_as_planned()
    word_ends()
    moving_noise()
    clean_beside_what_moves()
    cost()


if __name__ == "__main__":
    main()
