"""Clips: short sounds on keys, trimmed, matched by loudness, played into whichever mixes get
them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.rate import at_rate
from obsidian_wren.core.wording import _
from obsidian_wren.formats.read_sound import read_sound
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes.clip_rows import ClipSound, rows
from obsidian_wren.store import take_files
from obsidian_wren.store.models import Clip

# Every clip is brought to this loudness, so that one key is as loud as another.
CLIP_LUFS = -23.0
LONGEST_S = 60.0
_SHORTEST_S = 0.05
_MOST = 24
_FADE_S = 0.005
# A clip shorter than a gating block has no loudness by the standard; its energy is measured as if
# it filled one.
_BLOCK_S = 0.4
_SILENT = 1e-4


def ship(app: AppContext) -> None:
    """Lay out the clips that ship with the program, once."""
    with app.sessions() as session:
        if rows(session):
            return
    app.work(_ship)


def _ship(app: AppContext) -> None:
    with app.lock, app.sessions.begin() as session:
        if rows(session):
            return
        for number, (name, sound) in enumerate(app.world.clips(48_000)):
            _keep(app, session, name.capitalize(), sound, 48_000, key=str(number + 1))


def load(app: AppContext, name: str, samples: Samples, rate_hz: int) -> None:
    """Keep a sound as a clip, on the first free key. Channels are folded."""
    mono = samples if samples.ndim == 1 else samples.mean(axis=1)
    seconds = len(mono) / rate_hz
    if seconds > LONGEST_S:
        raise Refused(
            "long-clip",
            _(
                "The sound lasts {seconds:.0f} s; clips last up to {longest_s:.0f} s. Shorten"
                " it first.",
                seconds=seconds,
                longest_s=LONGEST_S,
            ),
        )
    if not len(mono) or float(np.abs(mono).max()) < _SILENT:
        raise Refused("silent-clip", _("There is no sound in this file. Choose another."))
    with change(app, _("Clip {name}", name=name)) as session:
        there = rows(session)
        if len(there) >= _MOST:
            raise Refused(
                "many-clips",
                _("There are already {most} clips. Remove one first.", most=_MOST),
            )
        taken = {clip.key for clip in there}
        free = next((str(n) for n in range(1, 10) if str(n) not in taken), None)
        _keep(app, session, name, mono, rate_hz, key=free)
    app.changed()


def load_file(app: AppContext, path: Path, name: str) -> None:
    """Keep a sound file as a clip, named as the person named the file."""
    sound = read_sound(path, longest_s=LONGEST_S, fold=True)
    load(app, name.rpartition(".")[0] or name, sound.samples, sound.rate_hz)


def _keep(
    app: AppContext, session: Session, name: str, mono: Samples, rate_hz: int, *, key: str | None
) -> None:
    described = {"as": "clip", "name": name[:80], "key": key, "rate_hz": rate_hz, "at": now()}
    digest = take_files.keep_take(app.folder, mono, rate_hz=rate_hz, described=described)
    place = max((clip.place for clip in rows(session)), default=-1) + 1
    clip = Clip(
        name=name[:80],
        sha256=digest,
        rate_hz=rate_hz,
        frames=len(mono),
        start_s=0.0,
        end_s=len(mono) / rate_hz,
        lufs=_lufs(mono, rate_hz),
        key=key,
        place=place,
        fault=None,
    )
    session.add(clip)
    session.flush()


def _lufs(mono: Samples, rate_hz: int) -> float | None:
    block = round(_BLOCK_S * rate_hz)
    padded = mono if len(mono) >= block else np.concatenate([mono, np.zeros(block - len(mono))])
    found = integrated_lufs(padded, rate_hz=rate_hz)
    return round(found, 2) if np.isfinite(found) else None


def alter(
    app: AppContext, clip_id: int, name: str, key: str | None, start_s: float, end_s: float
) -> None:
    """Rename, put on another key, trim."""
    with change(app, _("Clip {name}", name=name)) as session:
        clip = clip_by(session, clip_id)
        seconds = clip.frames / clip.rate_hz
        if not 0.0 <= start_s < end_s <= seconds + 1e-6 or end_s - start_s < _SHORTEST_S:
            raise Refused(
                "trim",
                _(
                    "Its beginning has to be before its end, both within {seconds:.2f} s. Move"
                    " them and try again.",
                    seconds=seconds,
                ),
            )
        for other in rows(session):
            if key is not None and other.key == key and other.id != clip.id:
                # One key, one sound: the other gives it up.
                other.key = None
        clip.name, clip.key, clip.start_s, clip.end_s = (
            name.strip()[:80] or clip.name,
            key,
            start_s,
            min(end_s, seconds),
        )
        clip.lufs = _lufs(_trimmed(app, clip), clip.rate_hz)
    app.changed()


def remove(app: AppContext, clip_id: int) -> None:
    """Take a clip away; undo brings it back."""
    with change(app, _("Removed a clip")) as session:
        session.delete(clip_by(session, clip_id))
    app.changed()


def clip_by(session: Session, clip_id: int) -> Clip:
    """One clip."""
    clip = session.get(Clip, clip_id)
    if clip is None:
        raise Refused("no-clip", _("This clip is no longer there."))
    return clip


def _trimmed(app: AppContext, clip: Clip | ClipSound) -> Samples:
    whole, rate = take_files.load_take(app.folder, clip.sha256)
    return whole[round(clip.start_s * rate) : round(clip.end_s * rate)]


def sound_of(app: AppContext, clip: Clip | ClipSound, rate_hz: int) -> Samples:
    """A clip ``(n,)`` as it plays: trimmed, its ends faded, at one loudness, at a rate."""
    sound = at_rate(_trimmed(app, clip), clip.rate_hz, rate_hz)
    fade = min(round(_FADE_S * rate_hz), len(sound) // 2)
    if fade:
        ramp = np.linspace(0.0, 1.0, fade)
        sound = np.concatenate(
            [
                sound[:fade] * ramp,
                sound[fade : len(sound) - fade],
                sound[len(sound) - fade :] * ramp[::-1],
            ]
        )
    return (
        np.asarray(sound * amplitude_from_db(CLIP_LUFS - clip.lufs))
        if clip.lufs is not None
        else sound
    )


def loudest(app: AppContext, clips: Sequence[ClipSound], rate_hz: int) -> Samples | None:
    """The clip with the highest peak, as it plays, once every five seconds: what the mixes are
    predicted with."""
    sounds = [sound for clip in clips if len(sound := sound_of(app, clip, rate_hz))]
    if not sounds:
        return None
    found = max(sounds, key=lambda sound: float(np.abs(sound).max()))
    return np.asarray(np.concatenate([found, np.zeros(5 * rate_hz)]))
