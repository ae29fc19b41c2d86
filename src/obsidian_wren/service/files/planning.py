"""A full calibration from two takes on the command line: the takes are judged before they are
believed."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from pathlib import Path

from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.plan import plan as derive_plan
from obsidian_wren.core.measure import faults
from obsidian_wren.core.measure.bursts import without_bursts
from obsidian_wren.core.measure.finding import Finding
from obsidian_wren.core.measure.pair_findings import match_floor, rate_findings
from obsidian_wren.core.measure.phone import require_unprocessed
from obsidian_wren.core.measure.readings import QuietReading, TalkReading, read_quiet, read_talk
from obsidian_wren.core.measure.ring_of_speech import ring_of_speech
from obsidian_wren.core.measure.take_findings import quiet_findings, talk_findings
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.core.prove.sounding import heard_for_checks
from obsidian_wren.core.rate import at_rate
from obsidian_wren.core.wording import _
from obsidian_wren.formats import calibration_writing
from obsidian_wren.formats.jsonable import reading_json, to_jsonable
from obsidian_wren.formats.response import read_response, response_at
from obsidian_wren.formats.sounding import NAME as CHECK
from obsidian_wren.formats.sounding import sounding_json
from obsidian_wren.service.errors import Refused, drowned
from obsidian_wren.service.files.reading import FileAnswer, load_for, room_reading
from obsidian_wren.service.files.writing import write_text

_WHOLE_PERCENT = 100.0
_NEAREST_CM, _FARTHEST_CM = 1.0, 500.0
_SWAPPED = Finding(
    "takes_swapped",
    _("Someone talks in the first file and nobody in the second: the two files are swapped."),
    _("Swap them."),
    stops=True,
)


@dataclass(frozen=True)
class TakePair:
    """A quiet take and a talk ``(n,)`` with their readings; the room in use where it differs from
    the quiet take; what is to be said of them. ``quiet_given``: the quiet take as it is, at the
    talk's rate."""

    quiet_given: Samples
    quiet_samples: Samples
    quiet: QuietReading
    talk_samples: Samples
    talk: TalkReading
    in_use: Samples | None
    in_use_rate_hz: float | None
    notes: tuple[str, ...]
    findings: tuple[Finding, ...]


def plan_files(
    quiet_path: Path,
    talk_path: Path,
    out: Path,
    *,
    in_use: Path | None = None,
    mic_response: Path | None = None,
    reference: Path | None = None,
    phone: Path | None = None,
    shape_percent: float = 0.0,
    channel: int | None = None,
    anyway: bool = False,
    distance_cm: float | None = None,
) -> FileAnswer:
    """A full calibration from two takes, written to ``out``; ``anyway`` goes on where a finding
    says that the answer would be wrong. ``distance_cm``: mouth to microphone, where it is
    known."""
    if distance_cm is not None and not _NEAREST_CM <= distance_cm <= _FARTHEST_CM:
        raise Refused(
            "distance",
            _(
                "{distance_cm:g} cm is not a distance to a microphone. Give 1 to 500 for"
                " --distance.",
                distance_cm=distance_cm,
            ),
        )
    if not 0.0 <= shape_percent <= _WHOLE_PERCENT:
        raise Refused(
            "shape",
            _(
                "{shape_percent:g} % is not possible for the shaping of the voice. Give 0 to"
                " 100 for --shape.",
                shape_percent=shape_percent,
            ),
        )
    takes = load_pair(quiet_path, talk_path, channel, anyway=anyway)
    notes, talk, quiet = takes.notes, takes.talk, takes.quiet
    readings = {
        "quiet": reading_json(quiet),
        "talk": reading_json(talk),
        CHECK: sounding_json(heard_for_checks(takes.quiet_given, takes.talk_samples, talk)),
    }
    used_samples, used_rate = takes.in_use, takes.in_use_rate_hz
    if in_use is not None:
        used = load_for(in_use, "in-use", channel, anyway=anyway)
        used_samples, used_rate = used.samples, float(used.rate_hz)
        notes += used.notes
    floor = None
    if used_samples is not None and used_rate is not None:
        floor = read_quiet(used_samples, rate_hz=used_rate)
        readings["in_use"] = reading_json(floor)
    response = None
    if mic_response is not None:
        hz, db = read_response(mic_response)
        response = response_at(POINT_HZ, hz, db)
    trusted = None
    if reference is not None:
        other = load_for(reference, "passage", channel)
        trusted = read_talk(other.samples, rate_hz=other.rate_hz)
        notes += other.notes
    beside = None
    if phone is not None:
        other = load_for(phone, "phone", channel)
        beside = read_talk(other.samples, rate_hz=other.rate_hz)
        require_unprocessed(
            other.samples, beside, takes.talk_samples, passage_hz=float(talk.rate_hz)
        )
        notes += other.notes
    if talk.snr_db is not None and talk.snr_db <= 0.0 and not anyway:
        raise drowned()
    found = derive_plan(
        quiet,
        talk,
        takes.quiet_samples,
        takes.talk_samples,
        in_use_samples=used_samples,
        in_use_rate_hz=used_rate,
        floor=floor,
        mic_response_db=response,
        reference=trusted,
        phone=beside,
        shape=shape_percent / 100.0,
        ring=ring_of_speech(takes.talk_samples, rate_hz=talk.rate_hz),
    )
    advice = to_jsonable(found.preamp)
    body = calibration_writing.calibration_json(
        rig={"rate_hz": round(talk.rate_hz), "preamp": advice}
        | ({} if distance_cm is None else {"distance_cm": distance_cm}),
        readings=readings,
        chain=calibration_writing.chain_json(found.chain.stages),
        feeds=calibration_writing.feeds_json(Aims(), found.chain.landing),
    )
    write_text(out, json.dumps(body, indent=2, ensure_ascii=False) + "\n")
    return FileAnswer(body, notes, takes.findings)


