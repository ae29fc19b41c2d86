"""What a take is worth before it is believed: findings of one take, each with what to do.

A finding that stops makes the answer wrong; the others say what was mended or how far the answer
carries. Codes are stable.

Source: practice: every rule stands on takes, so the takes are judged first; ITU-T P.56 for what is
speech.
"""

from __future__ import annotations

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure import integrity, levels
from obsidian_wren.core.measure.bursts import burst_findings
from obsidian_wren.core.measure.faults import WHISPERED
from obsidian_wren.core.measure.finding import Finding
from obsidian_wren.core.measure.levels import OFFSET_SHARE
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.ring_of_speech import ring_of_speech
from obsidian_wren.core.measure.traces import band_end_hz, has_gate_steps
from obsidian_wren.core.measure.under_voice import find_under_voice
from obsidian_wren.core.wording import _

QUIET_ENOUGH_S = 8.0
TALK_ENOUGH_S = 20.0
_GATED_SHARE, _GATED_S = 0.02, 0.08
_GATED_SPREAD_DB = 45.0
_LOW_DBFS = -45.0
_SPEECH_BAND_HZ = 6_000.0


def quiet_findings(samples: Samples, reading: QuietReading) -> tuple[Finding, ...]:
    """What is found in ``(n,)`` samples of the room at rest."""
    found = []
    rate_hz = reading.rate_hz
    gaps = integrity.find_dropouts(samples, rate_hz=rate_hz)
    swing_db = reading.percentiles_dbfs.p90 - reading.percentiles_dbfs.p10
    gated = gaps.share > _GATED_SHARE and gaps.longest_s > _GATED_S
    if gated or swing_db > _GATED_SPREAD_DB:
        found.append(
            Finding(
                "gated_quiet",
                _(
                    "{share:.0%} of the room at rest is exact silence: something cuts the room"
                    " out before it gets here.",
                    share=gaps.share,
                ),
                _(
                    "Switch off noise removal and voice activation in the sound settings and in"
                    " the device's own program, then record the room again."
                ),
                stops=True,
            )
        )
    elif gaps.count:
        found.append(_gaps(gaps, _("quiet take")))
    if not gated:
        found += burst_findings(samples, rate_hz=rate_hz)
    if abs(reading.dc_offset) > OFFSET_SHARE:
        found.append(_offset(reading.dc_offset, _("quiet take")))
    if reading.duration_s < QUIET_ENOUGH_S:
        found.append(
            Finding(
                "too_short",
                _(
                    "The room at rest lasts {duration_s:.0f} s, so its level is less certain.",
                    duration_s=reading.duration_s,
                ),
                _("Record {quiet_enough_s:.0f} s or more.", quiet_enough_s=QUIET_ENOUGH_S),
            )
        )
    return tuple(found)


def talk_findings(samples: Samples, reading: TalkReading) -> tuple[Finding, ...]:
    """What is found in ``(n,)`` samples of someone talking."""
    found = []
    tops = reading.flat_tops
    if tops.count >= 3:
        found.append(
            Finding(
                "clipped",
                _(
                    "{count} peaks are clipped at {level_dbfs:.1f} dBFS.",
                    count=tops.count,
                    level_dbfs=tops.level_dbfs,
                ),
                _("Turn the preamp down by 10 dB and record again."),
            )
        )
    elif reading.soft_clipping is not None:
        found.append(
            Finding(
                "soft_clipped",
                _("A stage before the converter saturates on your loudest peaks."),
                _("Turn the preamp down or move back, then record again."),
            )
        )
    if reading.active_level_dbfs < _LOW_DBFS:
        found.append(
            Finding(
                "low_level",
                _(
                    "Your voice is at {active_level_dbfs:.0f} dBFS, which is low.",
                    active_level_dbfs=reading.active_level_dbfs,
                ),
                _("Turn the preamp up or go closer, and record again."),
            )
        )
    if reading.pitch_hz is None:
        found.append(
            Finding(
                "whisper",
                WHISPERED,
                _("Talk at the level at which you will be heard."),
            )
        )
    gaps = integrity.find_dropouts(samples, rate_hz=reading.rate_hz)
    if gaps.share > _GATED_SHARE and gaps.longest_s > _GATED_S:
        found.append(
            Finding(
                "processed",
                _(
                    "{share:.0%} of the talk is exact silence: another gate or noise remover"
                    " already works on it.",
                    share=gaps.share,
                ),
                _(
                    "Switch it off in the sound settings and in the device's own program, then"
                    " record again."
                ),
            )
        )
    else:
        if gaps.count:
            found.append(_gaps(gaps, "talk"))
        found += _gated(samples, reading)
    found += _band(reading)
    found += _around_the_voice(samples, reading)
    found += length_findings(reading.duration_s)
    offset = levels.dc_offset(samples)
    if abs(offset) > OFFSET_SHARE:
        found.append(_offset(offset, "talk"))
    return tuple(found)


