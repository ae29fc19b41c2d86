"""Another language: its catalogue is read, and nothing that the program says is left in English."""

import json
import re
from io import BytesIO
from pathlib import Path
from string import Formatter

import pytest
from babel.messages.pofile import read_po

import pseudo
from obsidian_wren.cli.language import asked_for, speak_as_asked, without_language
from obsidian_wren.core import numerals, wording
from obsidian_wren.core.told import Told
from obsidian_wren.formats.catalogue import CatalogueError, read_language
from obsidian_wren.store.language import SHIPPED, choose, chosen_in

HERE = Path(__file__).parent
HEADER = (
    'msgid ""\nmsgstr ""\n"Language: pl\\n"\n"Content-Type: text/plain; charset=utf-8\\n"\n'
    '"Plural-Forms: nplurals=3; plural=(n==1 ? 0 : n%10>=2 && n%10<=4 && (n%100<12 || n%100>14)'
    ' ? 1 : 2);\\n"\n\n'
)
TAKES = (
    'msgid "{count} take"\nmsgid_plural "{count} takes"\n'
    'msgstr[0] "{count} nagranie"\nmsgstr[1] "{count} nagrania"\nmsgstr[2] "{count} nagrań"\n\n'
    'msgid "At {level:.1f} dBFS, in {room}."\nmsgstr "W {room}: {level:.1f} dBFS."\n'
)


@pytest.fixture
def speaking():
    yield wording.speak
    wording.speak(wording.ENGLISH)


@pytest.fixture
def catalogue(tmp_path):
    def write(text):
        path = tmp_path / "pl.po"
        path.write_text(text)
        return path

    return write


def test_a_catalogue_brings_words_their_order_forms_that_count_and_the_decimal_mark(
    speaking, catalogue
):
    speaking(read_language(catalogue(HEADER + TAKES)))
    said = wording._("At {level:.1f} dBFS, in {room}.", level=-52.25, room="loft")
    assert said == "W loft: −52,2 dBFS."
    counts = [wording.ngettext("{count} take", "{count} takes", n) for n in (1, 3, 5, 22)]
    assert counts == ["1 nagranie", "3 nagrania", "5 nagrań", "22 nagrania"]
    assert numerals.with_sign(3.04, "dB", 2) == "+3,04 dB"
    assert numerals.frequency(4200.0) == "4,2 kHz"
    # What it does not have is said in English, with its numbers.
    assert wording._("It is {hz:.1f} Hz.", hz=0.5) == "It is 0,5 Hz."


def test_english_needs_no_catalogue():
    speak_as_asked([])
    assert wording.spoken() is wording.ENGLISH
    assert wording.ngettext("{count} take", "{count} takes", 1) == "1 take"
    assert wording.ngettext("{count} take", "{count} takes", 0) == "0 takes"
    assert wording._("{level:.1f} dB of {{braces}}", level=2.0) == "2.0 dB of {braces}"
    assert wording._("Braces {as they are}") == "Braces {as they are}"


@pytest.mark.parametrize(
    "text, code",
    [
        (HEADER.replace("Language: pl", "X-Nothing: 1") + TAKES, "no-language"),
        ("this is no catalogue", "bad-catalogue"),
        (HEADER.replace("Language: pl", "Language: nowhere"), "no-language"),
    ],
)
def test_a_catalogue_that_cannot_be_used_says_why(catalogue, text, code):
    with pytest.raises(CatalogueError) as told:
        read_language(catalogue(text))
    assert told.value.code == code
    assert "pl.po" in str(told.value)


def test_a_language_that_is_not_there_is_named_with_those_that_are(tmp_path, monkeypatch):
    with pytest.raises(Told, match="only for de, en, es"):
        speak_as_asked(["--language=xx"])
    with pytest.raises(CatalogueError, match="cannot be read"):
        speak_as_asked(["--language", str(tmp_path / "none.po"), "demo"])
    monkeypatch.setenv("OBSIDIAN_WREN_LANGUAGE", "../secret")
    with pytest.raises(Told, match=r"no catalogue for “\.\./secret”"):
        speak_as_asked(["demo"])
    assert wording.spoken() is wording.ENGLISH


@pytest.mark.parametrize("tag", ["de", "es"])
def test_a_language_that_ships_says_every_message_with_its_places(tag):
    template = read_po(BytesIO((SHIPPED / "obsidian-wren.pot").read_bytes()))
    translation = read_po(BytesIO((SHIPPED / f"{tag}.po").read_bytes()))
    wanted = {message.id for message in template if message.id}
    said = {message.id: message.string for message in translation if message.id}
    assert set(said) == wanted
    for english, message in said.items():
        forms = message if isinstance(message, tuple) else (message,)
        asked = english if isinstance(english, tuple) else (english,)
        assert len(forms) == (2 if isinstance(english, tuple) else 1), english
        for form in forms:
            assert form.strip(), english
            assert any(wording.fits(one, form) for one in asked), (english, form)
            # A number without its name would be no translation.
            assert places(form) <= places(asked[-1]), (english, form)
        if len(forms) == 1:
            assert places(forms[0]) == places(english), (english, forms[0])
            assert [english[:1].isspace(), english[-1:].isspace()] == [
                forms[0][:1].isspace(),
                forms[0][-1:].isspace(),
            ], english
    assert read_language(SHIPPED / f"{tag}.po").tag == tag


def places(message):
    return {name for _, name, _, _ in Formatter().parse(message) if name}


