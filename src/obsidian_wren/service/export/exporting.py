"""The calibration of the rig in hand as an open file."""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.equalizer import biquads_csv, impulse_wav
from obsidian_wren.formats.report import report_html
from obsidian_wren.formats.response import response_text
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.calibration.setting_rows import band_rows
from obsidian_wren.service.carry.whole import whole_calibration
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Derivation, Response


def export_calibration(app: AppContext) -> dict[str, Any]:
    """The whole calibration file as plain JSON."""
    with app.sessions.begin() as session:
        return whole_calibration(in_hand(app, session))


def export_report(app: AppContext) -> str:
    """The calibration as a page that prints. Raises Refused before there is one."""
    return report_html(CalibrationFile.model_validate(export_calibration(app)))


def export_response(app: AppContext, what: str) -> tuple[str, str]:
    """A file name and two-column text: the microphone's response as it was handed out, or the
    correction as it is fitted."""
    with app.sessions.begin() as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        if what == "microphone":
            row = (
                session.get(Response, rig.microphone.response_id)
                if rig.microphone.response_id is not None
                else None
            )
            if row is None:
                raise Refused(
                    "no-response",
                    _("This microphone has no response file yet. Import one first."),
                )
            return f"{rig.microphone.name}.txt", response_text(
                row.rows, title=f"{rig.microphone.name}: response"
            )
        specs = chain_rows.tone_specs(ctx)
        if specs is None:
            raise Refused("no-chain", _("There is no correction yet: fit the tone first."))
        rows = chain_rows.correction_rows(specs, rig.rate_hz)
        return "correction.txt", response_text(
            rows,
            title=_(
                "Correction for {name} through {name_2}",
                name=rig.microphone.name,
                name_2=rig.interface.name,
            ),
        )


def export_equalizer(app: AppContext, what: str, rate_hz: int) -> tuple[str, bytes, str]:
    """A file name, its bytes and their type: the equalizer's biquads as CSV, or its
    minimum-phase impulse response as WAV."""
    with app.sessions.begin() as session:
        ctx = in_hand(app, session)
        bands = [chain_rows.band_of(row.value) for row in band_rows(ctx)]
        fitted = ctx.session.get(Derivation, (ctx.rig.id, "tone")) is not None
    if not fitted:
        raise Refused("no-chain", _("There is no equalizer yet: fit the tone first."))
    if what == "biquads":
        return "equalizer.csv", biquads_csv(bands, rate_hz=rate_hz).encode(), "text/csv"
    return "equalizer.wav", impulse_wav(bands, rate_hz=rate_hz), "audio/wav"
