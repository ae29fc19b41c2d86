"""What the rules answered, kept in rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

import numpy as np
from sqlalchemy import delete, select

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.chain_plan import ChainPlan
from obsidian_wren.core.derive.gate_evidence import GateEvidence
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.stage_plan import StagePlan
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.derive.tone import Tone
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.resonances import find_resonances
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.core.measure.words import within
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.calibration.chain_rows import band_of
from obsidian_wren.service.calibration.setting_rows import band_rows, stage_rows
from obsidian_wren.service.calibration.take_sets import passages
from obsidian_wren.service.readings.answers import keep_answer
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation, SettingRow, StageRow


def _tenths(curve_db: Samples) -> list[float]:
    return [round(float(level), 2) for level in curve_db]


def keep_stages(ctx: RigContext, stages: Sequence[StagePlan]) -> None:
    """Keep every stage as derived: its settings and its switch."""
    kept = {
        (row.stage, row.name): row
        for row in ctx.session.scalars(select(SettingRow).where(SettingRow.rig_id == ctx.rig.id))
    }
    switches = stage_rows(ctx)
    for stage in stages:
        for name, setting in stage.settings.items():
            row = kept.get((stage.key, name)) or SettingRow(
                rig_id=ctx.rig.id, stage=stage.key, name=name
            )
            row.value, row.unit, row.derived = setting.value, setting.unit, setting.derived
            row.pinned, row.because = setting.pinned, setting.because
            ctx.session.add(row)
        switch = switches.get(stage.key) or StageRow(rig_id=ctx.rig.id, kind=stage.key)
        switch.runs, switch.derived = stage.switch.on, stage.switch.derived
        switch.pinned, switch.because = stage.switch.pinned, stage.switch.because
        switch.data = {
            name: to_jsonable(value) for name, value in stage.data.items() if name != "bands"
        }
        ctx.session.add(switch)
    ctx.session.flush()


def keep_answers(
    ctx: RigContext,
    plan: ChainPlan,
    take_set: TakeSet,
    predicted: str | None,
    *,
    refit: bool,
    toned: bool,
) -> None:
    """Keep what the rules of cleaning, tone and steadying answered, each with what it stands on.

    ``predicted`` is the sentence of a gain that was turned since; ``refit``: the tone was fitted
    anew; ``toned``: there is a tone at all.
    """
    moved = predicted is not None
    # Evidence is shown of the first stage of each kind.
    by_kind = {stage.kind: stage for stage in plan.stages if stage.key == stage.kind}
    body: dict[str, Any] = {
        kind: _evidence(stage) for kind, stage in by_kind.items() if KINDS[kind].node == "cleaning"
    }
    body |= {
        "words": len(take_set.words),
        "seconds": len(take_set.talk) / take_set.rate_hz,
        "cut_weight": take_set.preferences.cut_weight,
        "taken": plan.taken,
    }
    keep_answer(ctx, "cleaning", to_jsonable(body) | {"predicted": predicted}, moved=moved)
    if not toned:
        return
    tone = by_kind["equalizer"].evidence
    if isinstance(tone, Tone):
        _keep_bands(ctx, tone, refit=refit)
        _keep_tone(ctx, tone, take_set, by_kind, refit=refit)
    else:
        _keep_untold(ctx, by_kind["equalizer"])
    voice = ctx.takes.voice
    assert voice is not None
    steady = {
        kind: _evidence(stage)
        for kind, stage in by_kind.items()
        if KINDS[kind].steadies and stage.evidence is not None
    }
    chain = VoiceChain(plan.specs(), take_set.rate_hz)
    delivery = {
        **_delivery(take_set, plan.landing),
        "delay_ms": round(chain.delay_samples * 1000.0 / take_set.rate_hz, 2),
        "predicted": predicted,
        "warnings": [asdict(warning) for warning in plan.order_warnings],
        "steady": to_jsonable(steady),
        **_distributions(take_set, plan),
    }
    keep_answer(ctx, "delivery", delivery, moved=moved)


def _evidence(stage: StagePlan) -> Any:
    found = to_jsonable(stage.evidence)
    if isinstance(stage.evidence, GateEvidence):
        for name in ("speech", "room", "speech_likely", "room_likely"):
            found[name] = [round(float(v), 5) for v in getattr(stage.evidence, name)]
    return found


def _delivery(take_set: TakeSet, landing: Landing) -> dict[str, Any]:
    aims = take_set.preferences.aims
    raw = take_set.loudness_lufs
    return {
        "aim_lufs": aims.loudness_lufs,
        "tolerance_lu": aims.tolerance_lu,
        "aim_peaks_dbfs": list(aims.peaks_dbfs),
        "aim_range_lu": aims.range_lu,
        "aim_ceiling_dbtp": aims.ceiling_dbtp,
        "aim_floor_dbfs_a": aims.floor_dbfs_a,
        "aim_lift_db": aims.most_lift_db,
        "planned_lufs": to_jsonable(landing.loudness_lufs),
        "raw_lufs": to_jsonable(raw),
        "planned_true_peak_dbtp": to_jsonable(landing.true_peak_dbtp),
        "planned_peaks_dbfs": to_jsonable(landing.peaks_dbfs),
        "planned_range_lu": to_jsonable(landing.range_lu),
        "planned_floor_dbfs_a": to_jsonable(max(landing.floor_dbfs_a, -200.0)),
        "planned_beside_voice_dbfs_a": to_jsonable(max(landing.beside_voice_dbfs_a, -200.0)),
        "lift_db": to_jsonable(landing.lift_db),
        "limited_db": to_jsonable(landing.limited_db),
    }


def _distributions(take_set: TakeSet, plan: ChainPlan) -> dict[str, Any]:
    """Short-term levels of the voice before and after, shares per decibel from −60 to 0 dBFS,
    over 50 ms of speech."""

    def shares(talk: Samples, gain_db: float) -> list[float]:
        levels = frame_levels_dbfs(talk, rate_hz=take_set.rate_hz, frame_s=0.05) + gain_db
        spoken = levels[within(take_set.words, (np.arange(len(levels)) + 0.5) * 0.05)]
        counts, _ = np.histogram(np.clip(spoken, -60.0, -1e-6), np.arange(-60.0, 1.0))
        return [round(float(c), 5) for c in counts / max(len(spoken), 1)]

    # What comes in is shown at the loudness of what leaves, so that only the shape differs.
    return {
        "levels_in": shares(take_set.talk, take_set.gain_to_come_db),
        "levels_out": shares(plan.treated.talk, 0.0),
    }


def _keep_bands(ctx: RigContext, tone: Tone, *, refit: bool) -> None:
    rows = band_rows(ctx)
    if not refit:
        for row, named in zip(rows, tone.bands, strict=True):
            row.because = named.because
        return
    derived_of = {band_of(row.value): row.derived for row in rows if row.pinned}
    ctx.session.execute(
        delete(SettingRow).where(SettingRow.rig_id == ctx.rig.id, SettingRow.stage == "equalizer")
    )
    for number, named in enumerate(tone.bands, 1):
        band = named.band
        value = {
            "shape": band.shape,
            "frequency_hz": band.frequency_hz,
            "gain_db": band.gain_db,
            "q": band.q,
        }
        ctx.session.add(
            SettingRow(
                rig_id=ctx.rig.id,
                stage="equalizer",
                name=f"band-{number}",
                value=value,
                unit="dB",
                derived=derived_of.get(named.band, value),
                pinned=named.pinned,
                because=named.because,
            )
        )
    ctx.session.flush()


def _keep_untold(ctx: RigContext, equalizer: StagePlan) -> None:
    """Where no tone could be told: bands that a person holds stay, others go."""
    ctx.session.execute(
        delete(SettingRow).where(
            SettingRow.rig_id == ctx.rig.id,
            SettingRow.stage == "equalizer",
            SettingRow.pinned.is_(False),
        )
    )
    keep_answer(ctx, "equalizer", {"untold": equalizer.switch.because})
    ctx.session.flush()


def _keep_tone(
    ctx: RigContext,
    tone: Tone,
    take_set: TakeSet,
    by_kind: dict[str, StagePlan],
    *,
    refit: bool,
) -> None:
    row = ctx.session.get(Derivation, (ctx.rig.id, "tone"))
    before = dict(row.used) if row is not None else {}
    found = tone.fit
    assert take_set.tone is not None
    body = {
        "points_hz": to_jsonable(POINT_HZ),
        "deviation_db": _tenths(tone.deviation_db),
        "rig_db": _tenths(tone.colour.mean_db),
        "uncertainty_db": _tenths(tone.colour.sd_db),
        "wanted_db": _tenths(tone.wanted_db),
        "correction_db": _tenths(tone.correction_db),
        "corrected_db": _tenths(found.corrected_db),
        "average_db": _tenths(found.recorded_db - tone.deviation_db),
        "trust": to_jsonable(found.trust),
        "known": to_jsonable(tone.known),
        "residual_rms_db": round(found.residual_rms_db, 2),
        "worst_db": round(found.worst_db, 2),
        "low_hz": round(found.low_hz),
        "high_hz": round(found.high_hz),
        "left_alone": tone.left_alone,
        "voiced_s": round(take_set.tone.passage.voiced_s, 1),
        "target_name": tone.target_name,
        "sure_db": [to_jsonable(named.sure_db) for named in tone.bands],
        "passages": len(passages(ctx)),
        "resonances": to_jsonable(
            find_resonances(
                take_set.tone.passage.voice,
                take_set.tone.passage.pitch_hz,
                low_hz=found.low_hz,
                high_hz=found.high_hz,
            )
        ),
        "sibilants": to_jsonable(by_kind["deesser"].evidence) if "deesser" in by_kind else None,
    }
    keep_answer(ctx, "equalizer", body)
    if not refit and before:
        # Bands that were only judged stand on what they were fitted to, the pins apart.
        kept = ctx.session.get_one(Derivation, (ctx.rig.id, "tone"))
        kept.used = {
            **kept.used,
            **{key: value for key, value in before.items() if not key.startswith("pin:")},
        }