def load_pair(
    quiet_path: Path, talk_path: Path, channel: int | None, *, anyway: bool = False
) -> TakePair:
    """Both takes, judged; what can be mended is mended.

    Raises BadTake for a take that cannot serve, Refused where a finding stops and ``anyway`` does
    not say to go on.
    """
    try:
        room_take = load_for(quiet_path, "rest", channel, anyway=anyway)
    except faults.BadTake as error:
        if error.code == "voice_in_quiet":
            _refuse_swapped(talk_path, channel)
        raise
    talk_take = load_for(talk_path, "passage", channel, anyway=anyway)
    quiet_samples, quiet_rate = room_take.samples, room_take.rate_hz
    talk_samples, talk_rate = talk_take.samples, talk_take.rate_hz
    quiet = room_reading(quiet_samples, quiet_rate)
    talk = read_talk(talk_samples, rate_hz=talk_rate, quiet=quiet)
    findings = (
        *room_take.findings,
        *quiet_findings(quiet_samples, quiet),
        *talk_take.findings,
        *talk_findings(talk_samples, talk),
        *rate_findings(quiet_rate, talk_rate),
    )
    for found in findings:
        if found.stops and not anyway:
            raise Refused(
                found.code,
                _(
                    "{sentence} {action} Or add --anyway.",
                    sentence=found.sentence,
                    action=found.action,
                ),
            )
    room = without_bursts(quiet_samples, rate_hz=quiet_rate)
    pair = TakePair(
        at_rate(quiet_samples, quiet_rate, talk_rate),
        room,
        quiet,
        talk_samples,
        talk,
        None,
        None,
        room_take.notes + talk_take.notes,
        findings,
    )
    match = match_floor(
        at_rate(room, quiet_rate, talk_rate),
        talk_samples,
        rate_hz=talk_rate,
        active_level_dbfs=talk.active_level_dbfs,
    )
    if match is None or not match.findings:
        return pair
    pair = replace(pair, findings=pair.findings + match.findings)
    if not match.same_shape:
        under = read_quiet(match.floor, rate_hz=talk_rate)
        return replace(
            pair,
            talk=replace(talk, snr_db=talk.active_level_dbfs - under.rms_dbfs),
            in_use=match.floor,
            in_use_rate_hz=talk_rate,
        )
    # The room at the gain of the talk; its samples stay at their own rate.
    shifted = room * amplitude_from_db(match.difference_db)
    floor = replace(read_quiet(shifted, rate_hz=quiet_rate), duration_s=quiet.duration_s)
    return replace(
        pair,
        quiet_samples=shifted,
        quiet=floor,
        talk=read_talk(talk_samples, rate_hz=talk_rate, quiet=floor),
    )


def _refuse_swapped(talk_path: Path, channel: int | None) -> None:
    """A voice is in the quiet take; see whether it is missing in the talk."""
    try:
        load_for(talk_path, "talk", channel)
    except faults.BadTake as error:
        if error.code == "no_voice_in_talk":
            raise Refused(_SWAPPED.code, f"{_SWAPPED.sentence} {_SWAPPED.action}") from error
