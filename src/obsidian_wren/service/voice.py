"""The voice chain of the rig in hand: derived from its takes stage by stage, kept with what it stood on, and handed to what runs."""

from __future__ import annotations

import json
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, replace
from typing import Any

import numpy as np
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.engine import VoiceChain, render
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.chain.stages import BY_KIND
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.derive.aims import Aims, Taste, Wishes
from obsidian_wren.core.derive.chain_plan import Ask, ChainPlan, Landing, ask_rule, derive_chain
from obsidian_wren.core.derive.gate_evidence import GateEvidence
from obsidian_wren.core.derive.ground import Ground, ToneGround, prepare
from obsidian_wren.core.derive.prediction import quiet_at_gain, talk_at_gain
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan
from obsidian_wren.core.derive.tone import Tone
from obsidian_wren.core.derive.tone_target import Target, average_speech, imported, same_voice
from obsidian_wren.core.measure.decay import Ring, response_from_sweep, ring_of_response, ring_of_speech, sweep_signal
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.measure.resonances import find_resonances
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ, mean_spectrum
from obsidian_wren.formats.plain import plain
from obsidian_wren.formats.response import response_at
from obsidian_wren.service.answers import keep_answer, moved_since
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import facts_of, stale_take
from obsidian_wren.service.kept import Takes, band_rows, is_in_hand, stage_rows
from obsidian_wren.service.measuring import quiet_reading, room_shift_db, samples_of, talk_reading
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Response, Rig, Setting, StageRow, Take
from obsidian_wren.store.models import Target as TargetRow

# What can be told before the passage is read.
_BEFORE_PASSAGE = ("highpass", "deplosive", "noise_reduction", "ring_reduction", "gate")
# A longer take tells nothing more, and the takes are held at every stage.
_LONGEST_S = 90.0
_MOST_PASSAGES = 4
_POOL = ThreadPoolExecutor(2, thread_name_prefix="takes")


def wishes_of(rig: Rig) -> Wishes:
    """What the person wants of the treated voice; the usual where they said nothing."""
    said = rig.wishes
    aims: dict[str, Any] = {name: tuple(value) if isinstance(value, list) else value for name, value in said.get("aims", {}).items()}
    return Wishes(Aims(**aims), Taste(**said.get("taste", {})), float(said.get("cut_weight", Wishes().cut_weight)))


def order_of(rig: Rig) -> tuple[str, ...]:
    """The stages in the person's order."""
    return tuple(rig.stage_order) if sorted(rig.stage_order) == sorted(STAGE_KINDS) else STAGE_KINDS


def derive_voice(ws: Workshop, session: Session, rig: Rig, takes: Takes, *, refit: bool = False) -> None:
    """Derive the chain from the newest takes; the equalizer is fitted anew with ``refit``, else judged as it stands. Pins stay.

    Without a passage only what comes before the tone is derived. Raises Refused when the takes cannot carry it.
    """
    voice = takes.voice
    if takes.quiet is None or voice is None:
        if takes.quiet is None and takes.passage is not None and refit:
            raise Refused(
                "no-quiet", "The room was not taken yet, so nobody knows where your voice ends and the room begins. Do Quiet first."
            )
        return
    moved, predicted = moved_since(ws, session, rig, voice)
    ground, key = ground_of(ws, session, rig, takes, moved, refit=refit)
    toned = takes.passage is not None and (refit or bool(band_rows(session, rig)))
    order = tuple(kind for kind in order_of(rig) if toned or kind in _BEFORE_PASSAGE)
    try:
        plan = derive_chain(
            ground, _pins(session, rig), order=order, follow=follower(ws, key), ask=_asker(ws, session, rig, takes, key, refit=refit)
        )
    except ValueError as error:
        raise Refused(
            "too-noisy",
            "The voice stands over the room in less than one octave, so its tone cannot be told. Go closer to the microphone or quieten the room.",
        ) from error
    _keep_stages(session, rig, plan.stages)
    _keep_answers(ws, session, rig, takes, plan, ground, predicted, refit=refit, toned=toned)
    if not toned:
        return
    if not is_in_hand(session, rig):
        # What is live is another rig's.
        return
    if ws.run is not None:
        ws.run.change_chain(plan.specs())
    if ws.ears is not None:
        ws.ears.follow(plan.specs())


