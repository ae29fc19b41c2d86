"""Being live: who takes part, starting, stopping, going on after a restart, and what comes back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass

from sqlalchemy.orm import Session

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix
from obsidian_wren.core.mix.returns import derive_return
from obsidian_wren.service import measuring, mixing, scene, voice
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import current_takes, inputs_of, now
from obsidian_wren.service.paths import ReturnPath, Seat, VoicePath
from obsidian_wren.service.ports import Player, PushedStream, SoundStream
from obsidian_wren.service.rehearsal import BlockCost, buffer_ms, choose_block, rehearse
from obsidian_wren.service.rigs import simulated_source, the_rig
from obsidian_wren.service.run import BLOCK_S, LiveRun, Loop, Tell
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Rig

# Being live with the pace of takes set to fast: soon through, and a core left for others.
_FAST = 4.0


def inputs_for(ws: Workshop, session: Session, rig: Rig) -> dict[str, str]:
    """What each name that programs can pick stands for in the run."""
    found = {}
    for entry in inputs_of(ws, session, rig):
        found[entry.name] = "voice at once" if entry.kind == "raw" else f"mix {entry.of}"
    return found


@dataclass(frozen=True)
class Prepared:
    """A run that is ready to start, and the stream that a page pushes into, where its microphone is the source."""

    run: LiveRun
    pushed: PushedStream | None
    block_costs: tuple[BlockCost, ...]


def _stream(ws: Workshop, session: Session, rig: Rig, browser_rate_hz: int | None) -> tuple[SoundStream, PushedStream | None]:
    if rig.source == "simulated":
        return simulated_source(ws, session, rig).open_live(), None
    if rig.source == "browser":
        if browser_rate_hz is None:
            raise Refused("no-microphone", "Your microphone is opened by the page. Start live from there.")
        pushed = ws.world.open_browser(browser_rate_hz)
        return pushed, pushed
    ground = current_takes(session, rig).voice
    if ground is None:
        raise Refused("no-talk", "There is no talk to send yet. Do Gain and Tone first.")
    return Loop(measuring.samples_of(ws, ground), ground.rate_hz), None


def _is_live(ws: Workshop) -> bool:
    return ws.run is not None and not ws.run.finished.is_set()


def start_run(ws: Workshop, *, browser_rate_hz: int | None = None) -> None:
    """Go live: the voice and all that goes with it run into every mix. For the browser's microphone its rate is given, pieces follow."""
    with ws.lock:
        if _is_live(ws):
            raise Refused("live", "It is live already.")
        with ws.sessions.begin() as session:
            prepared = _prepare(ws, session, browser_rate_hz)
            scene.live_wish(session).live = True
        take_over(ws, prepared)
    ws.changed()


def _prepare(ws: Workshop, session: Session, browser_rate_hz: int | None) -> Prepared:
    """A run as everything stands in the session. What runs is not touched. Raises Refused where there is nothing to send."""
    rig = the_rig(ws, session)
    specs = voice.chain_specs(session, rig)
    body = mixing.derive_mixes(ws, session, rig)
    if specs is None or body is None:
        raise Refused("no-chain", "There is nothing to send yet: Tone has to be fitted first.")
    stream, pushed = _stream(ws, session, rig, browser_rate_hz)
    wish = scene.live_wish(session)
    rate = stream.rate_hz
    mixes, ducking = mixing.mixes_of(body), mixing.ducking_of(body)
    block_ms, costs = _block_ms(ws, wish.block_ms, specs, mixes, ducking, rate)
    waiting_ms = wish.buffer_ms if wish.buffer_ms is not None else buffer_ms(costs[-1] if costs else None)
    channels = {key: entry["channels"] for key, entry in body["listeners"].items()}
    cast = _cast(ws, session, stream, specs, channels, waiting_s=waiting_ms / 1000.0)
    run = LiveRun(
        cast.voices, cast.seats, inputs_for(ws, session, rig), mixes, players=cast.players, returns=cast.returns, ducking=ducking,
        tell=_teller(ws), speed=None if rig.source == "browser" else 1.0 if ws.pace == "real" else _FAST,
        urgent=ws.pace == "real",
        block_s=block_ms / 1000.0, aside=ws.hear_aside, tap=ws.hear_tracks,
    )  # fmt: skip
    return Prepared(run, pushed, costs)


