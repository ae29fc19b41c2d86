"""A calibration file as a page that prints."""

from __future__ import annotations

from pathlib import Path

from obsidian_wren.core.wording import worded
from obsidian_wren.formats.calibration import BadCalibration, read_calibration
from obsidian_wren.formats.report import report_html
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.files.writing import write_text


def report_file(calibration: Path, out: Path) -> None:
    """Write the report of a calibration file. Raises BadCalibration, Refused, FolderError."""
    if out.suffix.lower() not in (".html", ".htm"):
        raise Refused(
            "out",
            worded("{name} is no page. Give the report a name that ends in .html.", name=out.name),
        )
    file = read_calibration(calibration)
    try:
        text = report_html(file)
    except (TypeError, ValueError, LookupError, AttributeError) as error:
        if isinstance(error, BadCalibration):
            raise
        raise BadCalibration(
            worded(
                "{name} holds something that no report can show. Write it again with"
                " “obsidian-wren plan”.",
                name=calibration.name,
            )
        ) from error
    write_text(out, text)
