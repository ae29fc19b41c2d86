"""A calibration with the takes that it stands on, in one zip."""

from __future__ import annotations

import io
import json
import zipfile

from obsidian_wren.formats.calibration import SCHEMA
from obsidian_wren.formats.carried_file import INSIDE_ZIP
from obsidian_wren.service.carry.whole import whole_calibration
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store import take_files


def packed(app: AppContext) -> bytes:
    """A zip of ``calibration.json`` and ``takes/PURPOSE.flac``, as they are kept. Raises
    Refused before there is a calibration."""
    out = io.BytesIO()
    with app.sessions() as session:
        ctx = in_hand(app, session)
        body = whole_calibration(ctx)
        takes = {purpose: take for purpose, take in ctx.takes.by_purpose.items() if take}
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(INSIDE_ZIP, json.dumps(body, indent=2, ensure_ascii=False) + "\n")
            for purpose, take in takes.items():
                path = take_files.take_path(app.folder, take.sha256)
                if path.exists():
                    # FLAC does not get smaller.
                    archive.write(path, f"takes/{purpose}.flac", zipfile.ZIP_STORED)
    return out.getvalue()


def schema_text() -> str:
    """The JSON Schema of the calibration file, as it ships."""
    return SCHEMA.read_text("utf-8")