def _gated(samples: Samples, reading: TalkReading) -> list[Finding]:
    if reading.snr_db is None or not has_gate_steps(
        samples,
        rate_hz=reading.rate_hz,
        active_level_dbfs=reading.active_level_dbfs,
        floor_dbfs=reading.active_level_dbfs - reading.snr_db,
    ):
        return []
    return [
        Finding(
            "processed",
            _(
                "The noise between your words falls in steps: another gate already works on the"
                " talk."
            ),
            _(
                "Switch it off in the sound settings and in the device's own program, then"
                " record again."
            ),
        )
    ]


def _band(reading: TalkReading) -> list[Finding]:
    if reading.rate_hz < 2.0 * _SPEECH_BAND_HZ:
        end_khz, action = reading.rate_hz / 2000.0, _("Record at 44.1 or 48 kHz.")
    else:
        end_hz = band_end_hz(reading.third_octaves)
        if end_hz is None:
            return []
        end_khz = round(end_hz / 1000.0, 1)
        action = _(
            "A wireless headset in its call mode or a codec on the way does that: use a cable,"
            " or another mode."
        )
    return [
        Finding(
            "band_limited",
            _(
                "The talk ends at about {end_khz:g} kHz, so the range above is unknown and left"
                " alone.",
                end_khz=end_khz,
            ),
            action,
        )
    ]


def _around_the_voice(samples: Samples, reading: TalkReading) -> list[Finding]:
    """What the room adds to the voice, and what else sounds under it."""
    found = []
    reverb = ring_of_speech(samples, rate_hz=reading.rate_hz)
    if reverb is not None and reverb.far_and_live:
        found.append(
            Finding(
                "far_and_live",
                _(
                    "Your room is about as strong as your voice at the microphone: you are far"
                    " away in a reverberant room."
                ),
                _(
                    "Go closer first: half the distance gives 6 dB. The equalizer stays wide,"
                    " and Clean can reduce the reverb."
                ),
            )
        )
    if reading.snr_db is None:
        return found
    under = find_under_voice(
        samples,
        rate_hz=reading.rate_hz,
        active_level_dbfs=reading.active_level_dbfs,
        floor_dbfs=reading.active_level_dbfs - reading.snr_db,
    )
    if under is not None:
        code, what = {
            "music": ("music_in_talk", _("There is music under your voice")),
            "voice": ("background_voice", _("Someone else talks under your voice")),
        }[under.kind]
        found.append(
            Finding(
                code,
                _(
                    "{what}, {under_db:.0f} dB softer: tone and gate would be fitted to both.",
                    what=what,
                    under_db=under.under_db,
                ),
                _("Record it again where nothing else sounds."),
                stops=True,
            )
        )
    return found


def length_findings(duration_s: float) -> list[Finding]:
    """Whether a talk is long enough to tell of a tone."""
    if duration_s >= TALK_ENOUGH_S:
        return []
    return [
        Finding(
            "too_short",
            _(
                "{duration_s:.0f} s of talk show little of your tone, so the correction is"
                " careful.",
                duration_s=duration_s,
            ),
            _(
                "Read for {talk_enough_s:.0f} s or more; 40 s are good.",
                talk_enough_s=TALK_ENOUGH_S,
            ),
        )
    ]


def _gaps(gaps: integrity.Dropouts, take: str) -> Finding:
    return Finding(
        "gaps",
        _(
            "{count} gaps in the {take}, {total_s:.0f} ms together.",
            count=gaps.count,
            take=take,
            total_s=1000 * gaps.total_s,
        ),
        _(
            "Use another USB port without a hub, give the device a larger buffer, and close"
            " other programs that record."
        ),
    )


def _offset(share: float, take: str) -> Finding:
    level = power_db(share**2) + AES17_OFFSET_DB
    return Finding(
        "dc_offset",
        _(
            "A constant offset of {share:+.2f} % of full scale ({level:.0f} dBFS) is under the"
            " {take}: it is removed before anything is measured.",
            share=100 * share,
            level=level,
            take=take,
        ),
        _("A driver update or another input may fix it."),
    )