def test_titles_begin_with_capitals_within_a_sentence_where_all_nouns_do(speaking):
    assert wording.within("Noise reduction") == "noise reduction"
    speaking(read_language(SHIPPED / "de.po"))
    assert wording.within(wording._("Noise reduction")) == "Rauschminderung"
    speaking(read_language(SHIPPED / "es.po"))
    assert wording.within(wording._("Noise reduction")) == "reducción de ruido"


def test_the_language_of_a_folder_is_spoken_unless_another_is_asked_for(tmp_path, monkeypatch):
    monkeypatch.delenv("OBSIDIAN_WREN_LANGUAGE", raising=False)
    choose(tmp_path, "es")
    in_folder = ["serve", "--data", str(tmp_path)]
    assert asked_for(in_folder) == "es"
    assert asked_for(["--language", "de", *in_folder]) == "de"
    assert asked_for(["read", "level", str(tmp_path)]) == ""
    assert without_language(["--language", "de", *in_folder, "--language=es"]) == in_folder
    monkeypatch.setenv("OBSIDIAN_WREN_LANGUAGE", "de")
    assert asked_for(in_folder) == "de"
    for nothing in (b"klingon", b"\xff\xfe", b""):
        (tmp_path / "language").write_bytes(nothing)
        assert chosen_in(tmp_path) is None


# What is told apart by, not read; and what a person or a system named.
CODES = re.compile(
    r"(code|key|kind|method|support|status|fact|picks|system_name|known_as|source|name|feed|id|"
    r"shape|pattern|unit|have\.\w+)(\[\])?$"
)
NAMES = re.compile(
    r"Towpath Two|Reedling 40|Boathouse loft|Loft desk|Editor call|Crew game chat|River stream|"
    r"Walk recorder|Deck computer|Deck zither|The editor|The crew|Wren: \w+|Line \d \(USB Audio"
    r" 2\.0\)|Microphone \(HD Camera\)|Speakers \(High Definition Audio\)|Bell|Horn|Door|Gull|"
    r"Deck 7|TW2-\d+|Obsidian Wren|bilge pump|rain on the roof"
)
# Where even one word is read.
WORDS = (".title", ".because", ".sentence", ".action", ".advice", ".spoken", ".worth", ".detail")
UNITS = re.compile(r"\b(dBFS|dBTP|LUFS|dBu|dBA|kHz|rms|SPL|mPa|FLAC|WAV|EQ)\b")


def leaks(answer, path=""):
    """What is still read in plain letters, by where it stands."""
    if isinstance(answer, dict):
        for name, value in answer.items():
            yield from leaks(value, f"{path}.{name}")
    elif isinstance(answer, list):
        for value in answer:
            yield from leaks(value, f"{path}[]")
    elif isinstance(answer, str) and not CODES.search(path):
        left = UNITS.sub("", NAMES.sub("", answer))
        reads = " " in answer or answer[:1].isupper() or path.endswith(WORDS)
        if reads and re.search(r"[A-Za-z]{3,}", left):
            yield path, answer


@pytest.fixture(scope="module")
def spoken(together):
    return json.loads((pseudo.spoken_once(together) / "told.json").read_text())


def test_every_answer_is_in_its_language(spoken):
    assert sorted(set(leaks(spoken["answers"]))) == []


def test_its_numbers_have_its_decimal_mark(spoken):
    gain = spoken["answers"][0]["gain_plan"]["because"]
    assert re.search(r"\d,\d ", gain)
    assert not re.search(r"\d\.\d", gain)


def test_the_report_is_in_its_language(spoken):
    (page,) = spoken["pages"]
    words = re.sub(r"<style.*?</style>|<[^>]*>", " ", page, flags=re.DOTALL)
    lines = [" ".join(line.split()) for line in words.splitlines()]
    assert sorted(set(leaks(lines))) == []


@pytest.mark.parametrize(
    "message",
    [
        "{path.__class__.__init__.__globals__[os].environ}",
        "{path[0]}",
        "{path!r}",
        "{path:2000000000}",
        "{path:{room}}",
        "{nobody}",
        "{0}",
        "{}",
        "{path",
        "path}",
    ],
)
def test_a_translation_fills_only_the_places_of_its_message(speaking, catalogue, message):
    english = "{path} lies in {room}."
    speaking(read_language(catalogue(HEADER + f'msgid "{english}"\nmsgstr "{message}"\n')))
    said = wording._(english, path=Path("loft"), room="x")
    assert said == "loft lies in x."


def test_a_form_that_counts_is_held_to_the_same(speaking, catalogue):
    text = TAKES.replace("{count} nagrań", "{count.real.__class__}")
    speaking(read_language(catalogue(HEADER + text)))
    assert wording.ngettext("{count} take", "{count} takes", 5) == "5 takes"


@pytest.mark.parametrize(
    "text",
    [
        HEADER.replace("charset=utf-8", "charset=klingon") + TAKES,
        HEADER.replace("n%10>=2", "n%0>=2") + TAKES,
        HEADER.replace("plural=(", "plural=__import__('os').getcwd()+(") + TAKES,
        "this is no catalogue",
    ],
)
def test_a_catalogue_that_makes_no_sense_leaves_english(speaking, catalogue, text, capsys):
    speak_as_asked(["--language", str(catalogue(text))])
    assert wording.spoken() is wording.ENGLISH
    assert "pl.po is no PO file that can be used" in capsys.readouterr().err