def follower(ws: Workshop, key: tuple[Any, ...]) -> Any:
    """Takes brought through a stage, side by side, and remembered: a change late in the chain leaves what comes before it."""

    def follow(ground: Ground, spec: StageSpec) -> Ground:
        if not spec.on:
            return ground
        after: Ground = ws.grounds.get((key, ground.passed, spec), lambda: ground.after(spec, _POOL.map))
        # What is remembered are the sounds; what is known beside them may have changed.
        return replace(after, wishes=ground.wishes, tone=ground.tone, ring=ground.ring, talk_reading=ground.talk_reading)

    return follow


def _asker(ws: Workshop, session: Session, rig: Rig, takes: Takes, key: tuple[Any, ...], *, refit: bool) -> Ask:
    """Rules' answers, remembered as long as nothing that they stand on changed: the sounds, the stages before, wishes, pins, the tone's
    own ground."""
    ring = tuple(take.id if take else None for take in (takes.of("clap"), takes.of("sweep")))
    reference = takes.of("reference")
    tone = (
        refit, takes.passage.id if takes.passage else None, json.dumps([[row.value, row.pinned] for row in band_rows(session, rig)]),
        rig.microphone.response_id, json.dumps(rig.wishes, sort_keys=True), reference.id if reference else None,
        len(passages(ws, session, rig, takes)) if takes.passage else 0,
    )  # fmt: skip

    def answer(kind: str, ground: Ground, pins: Pins) -> StagePlan:
        # The gain is solved under the ceiling of the limiter, so it stands on that pin too.
        kinds = (kind, "limiter") if kind == "gain" else (kind,)
        held = tuple(sorted((name, value) for name, value in pins.numbers.items() if name[0] in kinds))
        stands_on = (kind, key, ground.passed, ground.lifted_db, held, pins.switches.get(kind), ring, tone)
        found: StagePlan = ws.answers.get(stands_on, lambda: ask_rule(kind, ground, pins))
        return found

    return answer


def _cut(samples: Samples, rate_hz: float) -> Samples:
    return samples[: round(_LONGEST_S * rate_hz)]


def ground_of(ws: Workshop, session: Session, rig: Rig, takes: Takes, moved: float, *, refit: bool) -> tuple[Ground, tuple[Any, ...]]:
    """The ground before any stage, at the gain of now, and a key for its sounds."""
    voice, rest, used = takes.voice, takes.quiet, takes.of("in-use")
    assert voice is not None and rest is not None
    rest_db, used_db = room_shift_db(rest, voice, rig) + moved, 0.0
    if used is not None:
        used_db = room_shift_db(used, voice, rig) + moved
    key = (voice.sha256, rest.sha256, used.sha256 if used else None, moved, rest_db, used_db)
    reading = talk_at_gain(talk_reading(ws, takes.passage or voice, rest, rig), moved)
    room = quiet_at_gain(quiet_reading(ws, rest), rest_db)

    def make() -> Ground:
        return prepare(
            _cut(samples_of(ws, voice), voice.rate_hz) * amplitude_from_db(moved), samples_of(ws, rest) * amplitude_from_db(rest_db),
            None if used is None else samples_of(ws, used) * amplitude_from_db(used_db),
            rate_hz=voice.rate_hz, rest_rate_hz=rest.rate_hz, in_use_rate_hz=used.rate_hz if used else None,
            talk_reading=reading, quiet_reading=room,
        )  # fmt: skip

    ground: Ground = ws.grounds.get(key, make)
    ring = ring_of(ws, takes) or ws.answers.get(
        ("speech ends", key), lambda: ring_of_speech(ground.talk, ground.words, rate_hz=ground.rate_hz)
    )
    tone = _tone_ground(ws, session, rig, takes, refit=refit)
    return replace(ground, wishes=wishes_of(rig), ring=ring, tone=tone, talk_reading=reading, quiet_reading=room), key


def ring_of(ws: Workshop, takes: Takes) -> Ring | None:
    """The ring of the room from the newest clap or sweep."""
    clap, sweep = takes.of("clap"), takes.of("sweep")
    newest = max((take for take in (clap, sweep) if take is not None), key=lambda take: take.id, default=None)
    if newest is None:
        return None
    rate = newest.rate_hz

    def measure() -> Ring | None:
        heard = samples_of(ws, newest)
        if newest.purpose == "clap":
            return ring_of_response(heard, rate_hz=rate)
        return ring_of_response(response_from_sweep(heard, sweep_signal(rate_hz=rate), rate_hz=rate), rate_hz=rate, method="sweep")

    found: Ring | None = ws.readings.get(("ring", newest.sha256), measure)
    return found


