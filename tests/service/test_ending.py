"""Takes that end by themselves."""

from obsidian_wren.service.takes import ending, from_page, simulated
from shown import shows
from signals import RATE, voice


def test_talk_ends_by_itself_when_it_is_known(boathouse):
    simulated.start_simulated(boathouse, "talk", until_steady=True)
    take = shows(boathouse, "takes")[-1]
    assert 12 < take.seconds < 80
    assert "uncertainty of ±0." in take.ended


def test_a_take_of_the_browser_says_when_it_has_enough(app):
    take_id = from_page.start_browser(
        app, "talk", rate_hz=RATE, seconds=90, not_obeyed=[], until_steady=True
    )
    sound = voice("passage")
    enough = False
    for number in range(len(sound) // 12_000):
        enough = from_page.add_piece(
            app, take_id, number, sound[number * 12_000 : (number + 1) * 12_000]
        )
        if enough:
            break
    assert enough
    progress = shows(app, "progress")
    assert progress.steady.steady
    assert progress.steady.active_error_db <= 0.5
    ending.stop_take(app)
    assert "uncertainty of ±" in shows(app, "takes")[0].ended
