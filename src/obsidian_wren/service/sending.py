"""Send: the listeners, the live run, the marker and the recorder."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import measure_loudness
from obsidian_wren.core.mix.marker import MarkerResult, marker_level_dbfs
from obsidian_wren.formats.sound import read_sound
from obsidian_wren.service import measuring, voice
from obsidian_wren.service.destinations import listeners_of
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.history import change
from obsidian_wren.service.kept import current_takes, inputs_of, now
from obsidian_wren.service.ports import SoundStream
from obsidian_wren.service.rigs import simulated_source, the_rig
from obsidian_wren.service.run import LiveRun, Loop
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.folder import disk_errors
from obsidian_wren.store.models import Destination, Proof, Reading, Recording, Rig


def pick_input(ws: Workshop, destination: str, picks: str) -> None:
    """Another program picks an input by its name."""
    with change(ws, f"{destination} picks {picks}") as session:
        rig = the_rig(ws, session)
        if picks not in [entry.name for entry in inputs_of(session, rig)]:
            raise Refused("no-input", "There is no input of this name. Pick one from the list.")
        held = listeners_of(ws, session)
        for listener in (held.call, held.recorder):
            if listener.name == destination:
                listener.picks = picks
                session.get_one(Destination, destination).picks = picks
                break
        else:
            raise Refused("no-destination", "There is no destination of this name.")
    ws.changed()


def _stream(ws: Workshop, session: Session, rig: Rig, browser_rate_hz: int | None) -> SoundStream:
    if rig.source == "simulated":
        return simulated_source(ws, session, rig).open_live()
    if rig.source == "browser":
        if browser_rate_hz is None:
            raise Refused("no-microphone", "Your microphone is opened by the page. Start live from there.")
        ws.pushed = ws.world.open_browser(browser_rate_hz)
        return ws.pushed
    takes = current_takes(session, rig)
    ground = takes.voice
    if ground is None:
        raise Refused("no-talk", "There is no talk to send yet. Do Gain and Tone first.")
    return Loop(measuring.samples_of(ws, ground), ground.rate_hz)


def start_run(ws: Workshop, *, browser_rate_hz: int | None = None) -> None:
    """Go live: the chain runs over the source into the feed. For the browser's microphone its rate is given, pieces follow."""
    with ws.lock, ws.sessions.begin() as session:
        if ws.run is not None and not ws.run.finished.is_set():
            raise Refused("live", "It is live already.")
        rig = the_rig(ws, session)
        specs = voice.chain_specs(session, rig)
        if specs is None:
            raise Refused("no-chain", "There is nothing to send yet: Tone has to be fitted first.")
        stream = _stream(ws, session, rig, browser_rate_hz)
        held = listeners_of(ws, session, stream.rate_hz)
        held.since = now()
        inputs = {entry.name: str(entry.kind) for entry in inputs_of(session, rig)}
        ws.run = LiveRun(
            stream, specs, (held.call, held.recorder), inputs, tell=ws.bus.tell,
            paced=ws.pace == "real" and rig.source != "browser", aside=ws.hear_aside,
        )  # fmt: skip
        ws.run.start()
    ws.changed()


def push_live(ws: Workshop, samples: Samples) -> None:
    """The next piece of the browser's microphone."""
    if ws.run is None or ws.run.finished.is_set() or ws.pushed is None:
        raise Refused("not-live", "It is not live any more.")
    ws.pushed.push(samples)


def stop_run(ws: Workshop) -> None:
    """Stop being live; a recording that runs is closed and kept."""
    if ws.run is None:
        raise Refused("not-live", "It is not live.")
    with ws.sessions() as session:
        held = listeners_of(ws, session)
    if held.recording_file:
        stop_recording(ws)
    ws.run.stop()
    ws.run = None
    ws.changed()


def send_marker(ws: Workshop) -> None:
    """Send the marker through every path; the proof is kept when it has been looked for."""
    run = ws.run
    if run is None or run.finished.is_set():
        raise Refused("not-live", "Nothing is live, so nothing can arrive. Start live first.")
    if run.marker_in_flight:
        raise Refused("marker", "A marker is on its way already.")
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        takes = current_takes(session, rig)
        ground = takes.voice
        reading = session.get(Reading, ground.id) if ground else None
        active = reading.body.get("active_level_dbfs") if reading else None
        picks = {row.name: row.picks for row in session.scalars(select(Destination))}

    def done(results: dict[str, MarkerResult]) -> None:
        _keep_proofs(ws, run.rate_hz, results, picks)

    run.send_marker(marker_level_dbfs(-30.0 if active is None else float(active)), done)
    ws.changed()


def _keep_proofs(ws: Workshop, rate_hz: int, results: dict[str, MarkerResult], picks: dict[str, str | None]) -> None:
    with ws.sessions.begin() as session:
        held = listeners_of(ws, session)
        heard = held.call.heard_since(held.call.position - 3 * rate_hz)
        loudness = measure_loudness(heard, rate_hz=rate_hz).integrated_lufs
        for name, result in results.items():
            found = result.treated or result.raw
            session.add(
                Proof(
                    destination=name,
                    picks=picks.get(name),
                    arrival=result.arrival,
                    at=now(),
                    delay_ms=round(found.delay_samples * 1000.0 / rate_hz, 1) if found else None,
                    level_db=round(found.level_db, 1) if found else None,
                    loudness_lufs=round(loudness, 1) if loudness is not None else None,
                )
            )
    ws.changed()


def start_recording(ws: Workshop) -> None:
    """The recorder begins a file of what it picked."""
    if ws.run is None or ws.run.finished.is_set():
        raise Refused("not-live", "Nothing is live, so there is nothing to record. Start live first.")
    with ws.sessions() as session:
        held = listeners_of(ws, session)
    if held.recording_file:
        raise Refused("recording", "It is recording already.")
    ws.folder.require_space(50_000_000)
    name = f"voice-{now().replace(':', '').replace('+0000', 'Z')}.flac"
    with disk_errors("beginning a recording"):
        held.recorder.start(ws.folder.recordings / name)
    held.recording_file = name
    ws.changed()


def stop_recording(ws: Workshop) -> None:
    """Close the file, measure it, list it."""
    with ws.sessions.begin() as session:
        held = listeners_of(ws, session)
        if not held.recording_file:
            raise Refused("not-recording", "It is not recording.")
        name, held.recording_file = held.recording_file, None
        held.recorder.stop()
        path = ws.folder.recordings / name
        sound = read_sound(path)
        session.add(
            Recording(
                file_name=name,
                rate_hz=sound.rate_hz,
                frames=len(sound.samples),
                at=now(),
                loudness_lufs=measure_loudness(sound.samples, rate_hz=sound.rate_hz).integrated_lufs,
                true_peak_dbtp=true_peak_dbtp(sound.samples),
            )
        )
    ws.changed()