def _tone_ground(ws: Workshop, session: Session, rig: Rig, takes: Takes, *, refit: bool) -> ToneGround | None:
    """Passages averaged, the room moved to their gain, the target, and the bands that stand."""
    if takes.passage is None or takes.quiet is None:
        return None
    passage = _averaged(ws, session, rig, takes)
    quiet = quiet_at_gain(quiet_reading(ws, takes.quiet), room_shift_db(takes.quiet, takes.passage, rig))
    rows = band_rows(session, rig)
    standing = None if refit else tuple((band_of(row.value), row.pinned) for row in rows)
    return ToneGround(
        passage, quiet, target_of(ws, session, rig, takes), response_points(session, rig),
        tuple(band_of(row.value) for row in rows if row.pinned), standing,
    )  # fmt: skip


def passages(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> list[Take]:
    """The passages that still hold, newest first: those that were read in this rig as it stands."""
    present = {f"passage.{fact}": value for fact, value in facts_of(ws, session, rig).items()}
    rows = session.scalars(
        select(Take)
        .where(Take.rig_id == rig.id, Take.purpose == "passage", Take.fault.is_(None), Take.discarded.is_(False))
        .order_by(Take.id.desc())
    )
    newest = takes.passage
    return [take for take in rows if take is newest or stale_take(take, present) is None][:_MOST_PASSAGES]


def _averaged(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> TalkReading:
    readings = [talk_reading(ws, take, takes.quiet, rig) for take in passages(ws, session, rig, takes)]
    first = readings[0]
    if len(readings) == 1:
        return first
    spectrum = mean_spectrum([reading.voice for reading in readings])
    return replace(first, voice=spectrum, stretches_db=np.concatenate([reading.stretches_db for reading in readings]))


def target_of(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> Target | None:
    """The target that the person chose; None for the usual one."""
    said = rig.wishes.get("target", {})
    match said.get("kind"):
        case "lower voice":
            return average_speech()
        case "higher voice":
            return average_speech(higher=True)
        case "reference take":
            reference = takes.of("reference")
            return None if reference is None else same_voice(talk_reading(ws, reference, takes.quiet, rig).voice)
        case "imported":
            row = session.get(TargetRow, said.get("id") or 0)
            return None if row is None else imported(row.rows, name=row.name)
    return None


def response_points(session: Session, rig: Rig) -> np.ndarray | None:
    """The microphone's response file at the points of the fit, dB; None without a file."""
    row = session.get(Response, rig.microphone.response_id) if rig.microphone.response_id is not None else None
    if row is None:
        return None
    hz, db = np.array([r[0] for r in row.rows]), np.array([r[1] for r in row.rows])
    return response_at(POINT_HZ, hz, db)


def _pins(session: Session, rig: Rig) -> Pins:
    rows = session.scalars(select(Setting).where(Setting.rig_id == rig.id, Setting.pinned.is_(True), Setting.stage != "equalizer"))
    numbers = {(row.stage, row.name): float(row.value) for row in rows}
    return Pins(numbers, {row.kind: row.runs for row in stage_rows(session, rig).values() if row.pinned})


def _keep_stages(session: Session, rig: Rig, stages: Sequence[StagePlan]) -> None:
    kept = {(row.stage, row.name): row for row in session.scalars(select(Setting).where(Setting.rig_id == rig.id))}
    for stage in stages:
        for name, setting in stage.settings.items():
            row = kept.get((stage.kind, name)) or Setting(rig_id=rig.id, stage=stage.kind, name=name)
            row.value, row.unit, row.derived = setting.value, setting.unit, setting.derived
            row.pinned, row.because = setting.pinned, setting.because
            session.add(row)
        matter = {name: plain(value) for name, value in stage.matter.items() if name != "bands"}
        switch = stage.switch
        session.merge(
            StageRow(
                rig_id=rig.id, kind=stage.kind, runs=switch.on, derived=switch.derived, pinned=switch.pinned, because=switch.because,
                matter=matter,
            )
        )  # fmt: skip
    session.flush()


def _keep_answers(
    ws: Workshop,
    session: Session,
    rig: Rig,
    takes: Takes,
    plan: ChainPlan,
    ground: Ground,
    predicted: str | None,
    *,
    refit: bool,
    toned: bool,
) -> None:
    moved = predicted is not None
    by_kind = {stage.kind: stage for stage in plan.stages}
    body: dict[str, Any] = {
        kind: _evidence(by_kind[kind]) for kind in ("deplosive", "noise_reduction", "ring_reduction", "gate") if kind in by_kind
    }
    body |= {"words": len(ground.words), "seconds": len(ground.talk) / ground.rate_hz, "cut_weight": ground.wishes.cut_weight}
    keep_answer(ws, session, rig, takes, "cleaning", plain(body) | {"predicted": predicted}, moved=moved)
    if not toned:
        return
    tone = by_kind["equalizer"].evidence
    assert isinstance(tone, Tone)
    _keep_bands(session, rig, tone, refit=refit)
    _keep_tone(ws, session, rig, takes, tone, ground, by_kind, refit=refit)
    voice = takes.voice
    assert voice is not None
    steady = {kind: _evidence(by_kind[kind]) for kind in ("leveller", "compressor")}
    chain = VoiceChain(plan.specs(), ground.rate_hz)
    delivery = {
        **_delivery(ground, plan.landing), "delay_ms": round(chain.delay_samples * 1000.0 / ground.rate_hz, 2), "predicted": predicted,
        "warnings": [asdict(warning) for warning in plan.order_warnings], "steady": plain(steady), **_distributions(ground, plan),
    }  # fmt: skip
    keep_answer(ws, session, rig, takes, "delivery", delivery, moved=moved)


def _evidence(stage: StagePlan) -> Any:
    found = plain(stage.evidence)
    if isinstance(stage.evidence, GateEvidence):
        found["speech"], found["room"] = ([round(float(v), 5) for v in shares] for shares in (stage.evidence.speech, stage.evidence.room))
    return found


def _delivery(ground: Ground, landing: Landing) -> dict[str, Any]:
    aims = ground.wishes.aims
    raw = ground.loudness_lufs
    return {
        "aim_lufs": aims.loudness_lufs, "tolerance_lu": aims.tolerance_lu, "aim_peaks_dbfs": list(aims.peaks_dbfs),
        "aim_range_lu": aims.range_lu, "aim_ceiling_dbtp": aims.ceiling_dbtp, "aim_floor_dbfs_a": aims.floor_dbfs_a,
        "aim_lift_db": aims.most_lift_db, "planned_lufs": plain(landing.loudness_lufs), "raw_lufs": plain(raw),
        "planned_true_peak_dbtp": plain(landing.true_peak_dbtp), "planned_peaks_dbfs": plain(landing.peaks_dbfs),
        "planned_range_lu": plain(landing.range_lu), "planned_floor_dbfs_a": plain(max(landing.floor_dbfs_a, -200.0)),
        "lift_db": plain(landing.lift_db), "limited_db": plain(landing.limited_db),
    }  # fmt: skip


def _distributions(ground: Ground, plan: ChainPlan) -> dict[str, Any]:
    """Short-term levels of the voice before and after, shares per decibel from −60 to 0 dBFS, over 50 ms of speech."""
    from obsidian_wren.core.measure.levels import frame_levels_dbfs
    from obsidian_wren.core.measure.words import within

    def shares(talk: Samples, gain_db: float) -> list[float]:
        levels = frame_levels_dbfs(talk, rate_hz=ground.rate_hz, frame_s=0.05) + gain_db
        spoken = levels[within(ground.words, (np.arange(len(levels)) + 0.5) * 0.05)]
        counts, _ = np.histogram(np.clip(spoken, -60.0, -1e-6), np.arange(-60.0, 1.0))
        return [round(float(c), 5) for c in counts / max(len(spoken), 1)]

    # What comes in is shown at the loudness of what leaves, so that only the shape differs.
    return {"levels_in": shares(ground.talk, ground.gain_to_come_db), "levels_out": shares(plan.treated.talk, 0.0)}


def band_of(value: dict[str, Any]) -> EqualizerBand:
    """A band from its row."""
    return EqualizerBand(value["shape"], value["frequency_hz"], value["gain_db"], value["q"])


def _keep_bands(session: Session, rig: Rig, tone: Tone, *, refit: bool) -> None:
    rows = band_rows(session, rig)
    if not refit:
        for row, named in zip(rows, tone.bands, strict=True):
            row.because = named.because
        return
    derived_of = {band_of(row.value): row.derived for row in rows if row.pinned}
    session.execute(delete(Setting).where(Setting.rig_id == rig.id, Setting.stage == "equalizer"))
    for number, named in enumerate(tone.bands, 1):
        band = named.band
        value = {"shape": band.shape, "frequency_hz": band.frequency_hz, "gain_db": band.gain_db, "q": band.q}
        session.add(
            Setting(
                rig_id=rig.id, stage="equalizer", name=f"band-{number}", value=value, unit="dB",
                derived=derived_of.get(named.band, value), pinned=named.pinned, because=named.because,
            )
        )  # fmt: skip
    session.flush()


def _keep_tone(
    ws: Workshop, session: Session, rig: Rig, takes: Takes, tone: Tone, ground: Ground, by_kind: dict[str, StagePlan], *, refit: bool
) -> None:
    row = session.get(Derivation, (rig.id, "tone"))
    before = dict(row.used) if row is not None else {}
    found = tone.fit
    assert ground.tone is not None
    body = {
        "points_hz": plain(POINT_HZ), "recorded_db": plain(found.recorded_db), "corrected_db": plain(found.corrected_db),
        "target_db": plain(found.target_db), "trust": plain(found.trust), "corridor_db": found.corridor_db,
        "left_over_rms_db": round(found.left_over_rms_db, 2), "worst_db": round(found.worst_db, 2),
        "low_hz": round(found.low_hz), "high_hz": round(found.high_hz), "left_alone": tone.left_alone,
        "voiced_s": round(ground.tone.passage.voiced_s, 1), "target_name": tone.target_name, "certainty_db": plain(tone.certainty_db),
        "sure_db": [plain(named.sure_db) for named in tone.bands], "passages": len(passages(ws, session, rig, takes)),
        "resonances": plain(find_resonances(ground.tone.passage.voice, ground.tone.passage.pitch_hz, low_hz=found.low_hz, high_hz=found.high_hz)),
        "sibilants": plain(by_kind["deesser"].evidence) if "deesser" in by_kind else None,
    }  # fmt: skip
    keep_answer(ws, session, rig, takes, "equalizer", body)
    if not refit and before:
        # Bands that were only judged stand on what they were fitted to, the pins apart.
        kept = session.get_one(Derivation, (rig.id, "tone"))
        kept.used = {**kept.used, **{key: value for key, value in before.items() if not key.startswith("pin:")}}


def spec_of(session: Session, rig: Rig, kind: str, rows: dict[str, StageRow]) -> StageSpec | None:
    """One stage as it stands, None before it is derived."""
    stage = rows.get(kind)
    if stage is None:
        return None
    values: dict[str, Any] = dict(stage.matter)
    if kind == "equalizer":
        values["bands"] = [band_of(row.value) for row in band_rows(session, rig)]
    for row in session.scalars(select(Setting).where(Setting.rig_id == rig.id, Setting.stage == kind)):
        if kind != "equalizer":
            values[row.name] = float(row.value)
    return BY_KIND[kind].from_settings(values, on=stage.runs)


def chain_specs(session: Session, rig: Rig, *, off: Sequence[str] = ()) -> tuple[StageSpec, ...] | None:
    """The whole chain as it stands, None before it can be derived. ``off`` are stages to leave out for once."""
    rows = stage_rows(session, rig)
    specs = [spec_of(session, rig, kind, rows) for kind in order_of(rig) if kind not in off]
    return None if any(spec is None for spec in specs) else tuple(spec for spec in specs if spec is not None)


def tone_specs(session: Session, rig: Rig) -> tuple[StageSpec, ...] | None:
    """High-pass, equalizer and low-pass: what corrects the tone. None before a fit."""
    rows = stage_rows(session, rig)
    specs = [spec_of(session, rig, kind, rows) for kind in order_of(rig) if kind in ("highpass", "equalizer", "lowpass")]
    return None if any(spec is None for spec in specs) else tuple(spec for spec in specs if spec is not None)


def correction_rows(specs: Sequence[StageSpec], rate_hz: int) -> list[list[float]]:
    """What the filters do, as rows of Hz and dB at 1/12-octave points: the spectrum of their answer to one impulse."""
    impulse = np.zeros(1 << 16)
    impulse[0] = 1.0
    spectrum = np.abs(np.fft.rfft(render(specs, impulse, rate_hz=rate_hz)))
    hz = np.fft.rfftfreq(len(impulse), 1.0 / rate_hz)
    wanted = POINT_HZ[POINT_HZ < 0.45 * rate_hz]
    return [[round(float(f), 2), round(float(20.0 * np.log10(max(np.interp(f, hz, spectrum), 1e-9))), 3)] for f in wanted]
