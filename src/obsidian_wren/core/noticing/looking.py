"""A watch beside a live voice: pieces come in, evidence grows, and it speaks once.

Every eight seconds of talk the last 24 of it are compared with the calibration as it is on an
ordinary day, and with how today has been so far. Where one is no ordinary difference, its causes
are asked for; a cause that is the strongest three times in a row is told. What was told, or put
aside, is not told again until it has been gone.

Source: Bayes factors of that size are decisive after Kass and Raftery (1995).
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.noticing.change import live_change
from obsidian_wren.core.noticing.piece import PIECE_S, Piece
from obsidian_wren.core.noticing.stretch import quietest_db, spoken_in, summed_up
from obsidian_wren.core.noticing.usual import BEFORE_ANY_DAY, Usual, usual_today
from obsidian_wren.core.prove.causes import Code
from obsidian_wren.core.prove.change import SoundingChange
from obsidian_wren.core.prove.drift import Drift, DriftCause
from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding

Fault = Literal["silent", "clipped"]
LOOK_EVERY_S, LOOK_OVER_S = 8.0, 24.0
_MOST_PIECES = round(300.0 / PIECE_S)
_AGREE = 3
_LONGEST_S = 64.0
# What has no cause for so long is how it is.
_GIVEN_UP = 8
_ASK_AT_FIRST, _THEN_EACH = 6, 6
# Of what a talker or a room does anyway, or what two soundings cannot tell.
_NOT_TOLD: frozenset[Code] = frozenset({"voice", "unexplained"})
_SIGMAS = 2.6
_LEAST_NOISE_DBA, _LEAST_GAIN_DB, _LEAST_RATIO = 1.5, 1.0, 1.12
_MOST_LOOKS = 120
# Pieces whose quietest moments tell the room of now.
_OF_ROOM = 10
# So far back pauses are looked for, where somebody talks without any.
_OLDER = round(180.0 / PIECE_S)
# The newest looks may hold the beginning of a change; today is known from so many before them.
_NEWEST, _LEAST_LOOKS = 3, 3
_LOW_HZ = 500.0
_SILENT_S, _CLIPPED_OF, _CLIPPED = 6.0, 15, 3


@dataclass(frozen=True)
class Look:
    """One comparison, and whether it is beyond an ordinary day so that its causes are worth asking
    for now; ``plain_db`` ``(n,)``: what differs from the calibration."""

    change: SoundingChange
    plain_db: Samples
    worth_asking: bool


def is_unusual(change: SoundingChange) -> bool:
    """Whether a change goes beyond what is usual in one of the ways that causes have: all bands,
    the voice, the room, parts of the room, the hum, the falls."""
    known = change.known
    inverse = np.linalg.inv(change.covariance[np.ix_(known, known)])
    db = change.db[known]
    for way in _ways(change):
        along = way[known]
        size = float(along @ inverse @ along)
        if size > 0.0 and abs(float(along @ inverse @ db)) > _SIGMAS * np.sqrt(size):
            return True
    return False


def _ways(change: SoundingChange) -> list[Samples]:
    count = len(change.db)

    def way(**parts: Samples | float) -> Samples:
        found = np.zeros(count)
        for name, value in parts.items():
            found[getattr(change, name)] = value
        return found

    low = (change.noise_hz < _LOW_HZ).astype(float)
    octaves = np.log2(VOICE_HZ / 1000.0)
    return [
        way(voice=1.0, noise=1.0),
        way(voice=1.0),
        way(voice=1.0, late=-0.7),
        way(voice=octaves),
        way(noise=1.0),
        way(noise=low),
        way(noise=1.0 - low),
        way(hum=1.0),
        way(late=1.0),
    ]


def _matters(cause: DriftCause, change: SoundingChange) -> bool:
    """Whether anybody should hear of a cause: less than that changes nothing for who listens."""
    if cause.code == "noise":
        return abs(change.now.floor_dbfs_a - change.then.floor_dbfs_a) >= _LEAST_NOISE_DBA
    if cause.code in ("gain", "slider"):
        return abs(cause.estimate or 0.0) >= _LEAST_GAIN_DB
    if cause.code == "distance" and cause.estimate and cause.then:
        return bool(abs(np.log(cause.estimate / cause.then)) >= np.log(_LEAST_RATIO))
    return cause.code not in _NOT_TOLD


class Looking:
    """What a watch knows. ``then`` is the calibration as its own pieces sum it up."""

    def __init__(self, then: Sounding, usual: Usual = BEFORE_ANY_DAY) -> None:
        self.then, self.usual = then, usual
        self.talk_s = 0.0
        self.fault: Fault | None = None
        # How ordinary looks differ from the calibration, (n,) each.
        self.ordinary: deque[Samples] = deque(maxlen=_MOST_LOOKS)
        self._pieces: deque[Piece] = deque(maxlen=_MOST_PIECES)
        self._since_s = 0.0
        self._found: list[Code | None] = []
        self._unusual = 0
        self._aside: Code | None = None

    def add(self, piece: Piece) -> Look | None:
        """The next piece; a comparison where it is time for one."""
        self._pieces.append(piece)
        self.fault = self._fault()
        spoken = spoken_in(piece, self._level_dbfs())
        self.talk_s += spoken
        self._since_s += spoken
        if self._since_s < LOOK_EVERY_S:
            return None
        self._since_s = 0.0
        now = self._summed_up()
        if now is None:
            return None
        plain = live_change(self.then, now, BEFORE_ANY_DAY).db
        before = list(self.ordinary)[:-_NEWEST]
        today = usual_today(self.usual, before if len(before) >= _LEAST_LOOKS else ())
        # What today shows of itself is known best; what a day may not be counts as well.
        changes = [live_change(self.then, now, usual) for usual in (today, self.usual)]
        change = next((each for each in changes if is_unusual(each)), None)
        if change is None:
            self._ordinary(plain)
            return Look(changes[0], plain, False)
        self._unusual += 1
        # What was told, or never agreed, is looked at again less often.
        return Look(
            change, plain, self._unusual <= _ASK_AT_FIRST or self._unusual % _THEN_EACH == 0
        )

    def judge(self, look: Look, drift: Drift) -> Code | None:
        """What the causes of an unusual look are; the one that is told now, if any."""
        strongest = next((each.code for each in drift.causes if _matters(each, look.change)), None)
        if strongest is None and self._unusual >= _GIVEN_UP:
            self._ordinary(look.plain_db)
            return None
        self._found = [*self._found, strongest][-_AGREE:]
        if strongest is None:
            return None
        if len(self._found) < _AGREE or len(set(self._found)) > 1 or strongest == self._aside:
            return None
        self._aside = strongest
        return strongest

    def stands_by(self, code: str) -> bool:
        """Whether what was told is still found."""
        return not self._found or any(each == code for each in self._found)

    def _ordinary(self, plain_db: Samples) -> None:
        self._unusual = 0
        self._found = [*self._found, None][-_AGREE:]
        self.ordinary.append(plain_db)
        if self._found == [None] * _AGREE:
            self._aside = None

    def _level_dbfs(self) -> float:
        """How loud the voice is expected: as at the calibration, or lower by as much as the room
        is, where the gain fell."""
        return self.then.active_level_dbfs + min(0.0, self._room_moved_db())

    def _room_moved_db(self) -> float:
        last = [quietest_db(piece) for piece in list(self._pieces)[-_OF_ROOM:]]
        return float(np.median(np.median(last, axis=0) - self.then.noise_db))

    def _summed_up(self) -> Sounding | None:
        level = self._level_dbfs()
        # What is unusual is looked at longer and longer, back to where it began.
        over_s = min(LOOK_EVERY_S * (self._unusual + 1), _LONGEST_S)
        if not self._unusual:
            over_s = LOOK_OVER_S
        spoken, chosen = 0.0, []
        for piece in reversed(self._pieces):
            chosen.append(piece)
            spoken += spoken_in(piece, level)
            if spoken >= over_s:
                moved = self._room_moved_db()
                levels = (self.then.active_level_dbfs, self.then.active_level_dbfs + moved)
                older = list(self._pieces)[: -len(chosen)][-_OLDER:]
                return summed_up(
                    chosen[::-1], before=older, levels_dbfs=levels, grid=self.then.grid
                )
        return None

    def _fault(self) -> Fault | None:
        last = list(self._pieces)
        silent = last[-round(_SILENT_S / PIECE_S) :]
        if len(silent) * PIECE_S >= _SILENT_S and all(p.silent_share >= 1.0 for p in silent):
            return "silent"
        clipped = [piece for piece in last[-_CLIPPED_OF:] if piece.clipped]
        return "clipped" if len(clipped) >= _CLIPPED else None