def prepare_anew(ws: Workshop, session: Session) -> Prepared | None:
    """What is live, as it would run with what the session holds; None where nothing is live.

    Raises Refused where it could not run, so that the change that asks for it is refused too and what is live goes on.
    """
    run = ws.run
    if run is None or run.finished.is_set():
        return None
    session.flush()
    return _prepare(ws, session, run.rate_hz if ws.pushed is not None else None)


def take_over(ws: Workshop, prepared: Prepared | None) -> None:
    """Let what is prepared run in the place of what is live. A page that pushes pushes into the new one from now on."""
    if prepared is None:
        return
    with ws.lock:
        before, ws.run = ws.run, prepared.run
        ws.pushed, ws.block_costs, ws.since = prepared.pushed, prepared.block_costs, now()
        if before is not None:
            before.stop()
        prepared.run.start()


@dataclass
class _Cast:
    """Who takes part in a run."""

    voices: list[VoicePath]
    players: dict[str, Player]
    seats: list[Seat]
    returns: list[ReturnPath]


def _cast(
    ws: Workshop, session: Session, stream: SoundStream, specs: Sequence[StageSpec], channels: Mapping[str, int], *, waiting_s: float
) -> _Cast:  # fmt: skip
    rate = stream.rate_hz
    there = [row for row in scene.destinations(ws, session) if row.on and row.kind != "recorder"]
    programs = scene.programs(ws, there)
    voices = [VoicePath("voice", stream, specs)]
    players: dict[str, Player] = {}
    for source in scene.sources(session):
        if not source.on:
            continue
        if source.kind == "second":
            voices.append(VoicePath("second", ws.world.open_second(rate), mixing.second_plan(ws, rate).specs))
        elif source.kind == "clips":
            players["clips"] = ws.pads
        elif source.kind in ("music", "computer"):
            players[source.key] = ws.world.open_player(source.kind, rate)
    seats = [
        Seat(
            row.key,
            row.place,
            programs[row.key],
            own_feed=scene.feed_of(row.kind),
            rate_hz=rate,
            channels=channels[row.key],
            waiting_s=waiting_s,
        )
        for row in there
    ]
    returns = [ReturnPath(row.key, programs[row.key], rate_hz=rate, waiting_s=waiting_s) for row in there if row.kind in scene.RETURNING]
    for path in returns:
        plan = ws.return_plans.get(path.of)
        if plan is not None:
            path.treat(plan)
    return _Cast(voices, players, seats, returns)


def _teller(ws: Workshop) -> Tell:
    def tell(kind: str, news: dict[str, object]) -> None:
        if kind == "changed":
            ws.changed()
            return
        held = ws.recorder
        ws.bus.tell(kind, {**news, "recorded_s": round(held.seconds, 1)} if kind == "live" and held is not None else news)

    return tell


def _block_ms(
    ws: Workshop, wanted: float | None, specs: Sequence[StageSpec], mixes: Sequence[Mix], ducking: Ducking, rate: int
) -> tuple[float, tuple[BlockCost, ...]]:  # fmt: skip
    """The size of a block, and what the rehearsals cost: as the person holds it, else the shortest that this machine has time for."""
    if wanted is not None or ws.pace == "fast":
        # A rehearsal all the same: what loads with the first block would make it late, and the buffer stands on it.
        block_ms = wanted if wanted is not None else 1000.0 * BLOCK_S
        return block_ms, (rehearse(specs, mixes, ducking, rate_hz=rate, block_ms=block_ms),) if ws.pace == "real" else ()
    key = len(mixes), len(specs), rate
    costs: tuple[BlockCost, ...] = ws.answers.get(("block", key), lambda: choose_block(specs, mixes, ducking, rate_hz=rate))
    return costs[-1].block_ms, costs


