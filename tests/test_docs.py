"""What the documents name is there, and the benches that they name can be started."""

import ast
import graphlib
import pathlib
import re

import pytest

ROOT = pathlib.Path(__file__).parents[1]
DOCUMENTS = sorted([*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")])
PLACE = re.compile(r"`((?:src|tests|bench|frontend|scripts|docs)/[\w./-]+)`")
TEST = re.compile(r"`(test_\w+)`")
DEFINED = set(
    re.findall(
        r"^def (test_\w+)",
        "\n".join(path.read_text() for path in (ROOT / "tests").rglob("test_*.py")),
        re.MULTILINE,
    )
)


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda path: path.name)
def test_every_file_and_test_that_is_named_is_there(document):
    text = document.read_text()
    # Capitals stand for a name that the reader chooses.
    places = [place for place in PLACE.findall(text) if not re.search("[A-Z]{4}", place)]
    assert [place for place in places if not (ROOT / place).exists()] == []
    assert [name for name in TEST.findall(text) if name not in DEFINED] == []


def test_every_link_between_documents_leads_somewhere():
    for document in DOCUMENTS:
        for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", document.read_text()):
            assert (document.parent / link).exists(), f"{document.name}: {link}"


def test_no_bench_waits_for_itself_to_be_loaded():
    needs = {}
    for path in (ROOT / "bench").glob("*.py"):
        loads = [node for node in ast.parse(path.read_text()).body if hasattr(node, "names")]
        named = {getattr(node, "module", None) or node.names[0].name for node in loads}
        # Of its own name is what the tests have.
        needs[path.stem] = {
            name for name in named - {path.stem} if (ROOT / "bench" / f"{name}.py").exists()
        }
    assert needs["call"] >= {"voice", "live"}
    graphlib.TopologicalSorter(needs).prepare()
