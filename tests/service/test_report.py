"""The report: one page that holds everything and runs nothing."""

import json
import re
from html.parser import HTMLParser

import pytest

from obsidian_wren.cli import main
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.report import report_html
from obsidian_wren.service.export.exporting import export_calibration, export_report
from obsidian_wren.service.page.overview import overview
from obsidian_wren.service.prove import blind


class Page(HTMLParser):
    """What a page holds: its tags with their attributes, and its words."""

    def __init__(self, text):
        super().__init__()
        self.tags, self.words = [], []
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        self.tags.append((tag, dict(attrs)))

    def handle_data(self, data):
        self.words.append(data)

    @property
    def text(self):
        return re.sub(r"\s+", " ", " ".join(self.words))


def page_of(ws):
    return Page(export_report(ws))


def test_it_runs_nothing_and_asks_for_nothing(boathouse):
    page = page_of(boathouse)
    assert not {"script", "link", "iframe", "img", "object"} & {tag for tag, _ in page.tags}
    for _, attributes in page.tags:
        assert not {"src", "href", "onload", "onclick"} & set(attributes)
    assert "url(" not in export_report(boathouse)


def test_every_setting_is_there_with_its_because(boathouse):
    whole, text = export_calibration(boathouse), page_of(boathouse).text
    for stage in whole["chain"]:
        assert stage["because"].strip() in text
        if stage["on"]:
            for setting in stage["settings"].values():
                if isinstance(setting["value"], float):
                    assert setting["because"] in text
    assert "Reedling 40" in text
    assert "22 cm" in text


def test_every_picture_says_what_it_shows(boathouse):
    pictures = [attributes for tag, attributes in page_of(boathouse).tags if tag == "svg"]
    assert len(pictures) == 3
    assert all(each["role"] == "img" and each["aria-label"] for each in pictures)
    seen = overview(boathouse)
    assert f"{round(seen.talk.snr_db)} dB over the room" in pictures[1]["aria-label"]


def test_a_series_stands_in_it(boathouse):
    assert "Nothing yet" in page_of(boathouse).text
    blind.begin_series(boathouse, "raw", "prefer", 8)
    for number in range(8):
        blind.answer_series(boathouse, number, "same")
    text = page_of(boathouse).text
    assert "Treated against raw: 4 of 8" in text
    assert "said 8 times and counts half to each" in text


def test_a_name_is_a_name_and_never_code(boathouse):
    whole = export_calibration(boathouse)
    whole["rig"]["name"] = "<script>alert(1)</script>"
    whole["feeds"][0]["name"] = '"><script>alert(2)</script>'
    page = Page(report_html(CalibrationFile.model_validate(whole)))
    assert "script" not in {tag for tag, _ in page.tags}
    assert "<script>alert(1)</script>" in page.text


def test_the_command_line_writes_it(boathouse, tmp_path, capsys):
    given, out = tmp_path / "calibration.json", tmp_path / "report.html"
    given.write_text(json.dumps(export_calibration(boathouse)))
    assert main(["report", "--calibration", str(given), str(out)]) == 0
    assert out.read_text().startswith("<!doctype html>")
    assert main(["report", "--calibration", str(given), str(tmp_path / "report.txt")]) == 2
    assert "ends in .html" in capsys.readouterr().err


@pytest.mark.parametrize(
    "spoil",
    [
        lambda whole: whole["readings"].update(talk={"third_octaves": [{"centre_hz": "low"}]}),
        lambda whole: whole["rig"].update(distance_cm="near", preamp=[1]),
        lambda whole: whole["feeds"].append({}),
        lambda whole: whole["readings"].clear(),
    ],
)
def test_what_is_missing_is_unknown(boathouse, spoil):
    whole = export_calibration(boathouse)
    spoil(whole)
    text = report_html(CalibrationFile.model_validate(whole))
    assert "What is done to the voice" in text
    assert not re.search(r">\s*(None|nan|\[\]|\{\})\s*<", text)


def test_a_stage_of_another_program_is_refused(boathouse, tmp_path, capsys):
    whole = export_calibration(boathouse)
    whole["chain"][0]["kind"] = "moonlight"
    given = tmp_path / "calibration.json"
    given.write_text(json.dumps(whole))
    assert main(["report", "--calibration", str(given), str(tmp_path / "r.html")]) == 2
    assert "no stage “moonlight”" in capsys.readouterr().err
    assert not (tmp_path / "r.html").exists()
