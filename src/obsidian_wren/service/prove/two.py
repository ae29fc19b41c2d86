"""Two microphones: at once on two channels, or by the takes of two rigs."""

from __future__ import annotations

from dataclasses import dataclass, replace

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.prove import ranking_words
from obsidian_wren.core.prove.microphone import PolarMicrophone, heard_through
from obsidian_wren.core.prove.pair import starts_at_s
from obsidian_wren.core.prove.ranking import Ranking, rank
from obsidian_wren.core.prove.ranking_words import RankingSentence
from obsidian_wren.core.prove.relative import Relative, at_once, in_turn
from obsidian_wren.core.rate import at_rate
from obsidian_wren.core.record_types import Level
from obsidian_wren.core.wording import _
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.checks import ROOM_S, room_of
from obsidian_wren.service.prove.two_takes import beside_of, names_of
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.store.models import Reading, Rig, Take

_LEAST_TALK_S = 5.0


@dataclass(frozen=True)
class TwoBar:
    """One number of two microphones, None where it is not known."""

    code: str
    title: str
    first: float | None
    second: float | None
    unit: str


@dataclass(frozen=True)
class ComparedMicrophones:
    """A comparison as it is kept: ``db``: the second against the first by third octave ``hz``, None
    where it is not known; how much louder, later and which way round the second is; ``said`` by the
    names that both had."""

    at_once: bool
    hz: tuple[float, ...]
    db: tuple[float | None, ...]
    error_db: tuple[float | None, ...]
    level_db: Level
    delay_samples: float | None
    inverted: bool | None
    rate_hz: int
    bars: tuple[TwoBar, ...]
    ranking: Ranking
    said: tuple[RankingSentence, ...] = ()

    def named(self, first: str, second: str) -> ComparedMicrophones:
        """With what is said of it by the names of both: first what to take, then each difference,
        then delay and polarity."""
        between = ranking_words.in_time(
            self.at_once,
            self.delay_samples,
            inverted=self.inverted,
            rate_hz=self.rate_hz,
            second=second,
        )
        sentences = (
            ranking_words.choice(self.ranking, first=first, second=second),
            *(
                ranking_words.difference(one, first=first, second=second)
                for one in self.ranking.differences
            ),
            *(() if between is None else (between,)),
        )
        return replace(self, said=sentences)


def keep_two(ctx: RigContext, take: Take) -> None:
    """Compare both channels of a take of two microphones, and keep what was found. Raises
    Refused."""
    beside = beside_of(ctx, take)
    rate = take.rate_hz
    whole = [measuring.samples_of(ctx.app, one) for one in (take, beside)]
    talks = [spoken_of(samples, rate) for samples in whole]
    rooms = [room_of(samples, rate) for samples in whole]
    if len(talks[0]) < _LEAST_TALK_S * rate:
        raise Refused(
            "too-short",
            _(
                "It ended before the sentence was read. Record both again and read on until it"
                " ends by itself."
            ),
        )
    heard = [
        heard_through(room, talk, read_talk(talk, rate_hz=rate))
        for room, talk in zip(rooms, talks, strict=True)
    ]
    relative = at_once((rooms[0], talks[0]), (rooms[1], talks[1]), rate_hz=rate)
    found = _compared(heard[0], heard[1], relative, rate).named(*names_of(ctx, take))
    ctx.session.merge(Reading(take_id=take.id, body=to_jsonable(found)))
    ctx.session.flush()


def spoken_of(samples: Samples, rate_hz: int) -> Samples:
    """The talk of samples ``(n,)`` that begin with the room."""
    return samples[round(ROOM_S * rate_hz) :]


def compare_with_rig(ctx: RigContext, other_id: int) -> ComparedMicrophones:
    """The rig in hand, first, and another one by the room and the sentence that each was
    calibrated with. Raises Refused."""
    other = ctx.session.get(Rig, other_id)
    if other is None or other.id == ctx.rig.id:
        raise Refused("no-rig", _("This rig is no longer stored. Choose another one."))
    own, its = _takes_of(ctx, ctx.rig), _takes_of(ctx, other)

    def make() -> ComparedMicrophones:
        first, second = (_calibrated(ctx, *takes) for takes in (own, its))
        relative = in_turn(first.sounding, second.sounding)
        found = _compared(first, second, relative, own[1].rate_hz)
        return found.named(ctx.rig.name, other.name)

    key = ("two", ctx.rig.name, other.name, *(take.sha256 for take in (*own, *its)))
    found: ComparedMicrophones = ctx.app.readings.get(key, make)
    return found


def _takes_of(ctx: RigContext, rig: Rig) -> tuple[Take, Take]:
    takes = current_takes(ctx.session, rig)
    spoken = takes.passage or takes.talk
    if takes.quiet is None or spoken is None:
        raise Refused(
            "no-takes",
            _(
                "“{name}” has no room or no sentence yet. Record both with it, then compare.",
                name=rig.name,
            ),
        )
    return takes.quiet, spoken


def _calibrated(ctx: RigContext, quiet: Take, spoken: Take) -> PolarMicrophone:
    rate = spoken.rate_hz
    talk = measuring.samples_of(ctx.app, spoken)
    talk = talk[round(starts_at_s(talk, rate_hz=rate) * rate) :]
    room = at_rate(measuring.samples_of(ctx.app, quiet), quiet.rate_hz, rate)
    return heard_through(room, talk, read_talk(talk, rate_hz=rate))


def _compared(
    first: PolarMicrophone, second: PolarMicrophone, relative: Relative, rate_hz: int
) -> ComparedMicrophones:
    error_db = [float(error) if error < _KNOWN_DB else None for error in relative.error_db]
    return ComparedMicrophones(
        relative.at_once,
        tuple(map(float, relative.hz)),
        tuple(
            None if error is None else float(db)
            for db, error in zip(relative.db, error_db, strict=True)
        ),
        tuple(error_db),
        relative.level_db,
        relative.delay_samples,
        relative.inverted,
        rate_hz,
        _bars(first, second),
        rank(first, second, relative),
    )


_KNOWN_DB = 100.0


def _bars(first: PolarMicrophone, second: PolarMicrophone) -> tuple[TwoBar, ...]:
    rows = (
        ("noise", _("Noise at equal voice"), first.noise_db, second.noise_db),
        ("room", _("Reverb after a word"), first.late_db, second.late_db),
        ("plosives", _("Plosives over the voice"), first.plosives_db, second.plosives_db),
        ("sibilance", _("Sibilance over the voice"), first.sibilance_db, second.sibilance_db),
        ("spare", _("Peaks to clipping"), first.spare_db, second.spare_db),
    )
    return tuple(TwoBar(*row, "dB") for row in rows)