def refuse_while_recording(ws: Workshop) -> None:
    """Who takes part cannot change in the middle of a recording: its tracks would break off."""
    if ws.recorder is not None:
        raise Refused("recording", "It is recording, and this begins the run anew. Stop recording first, then change it.")


def hold_block(ws: Workshop, block_ms: float | None) -> None:
    """Hold the size of a block, or let the measured one stand (None)."""
    if block_ms is not None and not 2.0 <= block_ms <= 100.0:
        raise Refused("range", "A block lasts from 2 to 100 ms. Choose a value in between.")
    _hold(ws, "block_ms", block_ms)


def hold_buffer(ws: Workshop, held_ms: float | None) -> None:
    """Hold what waits at each listener beyond a block, or let the measured one stand (None)."""
    if held_ms is not None and not 5.0 <= held_ms <= 200.0:
        raise Refused("range", "A buffer lasts from 5 to 200 ms. Choose a value in between.")
    _hold(ws, "buffer_ms", held_ms)


def _hold(ws: Workshop, what: str, held_ms: float | None) -> None:
    refuse_while_recording(ws)
    with ws.lock:
        with ws.sessions.begin() as session:
            setattr(scene.live_wish(session), what, held_ms)
            prepared = prepare_anew(ws, session)
        take_over(ws, prepared)
    ws.changed()


def push_live(ws: Workshop, samples: Samples) -> None:
    """The next piece of the browser's microphone."""
    if ws.run is None or ws.run.finished.is_set() or ws.pushed is None:
        raise Refused("not-live", "It is not live any more.")
    ws.pushed.push(samples)


def stop_run(ws: Workshop, *, wanted: bool = False) -> None:
    """Stop being live; a recording that runs is closed and kept. ``wanted``: the person would go on, the program ends."""
    if ws.run is None:
        raise Refused("not-live", "It is not live.")
    _close_recording(ws)
    run, ws.run = ws.run, None
    if run is not None:
        run.stop()
    if not wanted:
        with ws.sessions.begin() as session:
            scene.live_wish(session).live = False
    ws.changed()


def _close_recording(ws: Workshop) -> None:
    if ws.recorder is not None:
        from obsidian_wren.service.recording import stop_recording

        with suppress(Refused):
            stop_recording(ws)


def lose_source(ws: Workshop, name: str) -> None:
    """The device that is heard went away. Whoever was live still wants to be: it goes on when the device is back."""
    run = ws.run
    if run is None or run.finished.is_set():
        return
    _close_recording(ws)
    run.lose(f"{name} went away, so listeners get silence. It goes on by itself when the device is back.")
    ws.changed()


def resume_run(ws: Workshop) -> bool:
    """Go live again where the person was when the program ended or the device went away. A page has to open a microphone of its own first."""
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        if not scene.live_wish(session).live or rig.source == "browser" or _is_live(ws):
            return False
    try:
        start_run(ws)
    except Refused:
        return False
    return True


def treat_returns(ws: Workshop) -> int:
    """Measure what came back from each listener so far and treat it; returns how many could be."""
    run = ws.run
    if run is None or run.finished.is_set():
        raise Refused("not-live", "Nothing is live, so nothing comes back. Start live first.")
    done = 0
    for path in run.returns:
        plan = derive_return(path.raw.since(path.raw.oldest()), rate_hz=run.rate_hz)
        if plan is not None:
            ws.return_plans[path.of] = plan
            run.treat_return(path.of, plan)
            done += 1
    if not done:
        raise Refused("too-short", "Too little has come back yet: let the other side talk for some seconds, then measure again.")
    ws.changed()
    return done


def prepare_scene(ws: Workshop, session: Session) -> Prepared | None:
    """What is live, made anew where who takes part in it changed in the session; None where it can run on."""
    run = ws.run
    if run is None or run.finished.is_set() or ws.recorder is not None:
        return None
    there = {row.key: scene.settings_of(row) for row in scene.destinations(ws, session) if row.on and row.kind != "recorder"}
    heard = {row.key for row in scene.sources(session) if row.on and row.kind != "voice"}
    same = there == {seat.key: seat.program.settings for seat in run.seats} and heard == run.beside
    return None if same else prepare_anew(ws, session)
