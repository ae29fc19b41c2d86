"""Run by itself with a catalogue and a folder: do the boathouse's calibration in its language,
press what can be pressed, and print everything that was answered, as JSON."""

import json
import sys
from pathlib import Path


def main(catalogue, folder):
    from obsidian_wren.cli.language import speak_as_asked

    speak_as_asked(["--language", catalogue])
    from obsidian_wren.cli.starting import simulated_surroundings
    from obsidian_wren.service.opening.boathouse import fill_with_boathouse
    from obsidian_wren.service.opening.opening import close_app, open_app
    from obsidian_wren.store.folder import DataFolder
    from obsidian_wren.web.app import create_app
    from short import shorten

    shorten()
    app = open_app(DataFolder(Path(folder)), simulated_surroundings(), pace="fast")
    fill_with_boathouse(app)
    client = create_app(app).test_client()
    answers = [client.get("/api/state").json]
    for path, body in (
        ("run/start", {}),
        ("derive", {}),
        ("controls", {"control": "preamp", "position": 33.0}),
        ("takes/99/discard", {}),
        ("stages", {"kind": "gate"}),
        ("confirm", {"step": "gain"}),
    ):
        answers.append(client.post(f"/api/{path}", json=body).json)
        answers.append(client.get("/api/state").json)
    pages = [client.get("/api/report").text]
    close_app(app)
    print(json.dumps({"answers": answers, "pages": pages}))


if __name__ == "__main__":
    main(*sys.argv[1:])
