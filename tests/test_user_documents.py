"""What the documents for users say is so: the words that they quote stand on the screen, and the
commands that they show run."""

import contextlib
import io
import json
import pathlib
import re
import shlex
import subprocess
import sys
from io import BytesIO

import pytest
from babel.messages.pofile import read_po

from obsidian_wren.cli.arguments import parser
from obsidian_wren.store.language import SHIPPED

ROOT = pathlib.Path(__file__).parents[1]
DOCS = ROOT / "docs"
PAGES = json.loads((ROOT / "frontend/help-pages.json").read_text())
SCREEN = re.sub(
    r"\s+",
    " ",
    "\n".join(
        path.read_text()
        for pattern in ("*.svelte", "*.ts")
        for path in sorted((ROOT / "frontend/src").rglob(pattern))
    ),
)
# A button that names the listener's own feed.
NAMED = {"Move to Wren: call": "Move to"}
BLOCKS = re.compile(r"(?:^    \S.*\n)+", re.MULTILINE)


@pytest.mark.parametrize("page", ["start", "steps", "questions", "everyday"])
def test_what_is_quoted_stands_on_the_screen(page):
    text = (DOCS / f"{page}.md").read_text()
    quoted = re.findall(r"\*\*([^*]+)\*\*", text)
    assert quoted
    assert [words for words in quoted if NAMED.get(words, words) not in SCREEN] == []


@pytest.mark.parametrize("tag", ["de", "es"])
@pytest.mark.parametrize("page", ["start", "steps", "questions", "everyday"])
def test_what_is_quoted_in_another_language_is_said_in_it(page, tag):
    said = [
        form
        for message in read_po(BytesIO((SHIPPED / f"{tag}.po").read_bytes()))
        if message.id
        for form in ([message.string] if isinstance(message.string, str) else message.string)
    ]
    feed = {form.replace("{feed}", "Wren: call") for form in said}
    quoted = re.findall(r"\*\*([^*]+)\*\*", (DOCS / tag / f"{page}.md").read_text())
    english = re.findall(r"\*\*([^*]+)\*\*", (DOCS / f"{page}.md").read_text())
    assert len(quoted) == len(english)
    assert [words for words in quoted if not any(words in form for form in feed)] == []


@pytest.mark.parametrize("tag", ["de", "es"])
def test_the_documents_say_the_same_in_another_language(tag):
    for page in ("start", "steps", "questions", "everyday", "using"):
        english, own = ((DOCS / name / f"{page}.md").read_text() for name in (".", tag))
        for what in (r"^#+ ", r"^- |^\d\. ", r"^\| ", r"^!\[", r"`[^`]+`"):
            counts = [len(re.findall(what, text, re.MULTILINE)) for text in (english, own)]
            assert counts[0] == counts[1], (page, what)
    commands = [
        re.sub(r"     .*| (--microphone|--as) \"[^\"]*\"", "", line)
        for name in (".", tag)
        for line in re.findall(
            r"^    (\S.*)$", (DOCS / name / "using.md").read_text(), re.MULTILINE
        )
    ]
    assert commands[: len(commands) // 2] == commands[len(commands) // 2 :]


def blocks():
    return BLOCKS.findall((DOCS / "using.md").read_text())


def test_every_command_that_is_listed_takes_the_options_that_are_listed():
    listed = next(block for block in blocks() if "obsidian-wren demo" in block)
    lines = [
        line.partition("     ")[0].split() for line in listed.replace("    ob", "ob").splitlines()
    ]
    assert len(lines) > 10
    for words in lines:
        told = io.StringIO()
        named = [word for word in words[1:3] if re.fullmatch("[a-z]+", word)]
        with contextlib.redirect_stdout(told), pytest.raises(SystemExit):
            parser().parse_args([*named, "--help"])
        missing = {
            option
            for option in re.findall(r"--[a-z-]+", " ".join(words))
            if option not in told.getvalue()
        }
        assert missing == set(), f"{' '.join(words)}: {missing}"


def test_the_commands_to_try_run_one_after_the_other(tmp_path):
    tried = next(block for block in blocks() if "boathouse.json" in block)
    lines = [line.strip() for line in tried.splitlines()]
    name, _, value = lines[0].partition("=")
    for line in lines[1:]:
        program, *words = shlex.split(line.replace(f"${name}", str(ROOT / value)))
        assert program.endswith("obsidian-wren")
        run = subprocess.run(
            [sys.executable, "-P", "-m", "obsidian_wren.cli", *words],
            cwd=tmp_path,
            capture_output=True,
            text=True,
            check=False,
        )
        assert run.returncode == 0, run.stderr
    assert (tmp_path / "treated.wav").stat().st_size > 1_000_000


@pytest.mark.parametrize("static", ["static", "static-de", "static-es"])
def test_every_page_is_built_with_its_pictures(static):
    built = ROOT / "src/obsidian_wren/web" / static
    for page in PAGES:
        text = (built / "help" / f"{page}.html").read_text()
        pictures = re.findall(r'<img src="(?:\.\.)?([^"]+)"', text)
        assert len(pictures) == (DOCS / f"{page}.md").read_text().count("![")
        for picture in pictures:
            assert (built / picture.lstrip("./")).exists(), picture
        for link in re.findall(r'href="\./([^"#]+)', text):
            assert (built / "help" / link).exists(), link


@pytest.mark.parametrize("static", ["static", "static-de", "static-es"])
def test_links_between_pages_lead_to_headings(static):
    built = {
        page: (ROOT / f"src/obsidian_wren/web/{static}/help/{page}.html").read_text()
        for page in PAGES
    }
    for page, text in built.items():
        for to, place in re.findall(r'href="(?:\./([\w-]+)\.html)?#([^"]+)"', text):
            assert f'id="{place}"' in built[to or page], f"{page}: {to}#{place}"
    steps = re.findall(r'<h2 id="([^"]+)"', built["steps"])
    assert steps == ["rig", "quiet", "gain", "clean", "tone", "steady", "send", "prove"]
