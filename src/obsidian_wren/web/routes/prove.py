"""The proof: blind series, checks, two microphones."""

from __future__ import annotations

from typing import Literal

from flask import Response, jsonify
from pydantic import Field

from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import prove, views
from obsidian_wren.service.prove import blind
from obsidian_wren.service.setup import second_microphone
from obsidian_wren.service.takes import from_check
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web import models
from obsidian_wren.web.answers import Route, state_answer, the_app


class BeginSeries(RequestModel):
    """What to compare the treated voice with, what is asked, and how often."""

    second: str = Field(max_length=40)
    kind: Literal["prefer", "which"] = "prefer"
    rounds: int = Field(default=12, ge=8, le=24)


class AnswerSeries(RequestModel):
    """The answer of a round, counted from 0."""

    round: int = Field(ge=0, le=24)
    answer: Literal["one", "other", "same"]


class AnswerPair(RequestModel):
    """Which of a pair was preferred; pairs count from 1."""

    number: int = Field(ge=1, le=100)
    answer: Literal["one", "other", "same"]


class HearOne(RequestModel):
    """Which of the two."""

    which: Literal["one", "other"]


def begin_series(body: BeginSeries) -> Response:
    """Begin a blind series; the order is drawn here and stays here until its end."""
    the_app().work(blind.begin_series, body.second, body.kind, body.rounds)
    return state_answer()


def answer_series(body: AnswerSeries) -> Response:
    """Answer the round that is due."""
    blind.answer_series(the_app(), body.round, body.answer)
    return state_answer()


def end_series() -> Response:
    """Break the series off; it is not kept."""
    blind.end_series(the_app())
    return state_answer()


def discard_series(path: models.ById) -> Response:
    """Remove a series; undo brings it back."""
    blind.discard_series(the_app(), path.id)
    return state_answer()


def hear_one(path: HearOne) -> Response:
    """A WAV of “one” or “other” in the round that is due."""
    answer = Response(the_app().work(blind.series_sound, path.which), mimetype="audio/wav")
    # Each round holds another draw behind the same address.
    answer.headers["Cache-Control"] = "no-store"
    return answer


def keep_check(path: models.ById) -> Response:
    """Take over what a check heard, and derive again what stands on it."""
    from_check.keep_what_moved(the_app(), path.id)
    return state_answer()


class NameSecond(RequestModel):
    """What the microphone on the second channel is called."""

    name: str = Field(max_length=80)


def compare_rigs(path: models.ById) -> Response:
    """The rig in hand against another one, by the takes of both."""
    return jsonify(the_app().work(prove.with_rig, path.id).model_dump())


def name_second(path: models.ById, body: NameSecond) -> Response:
    """Say what the second microphone of a take is called."""
    second_microphone.name_second(the_app(), path.id, body.name)
    return state_answer()


def use_second(path: models.ById) -> Response:
    """Put the second microphone into the rig."""
    second_microphone.use_second(the_app(), path.id)
    return state_answer()


def sound_like_first(path: models.ById) -> Response:
    """Put the second microphone into the rig, fitted to sound like the first."""
    second_microphone.sound_like_first(the_app(), path.id)
    return state_answer()


def show_before_after() -> Response:
    """The passage before and after."""
    from obsidian_wren.service.page import before_after

    return jsonify(the_app().work(before_after.shown).model_dump())


def show_search() -> Response:
    """How far the search for a taste is."""
    from obsidian_wren.service.prove import find_sound

    return jsonify(convert(views.FindSoundView, find_sound.view(the_app())).model_dump())


def begin_search() -> Response:
    """Begin to find a taste by ear."""
    from obsidian_wren.service.prove import find_sound

    return jsonify(convert(views.FindSoundView, find_sound.begin(the_app())).model_dump())


def answer_pair(body: AnswerPair) -> Response:
    """Answer a pair."""
    from obsidian_wren.service.prove import find_sound

    return jsonify(
        convert(
            views.FindSoundView, find_sound.answer(the_app(), body.number, body.answer)
        ).model_dump()
    )


def end_search() -> Response:
    """Leave the search."""
    from obsidian_wren.service.prove import find_sound

    return jsonify(convert(views.FindSoundView, find_sound.end(the_app())).model_dump())


def use_found() -> Response:
    """Make wishes of what was found."""
    from obsidian_wren.service.prove import find_sound

    find_sound.take_over(the_app())
    return state_answer()


def pair_sound(path: HearOne) -> Response:
    """One of the pair that is heard."""
    from obsidian_wren.service.prove import find_sound

    answer = Response(find_sound.sound(the_app(), path.which), mimetype="audio/wav")
    answer.headers["Cache-Control"] = "no-store"
    return answer


ROUTES: tuple[Route, ...] = (
    Route("get", "/find-sound", show_search, views.FindSoundView),
    Route("post", "/find-sound", begin_search, views.FindSoundView),
    Route("post", "/find-sound/answer", answer_pair, views.FindSoundView),
    Route("post", "/find-sound/end", end_search, views.FindSoundView),
    Route("post", "/find-sound/use", use_found, views.Overview),
    Route("get", "/find-sound/sound/<which>", pair_sound, None),
    Route("get", "/before-after", show_before_after, views.BeforeAfterView),
    Route("post", "/series", begin_series, views.Overview),
    Route("post", "/series/answer", answer_series, views.Overview),
    Route("post", "/series/end", end_series, views.Overview),
    Route("delete", "/series/<int:id>", discard_series, views.Overview),
    Route("get", "/series/sound/<which>", hear_one, None),
    Route("post", "/checks/<int:id>/keep", keep_check, views.Overview),
    Route("get", "/two/rigs/<int:id>", compare_rigs, views.TwoView),
    Route("patch", "/two/<int:id>", name_second, views.Overview),
    Route("post", "/two/<int:id>/use", use_second, views.Overview),
    Route("post", "/two/<int:id>/sound-like-first", sound_like_first, views.Overview),
)
