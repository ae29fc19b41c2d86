"""What physics says about a change until the take is made again.

Source: by definition: a gain before the converter moves voice and room alike.
"""

from __future__ import annotations

from dataclasses import replace

from obsidian_wren.core.decibels import power_from_db
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.voice_spectrum import FineSpectrum


def quiet_at_gain(quiet: QuietReading, change_db: float) -> QuietReading:
    """A quiet reading as it would be after ``change_db`` more preamp gain.

    A preamp lifts all that comes before the converter by the same amount. This holds while the room
    or the preamp, not the converter, makes the floor; it is a prediction until the room is taken
    again.
    """
    if change_db == 0.0:
        return quiet
    cells = quiet.noise.cells * power_from_db(change_db)
    return replace(
        quiet,
        rms_dbfs=quiet.rms_dbfs + change_db,
        a_weighted_dbfs=quiet.a_weighted_dbfs + change_db,
        peak_dbfs=quiet.peak_dbfs + change_db,
        rumble_dbfs=quiet.rumble_dbfs + change_db,
        noise=FineSpectrum(cells, quiet.noise.top_hz),
    )


def talk_at_gain(talk: TalkReading, change_db: float) -> TalkReading:
    """A talk reading as it would be after ``change_db`` more gain; a prediction, blind to what
    would clip."""
    if change_db == 0.0:
        return talk
    return replace(
        talk,
        rms_dbfs=talk.rms_dbfs + change_db,
        a_weighted_dbfs=talk.a_weighted_dbfs + change_db,
        peak_dbfs=talk.peak_dbfs + change_db,
        true_peak_dbtp=talk.true_peak_dbtp + change_db,
        peaks_by_second_dbfs=tuple(peak + change_db for peak in talk.peaks_by_second_dbfs),
        active_level_dbfs=talk.active_level_dbfs + change_db,
        loudness_lufs=None if talk.loudness_lufs is None else talk.loudness_lufs + change_db,
    )
