"""What a program that records is called."""

import pytest

from obsidian_wren.devices.sound_server.described import program


@pytest.mark.parametrize(
    ("told", "called"),
    [
        ({"application.name": "Walk recorder"}, "Walk recorder"),
        ({"application.name": "Loft 2", "application.process.binary": "loft"}, "Loft 2"),
        ({"application.name": "Libsound59", "application.process.binary": "towpath"}, "towpath"),
        ({"application.name": "Libsound59.27.100", "window.name": "Deck diary"}, "Deck diary"),
        ({"application.name": "Plug-in [towpath]", "window.name": ""}, "Plug-in [towpath]"),
        ({"application.name": "Plug-in [towpath]", "media.name": "Ferry"}, "Ferry"),
    ],
)
def test_a_library_that_records_for_a_program_is_not_its_name(told, called):
    assert program(told) == called
