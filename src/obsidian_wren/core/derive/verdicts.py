"""What is said of a result: a name, the number, whether it is good, and the sentence under it.

Every mark that the page draws beside a number is decided here, next to the limit that decides it.

Source: the limits are those of ``aims`` and of the rules, each with its own source; practice
for the words.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.numerals import DECIDES_DB, frequency, plain, with_sign, with_unit
from obsidian_wren.core.wording import _, ngettext

if TYPE_CHECKING:
    from obsidian_wren.core.derive.learned import MovingEvidence
    from obsidian_wren.core.derive.noise_reduction import NoiseEvidence

Mark = Literal["good", "fault", "none"]

# Loss in one third octave of speech that nobody hears (practice; about the just noticeable
# difference of level in a band).
HEARD_LOSS_DB = 1.0
# What is left of the noise may wander by this much more before it warbles.
WARBLE_DB = 1.0
# Mains wander by a few hundredths of a hertz (ENTSO-E keeps 50 Hz within 0.05 Hz of it mostly).
_WANDERS_HZ = 0.02
# A slope that stands out: beyond twice its standard error.
_STANDS_OUT = 2.0
# From here on the cause was all that was heard.
_ALL_OF_IT_DB = 20.0


@dataclass(frozen=True)
class Fact:
    """One line of a slip: name, number with its unit, mark, and the sentence under it."""

    name: str
    value: str
    mark: Mark
    sentence: str


def _mark(good: bool) -> Mark:
    return "good" if good else "fault"


def _within(value: float | None, low: float, high: float) -> Mark:
    return _mark(value is not None and low <= value <= high)


def steady_facts(landing: Landing, aims: Aims, *, raw_lufs: float | None) -> tuple[Fact, ...]:
    """Where the treated voice lands, against what listeners need. ``raw_lufs`` is what came in."""
    low, high = aims.peaks_dbfs
    tolerance = aims.tolerance_lu
    return (
        Fact(
            _("Loudness"),
            with_unit(landing.loudness_lufs, "LUFS"),
            _within(
                landing.loudness_lufs,
                aims.loudness_lufs - tolerance,
                aims.loudness_lufs + tolerance,
            ),
            _(
                "Target {loudness_lufs} ± {tolerance:g} LU; the raw voice has {raw_lufs}.",
                loudness_lufs=plain(aims.loudness_lufs, 0),
                tolerance=tolerance,
                raw_lufs=plain(raw_lufs),
            ),
        ),
        Fact(
            _("Normal peaks"),
            with_unit(landing.peaks_dbfs, "dBFS"),
            _within(landing.peaks_dbfs, low, high),
            _(
                "Nine of ten moments of speech stay below it; target {low} to {high}.",
                low=plain(low, 0),
                high=plain(high, 0),
            ),
        ),
        Fact(
            _("True peak"),
            with_unit(landing.true_peak_dbtp, "dBTP"),
            _within(landing.true_peak_dbtp, float("-inf"), aims.ceiling_dbtp),
            _(
                "Ceiling {ceiling_dbtp}; the limiter takes at most {limited_db} dB.",
                ceiling_dbtp=plain(aims.ceiling_dbtp, 0),
                limited_db=plain(landing.limited_db),
            ),
        ),
        Fact(
            _("Loudness range"),
            with_unit(landing.range_lu, "LU"),
            _within(landing.range_lu, 0.0, aims.range_lu),
            _("At most {range_lu:g} LU between soft and loud phrases.", range_lu=aims.range_lu),
        ),
        Fact(
            _("Noise in pauses"),
            with_sign(landing.lift_db, "dB"),
            _within(landing.lift_db, float("-inf"), aims.most_lift_db),
            _(
                "After all stages; it may rise by {most_lift_db:g} dB.",
                most_lift_db=aims.most_lift_db,
            ),
        ),
        Fact(
            _("Noise floor at the listener"),
            with_unit(landing.floor_dbfs_a, "dBFS(A)"),
            _within(
                max(landing.floor_dbfs_a, landing.beside_voice_dbfs_a),
                float("-inf"),
                aims.floor_dbfs_a + DECIDES_DB,
            ),
            _(
                "At rest, in pauses; under your voice {beside_voice_dbfs_a}, the target is"
                " {floor_dbfs_a}.",
                beside_voice_dbfs_a=plain(landing.beside_voice_dbfs_a),
                floor_dbfs_a=plain(aims.floor_dbfs_a, 0),
            ),
        ),
    )


_MOVING = {
    "keys": _("Keys"),
    "knock": _("Knocks"),
    "melody": _("Something with a melody"),
    "voice": _("Another voice"),
    "passing": _("What passes"),
}
# A voice that falls by less was not taken for noise.
_VOICE_STAYS_DB = 6.0


def moving_facts(moving: MovingEvidence, *, on: bool) -> tuple[Fact, ...]:
    """What moves in the room in use by kind, how far it falls, and the delay that it costs."""
    facts = []
    for each in moving.kinds:
        fall = each.before_dbfs_a - each.after_dbfs_a
        stays = each.kind == "voice" and fall < _VOICE_STAYS_DB
        sentence = _(
            "{seconds:.1f} s in total, {before} dBFS(A) before and {after} after it.",
            seconds=each.seconds,
            before=plain(each.before_dbfs_a, 0),
            after=plain(each.after_dbfs_a, 0),
        )
        if stays:
            sentence = _(
                "{seconds:.1f} s in total. It is not reduced: to any program it is a voice."
                " Distance, the microphone's pattern and the gate help.",
                seconds=each.seconds,
            )
        facts.append(
            Fact(
                _MOVING[each.kind],
                _("stays") if stays else with_sign(-fall, "dB", 0) if on else _("not reduced"),
                "fault" if stays else "none",
                sentence,
            )
        )
    if on:
        facts.append(
            Fact(
                _("Delay"),
                with_sign(moving.delay_ms, "ms", 0),
                "none",
                _("Always there; while nothing moves, your voice passes unchanged."),
            )
        )
    return tuple(facts)


def noise_facts(noise: NoiseEvidence) -> tuple[Fact, ...]:
    """What noise reduction leaves of the floor, and what it takes from the words."""
    known = [x for x in (noise.floor_after_dbfs_a, noise.in_pauses_dbfs_a) if math.isfinite(x)]
    good = math.isfinite(noise.floor_after_dbfs_a) and max(known) <= noise.aim_dbfs_a + DECIDES_DB
    floor = Fact(
        _("Noise floor at the listener"),
        with_unit(noise.floor_after_dbfs_a, "dBFS(A)"),
        _mark(good),
        _(
            "Your room at rest, under your voice, after all stages; {floor_dbfs_a} without"
            " noise reduction, {aim_dbfs_a} is the target. In pauses it is {in_pauses_dbfs_a}.",
            floor_dbfs_a=plain(noise.floor_dbfs_a),
            aim_dbfs_a=plain(noise.aim_dbfs_a, 0),
            in_pauses_dbfs_a=plain(noise.in_pauses_dbfs_a),
        ),
    )
    if noise.loss is None:
        return (floor,)
    loss_db, loss_at_hz = noise.loss.loss_db, noise.loss.centre_hz
    before, after = (
        wander_db if math.isfinite(wander_db) else 0.0
        for wander_db in (noise.restless_before_db, noise.restless_after_db)
    )
    warbles = after >= before + WARBLE_DB
    loss = Fact(
        _("Loss in your words"),
        f"{max(0.0, loss_db):.1f} dB",
        _mark(loss_db <= HEARD_LOSS_DB),
        (
            _(
                "At most, in the third octave at {loss_at_hz}. The remaining noise varies by"
                " {after:.1f} dB, before it {before:.1f}: it may warble.",
                loss_at_hz=frequency(loss_at_hz),
                after=after,
                before=before,
            )
            if warbles
            else _(
                "At most, in the third octave at {loss_at_hz}. The remaining noise varies by"
                " {after:.1f} dB, before it {before:.1f}: no warbling.",
                loss_at_hz=frequency(loss_at_hz),
                after=after,
                before=before,
            )
        ),
    )
    return floor, loss


def heard_facts(
    *,
    floor_dba: float | None,
    expected_floor_dba: float,
    talk_dba: float | None,
    expected_talk_dba: float,
) -> tuple[Fact, ...]:
    """What takes told at the capsule, and by how much the expectation had missed it; None for what
    no take has told."""

    def fact(name: str, heard: float | None, expected: float, how: str) -> tuple[Fact, ...]:
        if heard is None:
            return ()
        missed = heard - expected
        judgement = (
            _("as expected")
            if abs(missed) < DECIDES_DB
            else (
                _("{missed:.0f} dB more than expected", missed=abs(missed))
                if missed > 0.0
                else _("{missed:.0f} dB less than expected", missed=abs(missed))
            )
        )
        return (
            Fact(
                name,
                with_unit(heard, "dB(A)", 0),
                "none",
                _("{how}, {told}.", how=how, told=judgement),
            ),
        )

    return (
        *fact(
            _("Noise floor, measured"),
            floor_dba,
            expected_floor_dba,
            _("Of the room at rest"),
        ),
        *fact(_("Your voice, measured"), talk_dba, expected_talk_dba, _("In normal talk")),
    )


def remaining_error(
    *,
    rms_db: float,
    uncertainty_db: float,
    worst_db: float,
    low_hz: float,
    high_hz: float,
    voiced_s: float,
    passages: int,
    bands: int,
    most_bands: int,
    left_alone: str,
) -> Fact:
    """What stays between the bands and the correction that was asked of them, dB rms from
    ``low_hz`` to ``high_hz``; ``uncertainty_db`` is how far that is known."""
    averaged = _(", {passages} passages averaged", passages=passages) if passages > 1 else ""
    return Fact(
        _("Remaining error"),
        _("{rms_db:.1f} dB rms", rms_db=rms_db),
        _mark(rms_db <= uncertainty_db),
        _(
            "In the range corrected, {low_hz} to {high_hz}; worst {worst_db:.1f} dB. From"
            " {voiced_s:.0f} s of voiced sound{averaged}; {used} of {most_bands}. {left_alone}",
            low_hz=frequency(low_hz),
            high_hz=frequency(high_hz),
            worst_db=worst_db,
            voiced_s=voiced_s,
            averaged=averaged,
            used=ngettext("{count} band used", "{count} bands used", bands),
            most_bands=most_bands,
            left_alone=left_alone,
        ),
    )


def mix_facts(
    *,
    lufs: float | None,
    aim_lufs: float,
    tolerance_lu: float,
    voice_over_lu: float | None,
    least_over_lu: float,
) -> tuple[Fact, ...]:
    """Where a listener's mix lands, as predicted: its loudness, and the voice over the rest."""
    found = []
    if lufs is not None:
        meets = abs(lufs - aim_lufs) <= tolerance_lu
        beside = _("its target") if meets else _("target {aim_lufs}", aim_lufs=plain(aim_lufs, 0))
        found.append(
            Fact(
                _("Loudness"),
                "",
                _mark(meets),
                _("Predicted at {lufs} LUFS, {beside}", lufs=plain(lufs), beside=beside),
            )
        )
    if voice_over_lu is not None:
        sentence = _(
            "Your voice is {voice_over_lu} LU over the ducked sources",
            voice_over_lu=plain(voice_over_lu, 0),
        )
        found.append(Fact(_("Voice"), "", _mark(voice_over_lu >= least_over_lu), sentence))
    return tuple(found)


