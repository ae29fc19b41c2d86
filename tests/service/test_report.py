"""The report: one page that holds everything and runs nothing."""

import json
import re
from html.parser import HTMLParser

import pytest

from obsidian_wren.cli.main import main
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.report import report_html
from obsidian_wren.service.export.exporting import export_calibration, export_report
from obsidian_wren.service.prove import blind
from shown import overview, shows


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


def written(sentence):
    """A sentence of the program as a page writes it: with true minus signs."""
    return re.sub(r"(?<![\w-])-(?=\d)", "−", sentence)


def page_of(app):
    return Page(export_report(app))


def test_it_runs_nothing_and_asks_for_nothing(boathouse):
    page = page_of(boathouse)
    assert not {"script", "link", "iframe", "img", "object"} & {tag for tag, _ in page.tags}
    for _, attributes in page.tags:
        assert not {"src", "href", "onload", "onclick"} & set(attributes)
    assert "url(" not in export_report(boathouse)


def test_every_setting_is_there_with_its_because(boathouse):
    whole, text = export_calibration(boathouse), page_of(boathouse).text
    for stage in whole["chain"]:
        assert written(stage["because"].strip()) in text
        if stage["on"]:
            for setting in stage["settings"].values():
                if isinstance(setting["value"], float):
                    assert written(setting["because"]) in text
    assert not re.search(r"\s-\d", text)
    assert "Reedling 40" in text
    assert "22 cm" in text


def test_every_picture_says_what_it_shows(boathouse):
    pictures = [attributes for tag, attributes in page_of(boathouse).tags if tag == "svg"]
    assert len(pictures) == 6
    assert all(each["role"] == "img" and each["aria-label"] for each in pictures)
    seen = overview(boathouse, "talk")
    assert f"{round(seen.talk.snr_db)} dB over the room" in pictures[1]["aria-label"]
    chain = {stage["key"]: stage["settings"] for stage in export_calibration(boathouse)["chain"]}
    ratio = chain["compressor"]["ratio"]["value"]
    assert f"{ratio:.1f} dB more in give 1 dB more out" in pictures[4]["aria-label"]
    assert "its target is −18.0 LUFS" in pictures[5]["aria-label"]


def test_a_series_stands_in_it(boathouse):
    assert "Nothing yet" in page_of(boathouse).text
    blind.begin_series(boathouse, "raw", "prefer", 8)
    for number in range(8):
        blind.answer_series(boathouse, number, "same")
    text = page_of(boathouse).text
    assert "Treated against raw: 4 of 8" in text
    assert "chosen 8 times and counts half to each" in text
    assert "grey is where chance alone lands in 95 of 100. Treated against raw: 4 of 8." in text


def test_the_level_diagram_is_that_of_the_page(boathouse):
    shown = [point for point in shows(boathouse, "diagram") if not point.name.startswith("to:")]
    kept = export_calibration(boathouse)["readings"]["levels"]["points"]
    assert [point["title"] for point in kept[: len(shown)]] == [point.title for point in shown]
    for point, other in zip(shown, kept, strict=False):
        for name in ("voice_low_dbfs", "voice_high_dbfs", "peak_dbfs", "floor_dbfs_a"):
            assert other[name] == getattr(point, name)
    assert {"Editor call", "Walk recorder"} <= {point["title"] for point in kept}
    drawn = page_of(boathouse).text
    assert f"the peaks stand at {kept[-1]['peak_dbfs']:.1f} dBFS".replace("-", "−") in drawn


def test_the_peaks_and_what_a_check_found_are_drawn(boathouse):
    whole = export_calibration(boathouse)
    low, high = whole["rig"]["aim_dbfs"]
    peaks = whole["readings"]["talk"]["peaks_by_second_dbfs"]
    inside = sum(low <= peak <= high for peak in peaks)
    file = CalibrationFile.model_validate(
        whole
        | {
            "proof": {
                "last_check_bands": [
                    {"hz": 100.0, "change_db": 1.0, "explained_db": None, "room_db": 0.0},
                    {"hz": 1000.0, "change_db": -4.0, "explained_db": -3.5, "room_db": 0.5},
                ]
            }
        }
    )
    text = Page(report_html(file)).text
    assert f"{inside} of {len(peaks)} lie between" in text
    assert "largest at 1000 Hz: −4.0 dB" in text


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
        lambda whole: whole["readings"].update(talk={"third_octaves": [{"centre_hz": 100}, None]}),
        lambda whole: whole["readings"].update(levels={"points": [{}]}),
        lambda whole: whole["rig"].clear(),
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
