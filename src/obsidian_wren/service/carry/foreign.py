"""The equalizer of another program becomes a further equalizer, its bands the person's own."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from obsidian_wren.core.derive.curve_fit import fit_curve
from obsidian_wren.core.wording import _
from obsidian_wren.formats.carried_file import shortened
from obsidian_wren.formats.foreign_equalizer import read_equalizer
from obsidian_wren.formats.sound_header import BadSound
from obsidian_wren.service.calibration.catching_up import follow_change
from obsidian_wren.service.calibration.preferences import BandValue
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.carry.bringing_over import further_equalizer, own_bands
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.rigs import in_hand

_LOWEST_GAIN_DB, _HIGHEST_GAIN_DB = -12.0, 9.0
_LOWEST_Q, _HIGHEST_Q = 0.4, 6.0


def bring_equalizer(app: AppContext, path: Path, name: str) -> None:
    """Take in biquads as text, a two-column curve or an impulse response, as bands behind the
    equalizer that is fitted here. Raises BadSound, Refused."""
    called = shortened(name)
    with app.sessions() as session:
        rate_hz = in_hand(app, session).rig.rate_hz
    rows = np.array(read_equalizer(path, name, rate_hz=rate_hz))
    try:
        fit = fit_curve(rows[:, 0], rows[:, 1], rate_hz=rate_hz)
    except ValueError as error:
        raise BadSound(
            "biquads",
            _(
                "{called} holds no curve between 50 Hz and 16 kHz. Is it the right file?",
                called=called,
            ),
        ) from error
    bands = [
        BandValue(
            shape=band.shape,
            frequency_hz=band.frequency_hz,
            gain_db=min(max(band.gain_db, _LOWEST_GAIN_DB), _HIGHEST_GAIN_DB),
            q=min(max(band.q, _LOWEST_Q), _HIGHEST_Q),
        )
        for band in fit.bands
    ]
    if not bands:
        raise Refused(
            "flat",
            _("{called} is flat within 0.25 dB: there is nothing to use.", called=called),
        )
    with change(app, _("Imported {called}", called=called)) as session:
        ctx = in_hand(app, session)
        if not chain_is_whole(ctx):
            raise Refused("no-chain", _("There is no chain to add to yet. Read the passage first."))
        key = further_equalizer(ctx)
        if key is None:
            raise Refused("no-more", _("No further equalizer can be added. Remove one in Steady."))
        because = _(
            "From {called}; {residual_rms_db:.1f} dB rms of its curve remain.",
            called=called,
            residual_rms_db=fit.residual_rms_db,
        )
        own_bands(ctx, key, bands, because)
        session.flush()
        follow_change(ctx)
    app.changed()