def worth(*, lowers_db: float | None, spoils: bool) -> str:
    """By how much the floor would fall without a cause, in few words."""
    if spoils:
        return _("fix first")
    if lowers_db is None:
        return ""
    if lowers_db >= _ALL_OF_IT_DB:
        return _("all of it")
    return (
        _("under 1 dB") if lowers_db < DECIDES_DB else _("−{lowers_db:.1f} dB", lowers_db=lowers_db)
    )


def trend_sentence(db_per_minute: float, error_db_per_minute: float | None) -> str:
    """Whether a level wanders, against the standard error of its slope."""
    if error_db_per_minute is None:
        return _("The take is too short to tell.")
    stands_out = abs(db_per_minute) > _STANDS_OUT * error_db_per_minute
    what = _("the level wanders") if stands_out else _("no trend stands out")
    return _(
        "±{error_db_per_minute:.1f}: {what}.", error_db_per_minute=error_db_per_minute, what=what
    )


def hum_sentence(lines: int | None, drift_hz: float) -> str:
    """What is said of mains hum; ``lines`` is None where none was found."""
    if lines is None:
        return _("No harmonics of 50 or 60 Hz rise above the noise.")
    wandered = (
        _("; the mains wandered by {drift_hz:.2f} Hz", drift_hz=drift_hz)
        if drift_hz > _WANDERS_HZ
        else ""
    )
    return _("{lines} lines{wandered}.", lines=lines, wandered=wandered)


def strongest_band(third_octaves: Sequence[tuple[float, float | None]]) -> float | None:
    """The centre in Hz of the strongest of third octaves (centre, level), None without any."""
    known = [(level, hz) for hz, level in third_octaves if level is not None]
    return max(known)[1] if known else None
