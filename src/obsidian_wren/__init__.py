"""Obsidian Wren: calibrate one microphone in one room, and send the treated voice everywhere.

The packages follow the job. ``core`` measures takes, derives settings and runs the chain, on arrays
alone. ``service`` holds one function for each thing that a person does; ``web`` and ``cli`` call
it. ``store`` keeps, ``formats`` reads and writes open files, ``simulation`` and ``devices`` bring
sound.
"""

__version__ = "0.1.0"
