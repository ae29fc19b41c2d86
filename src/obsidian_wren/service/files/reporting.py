"""A calibration file as a page that prints."""

from __future__ import annotations

from pathlib import Path

from obsidian_wren.core.wording import _
from obsidian_wren.formats.carried_file import read_calibration
from obsidian_wren.formats.report import report_html
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.files.writing import write_text


def report_file(calibration: Path, out: Path) -> None:
    """Write the report of a calibration file. Raises BadCalibration, Refused, FolderError."""
    if out.suffix.lower() not in (".html", ".htm"):
        raise Refused(
            "out",
            _("{name} is not a page. Give the report a name that ends in .html.", name=out.name),
        )
    write_text(out, report_html(read_calibration(calibration)))
