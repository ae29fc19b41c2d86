"""A taste found by ear: pairs of the person's own passage through the chain as it would be, drawn
here, so that the page knows only “one” and “other”."""

from __future__ import annotations

import io
import secrets
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, Literal

import numpy as np
import soundfile

from obsidian_wren.core.chain.compressor import CompressorSpec
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.aims import Preferences, Taste
from obsidian_wren.core.derive.compressor import EVEN_SPREAD_DB
from obsidian_wren.core.derive.equalizer import derive_equalizer
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.prove import preference
from obsidian_wren.core.prove.pair import Pair, matched_pair, starts_at_s, veiled
from obsidian_wren.core.prove.preference import DIMENSIONS, SCALE, Answer, Judged, Place
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.service.calibration import chain_rows, settings
from obsidian_wren.service.calibration.preferences import PreferencesBody, TasteBody
from obsidian_wren.service.calibration.take_sets import preferences_of, take_set_of
from obsidian_wren.service.context import AppContext, Overtaken
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.sentence import sentence_take
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.readings.answers import moved_since
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.side_by_side import beside

Which = Literal["one", "other"]
# What a filter rings and a gain settles before the sentence that is heard.
_AHEAD_S, _HEARD_S = 2.0, 6.0
_MOST_RATIO = 8.0
_STEP_DB = {"density_db": 0.1}
_USUAL_STEP_DB = 0.5
_ANSWERS: tuple[Answer, ...] = ("one", "other", "same")


@dataclass
class Searching:
    """The search that runs: of which rig, what was answered, and the pair that is heard."""

    rig_id: int | None = None
    judged: list[Judged] = field(default_factory=list)
    pair: tuple[Place, Place] | None = None
    seed: int = 0
    # The number of the last pair whose followers are made ahead.
    ahead: int = 0


@dataclass(frozen=True)
class Wish:
    """One wish as it was found: by its name in the taste, dB, and how far it may be off."""

    name: str
    value_db: float
    error_db: float


@dataclass(frozen=True)
class SearchState:
    """A search as the page knows it: the number of the pair that is heard, None where none is;
    once it has ended what was found, and whether it is worth taking over."""

    running: bool
    number: int | None
    most: int
    convinces: bool | None = None
    said: str | None = None
    wishes: list[Wish] = field(default_factory=list)


def current(app: AppContext) -> Searching:
    """The search as it runs."""
    return app.own(Searching)


