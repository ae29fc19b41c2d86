"""Every sentence in the language of the person.

What stands in the source is English, and the key of a catalogue. A program speaks one language,
from its start on.

Source: practice of gettext: messages by their English, forms of a count by the language's own rule;
Unicode CLDR for decimal marks.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from string import Formatter
from typing import Any


@dataclass(frozen=True)
class Language:
    """A language by its tag (BCP 47): a message by its English, the form of a message that counts
    by its English singular, plural and count, and the mark before decimals."""

    tag: str
    message: Callable[[str], str]
    form: Callable[[str, str, int], str]
    decimal_mark: str = "."


ENGLISH = Language(
    "en",
    lambda english: english,
    lambda singular, plural, count: singular if count == 1 else plural,
)
_spoken = [ENGLISH]
# Source: the orthographies of German and Luxembourgish.
_CAPITAL_NOUNS = ("de", "lb")


def speak(language: Language) -> None:
    """Speak a language from now on; what was worded before stays as it is."""
    _spoken[0] = language


def spoken() -> Language:
    """The language that is spoken."""
    return _spoken[0]


def _(english: str, /, **values: Any) -> str:
    """A message in the language that is spoken, with values in its places ``{name}``, which may be
    formatted as Python does."""
    message = _spoken[0].message(english)
    return _filled(message, values) if values else message


def ngettext(singular: str, plural: str, count: int, /, **values: Any) -> str:
    """The form of a message that belongs to a count, which is its value ``{count}``."""
    return _filled(_spoken[0].form(singular, plural, count), {"count": count, **values})


def within(title: str) -> str:
    """A title as it stands within a sentence: in small letters, but where nouns begin with capitals
    everywhere."""
    return title if _spoken[0].tag.partition("_")[0] in _CAPITAL_NOUNS else title.lower()


def marked(text: str) -> str:
    """A written number with a true minus sign and the decimal mark of the language that is
    spoken."""
    return text.replace("-", "−").replace(".", _spoken[0].decimal_mark)


def fits(english: str, message: str) -> bool:
    """Whether a translated message asks for nothing but what its English asks for: the same
    places, each written as there or plainly."""
    try:
        asked, known = _places(message), _places(english)
    except ValueError:
        return False
    return all(
        name in known and spec in ("", *known[name])
        for name, specs in asked.items()
        for spec in specs
    )


def _places(message: str) -> dict[str, set[str]]:
    """The places of a message with the ways in which each is written. Raises ValueError where
    braces do not match, or where a place is more than a name."""
    found: dict[str, set[str]] = {}
    for _, name, spec, conversion in _FILLING.parse(message):
        if name is None:
            continue
        if not name.isidentifier() or conversion is not None:
            raise ValueError(name)
        found.setdefault(name, set()).add(spec or "")
    return found


class _Filling(Formatter):
    def format_field(self, value: Any, format_spec: str) -> Any:
        text = super().format_field(value, format_spec)
        return marked(text) if isinstance(value, int | float) and format_spec else text


_FILLING = _Filling()


def _filled(message: str, values: dict[str, Any]) -> str:
    return _FILLING.vformat(message, (), values)
