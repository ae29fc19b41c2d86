"""What the program says is held in one file: who changes a sentence reads it again."""

import importlib.util
from pathlib import Path

SCRIPT = Path(__file__).parents[1] / "scripts" / "write_sentences.py"


def test_the_sentences_are_those_that_were_read_through():
    spec = importlib.util.spec_from_file_location("write_sentences", SCRIPT)
    script = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(script)
    now, held = script.collected(), script.SNAPSHOT.read_text()
    new = sorted(set(now.splitlines()) - set(held.splitlines()))
    gone = sorted(set(held.splitlines()) - set(now.splitlines()))
    assert (new, gone) == ([], []), "Read them, then run “make sentences”."