def begin(app: AppContext) -> SearchState:
    """Begin a search anew. Raises Refused where there is nothing to hear."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        rig_id = ctx.rig.id
    search = current(app)
    app.work(_prepare)
    search.rig_id, search.judged, search.seed = rig_id, [], secrets.randbits(32)
    search.ahead = 0
    search.pair = app.work(_next, (), search.seed)
    return view(app)


def answer(app: AppContext, number: int, said: Answer) -> SearchState:
    """Which of the pair was preferred. Raises Refused where another pair is heard by now."""
    search = _heard(app)
    assert search.pair is not None
    if number != len(search.judged) + 1:
        raise _answered()
    search.judged.append(Judged(*search.pair, said))
    search.pair = app.work(_next, tuple(search.judged), search.seed)
    return view(app)


def _answered() -> Refused:
    return Refused("answered", _("This pair is already answered."))


def _heard(app: AppContext) -> Searching:
    """The search whose pair is heard, with the rig that it is of. Raises Refused."""
    search = current(app)
    if search.pair is None:
        raise Refused("no-search", _("There is no pair to hear. Begin “Find your sound” first."))
    _require_its_rig(app, search)
    return search


def _require_its_rig(app: AppContext, search: Searching) -> None:
    with app.sessions() as session:
        if in_hand(app, session).rig.id != search.rig_id:
            raise Refused(
                "other-rig",
                _("This search belongs to another rig. Switch to that rig, or begin again."),
            )


def end(app: AppContext) -> SearchState:
    """Leave it: nothing is changed."""
    search = current(app)
    search.rig_id, search.judged, search.pair = None, [], None
    return view(app)


def view(app: AppContext) -> SearchState:
    """How far it is, and what it came to."""
    search = current(app)
    running = search.rig_id is not None
    if not running or search.pair is not None or not search.judged:
        number = len(search.judged) + 1 if running else None
        return SearchState(running=running, number=number, most=preference.MOST_PAIRS)
    found = app.work(_found, tuple(search.judged))
    return SearchState(
        running=True,
        number=None,
        most=preference.MOST_PAIRS,
        convinces=found.convinces,
        said=_said(found),
        wishes=_wishes(found) if found.convinces else [],
    )


def take_over(app: AppContext) -> None:
    """Make wishes of what was found: a change like any other, which can be undone."""
    search = current(app)
    if search.rig_id is None or search.pair is not None or not search.judged:
        raise Refused("no-search", _("Nothing has been found yet. Answer the pairs first."))
    found = app.work(_found, tuple(search.judged))
    if not found.convinces:
        raise Refused("no-taste", _said(found))
    _require_its_rig(app, search)
    with app.sessions() as session:
        kept = dict(in_hand(app, session).rig.preferences)
    wishes = {wish.name: wish.value_db for wish in _wishes(found)}
    body = PreferencesBody.model_validate(
        {
            **kept,
            "taste": TasteBody(**wishes).model_dump(),
            "found": {
                "agrees": found.agrees,
                "preferred": found.preferred,
                "sd_db": [round(x * s, 1) for x, s in zip(found.sd_db, SCALE, strict=True)],
            },
        }
    )
    settings.change_preferences(app, body)
    end(app)


def sound(app: AppContext, which: Which) -> bytes:
    """A WAV of “one” or “other” of the pair that is heard. Raises Refused."""
    search = _heard(app)
    try:
        wav: bytes = app.work(_wav_of, search.pair, which, go_on=_while_heard(search))
    except Overtaken as error:
        raise _answered() from error
    _go_ahead(app, search)
    return wav


def _while_heard(search: Searching) -> Callable[[], None]:
    """Raises Overtaken once the pair that is heard now is answered, or left."""
    pair, number = search.pair, len(search.judged)

    def go_on() -> None:
        if search.pair != pair or len(search.judged) != number:
            raise Overtaken

    return go_on


def _go_ahead(app: AppContext, search: Searching) -> None:
    """Once a pair is heard, have what may come next made, beside it: the next pair then sounds
    with the answer."""
    judged, pair, number = tuple(search.judged), search.pair, len(search.judged) + 1
    if app.worker is None or pair is None or search.ahead >= number:
        return
    search.ahead, go_on = number, _while_heard(search)

    def work() -> None:
        with suppress(Told, Overtaken):
            app.work(_make_ahead, judged, pair, search.seed, go_on=go_on)

    threading.Thread(target=work, name="pairs", daemon=True).start()


def _said(found: preference.Found) -> str:
    if not found.convinces:
        return _(
            "Your answers point to no sound that you like better, so nothing is changed. That"
            " is a good sign: what you have suits you."
        )
    return ngettext(
        "You preferred it in {agrees} of {count} pair.",
        "You preferred it in {agrees} of {count} pairs.",
        found.preferred,
        agrees=found.agrees,
    )


def _wishes(found: preference.Found) -> list[Wish]:
    wishes = []
    for name, value, error, scale in zip(
        DIMENSIONS, found.ideal_db, found.sd_db, SCALE, strict=True
    ):
        step = _STEP_DB.get(name, _USUAL_STEP_DB)
        wishes.append(
            Wish(
                name=name,
                value_db=round(round(value * scale / step) * step, 2),
                error_db=round(error * scale, 1),
            )
        )
    return wishes


def _next(_app: AppContext, judged: tuple[Judged, ...], seed: int) -> tuple[Place, Place] | None:
    return _drawn(judged, seed)


@lru_cache(maxsize=16)
def _drawn(judged: tuple[Judged, ...], seed: int) -> tuple[Place, Place] | None:
    return preference.next_pair(judged, np.random.default_rng([seed, len(judged)]))


def _make_ahead(
    app: AppContext, judged: tuple[Judged, ...], pair: tuple[Place, Place], seed: int
) -> None:
    with app.sessions() as session:
        ctx = in_hand(app, session)
        for said in _ANSWERS:
            app.go_on()
            then = _drawn((*judged, Judged(*pair, said)), seed)
            if then is not None:
                app.go_on()
                _both_of(ctx, then)


def _found(_app: AppContext, judged: tuple[Judged, ...]) -> preference.Found:
    return preference.find(judged)


def _prepare(app: AppContext) -> None:
    """Run the passage up to the equalizer, once for all pairs."""
    with app.sessions() as session:
        _before_tone(in_hand(app, session))


def _before_tone(ctx: RigContext) -> tuple[Samples, int, float, tuple[StageSpec, ...]]:
    """The stretch that is heard behind what stands before the equalizer, with some before it; its
    rate; where the sentence begins in it, s; and the stages from the equalizer on."""
    specs = chain_rows.keyed_specs(ctx)
    if specs is None:
        raise Refused(
            "no-chain",
            _("There is nothing to treat it with yet: fit the tone first."),
        )
    take = sentence_take(ctx)
    keys = list(specs)
    at = keys.index("equalizer")
    before = tuple(specs[key] for key in keys[:at])

    def make() -> tuple[Samples, float]:
        raw = measuring.samples_of(ctx.app, take)
        begins_s = starts_at_s(raw, rate_hz=take.rate_hz)
        last = round((begins_s + _HEARD_S + 1.0) * take.rate_hz)
        first = max(0, round((begins_s - _AHEAD_S) * take.rate_hz))
        heard = render(before, raw[:last], rate_hz=take.rate_hz, beside=beside)[first:]
        return heard, begins_s - first / take.rate_hz

    heard, begins_s = ctx.app.sounds.get(("before-tone", take.sha256, before), make)
    return heard, take.rate_hz, begins_s, tuple(specs[key] for key in keys[at:])


def _wav_of(app: AppContext, pair: tuple[Place, Place], which: Which) -> bytes:
    with app.sessions() as session:
        made, rate = _both_of(in_hand(app, session), pair)
    out = io.BytesIO()
    chosen = veiled(made.first if which == "one" else made.second, np.random.default_rng())
    soundfile.write(out, np.clip(chosen, -1.0, 1.0), rate, format="WAV", subtype="PCM_24")
    return out.getvalue()


def _both_of(ctx: RigContext, pair: tuple[Place, Place]) -> tuple[Pair, int]:
    """Both sounds of a pair, matched, and their rate."""
    heard, rate, begins_s, behind = _before_tone(ctx)
    digest, here = sentence_take(ctx).sha256, _take_set(ctx)

    def paced(given: Iterable[Any]) -> Iterator[Any]:
        for each in beside(given):
            ctx.app.go_on()
            yield each

    def make() -> Pair:
        both = []
        for place in pair:
            ctx.app.go_on()
            specs = _tasting(behind, here, place)
            both.append(render(specs, heard, rate_hz=rate, beside=paced))
        try:
            return matched_pair(both[0], both[1], rate_hz=rate, from_s=begins_s)
        except ValueError as error:
            raise Refused(
                "silent", _("One of the two is silent. Read the passage in Tone again.")
            ) from error

    made: Pair = ctx.app.sounds.get(("tasted", digest, here.passed, behind, pair), make)
    return made, rate


def _take_set(ctx: RigContext) -> TakeSet:
    """What the tone is fitted on, behind the filters that stand before it."""
    assert ctx.takes.voice is not None
    here, _key = take_set_of(ctx, moved_since(ctx, ctx.takes.voice)[0], refit=True)
    specs = chain_rows.keyed_specs(ctx) or {}
    passed = tuple(spec for key, spec in specs.items() if key == "highpass" and spec.on)
    return replace(here, passed=passed, preferences=preferences_of(ctx.rig))


def taste_at(place: Place) -> Taste:
    """The taste at a place of the search."""
    return Taste(**{n: x * s for n, x, s in zip(DIMENSIONS, place, SCALE, strict=True)})


def _tasting(specs: Sequence[StageSpec], here: TakeSet, place: Place) -> list[StageSpec]:
    """The stages from the equalizer on as they would be with a taste."""
    taste = taste_at(place)
    wanted = replace(here.preferences, taste=taste)
    return [_tasted(spec, here, wanted) for spec in specs]


def _tasted(spec: StageSpec, here: TakeSet, wanted: Preferences) -> StageSpec:
    before = here.preferences.taste
    changed: StageSpec = spec
    if isinstance(spec, EqualizerSpec):
        plan = derive_equalizer(replace(here, preferences=wanted), Pins())
        changed = plan.spec()
    elif isinstance(spec, CompressorSpec):
        # The rule's ratio: the spread of the louder half over what it is to be.
        narrower = (EVEN_SPREAD_DB - before.density_db) / (EVEN_SPREAD_DB - wanted.taste.density_db)
        changed = replace(spec, ratio=float(np.clip(spec.ratio * narrower, 1.0001, _MOST_RATIO)))
    return changed
