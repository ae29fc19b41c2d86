"""The catalogue of a language: a PO file, as translators' programs write it.

Its header names the language and the rule by which it counts; decimal marks come from CLDR. What a
catalogue does not have is said in English.

Source: GNU gettext manual, “The Format of PO Files”; Unicode CLDR.
"""

from __future__ import annotations

import gettext
from io import BytesIO
from pathlib import Path

from babel import Locale
from babel.messages.catalog import Catalog as Catalogue
from babel.messages.mofile import write_mo
from babel.messages.pofile import PoFileError, read_po
from babel.numbers import get_decimal_symbol

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import Language, fits
from obsidian_wren.formats.bounded import read_bounded

_LARGEST = 20_000_000
# Every rule of plurals looks at no more than the last two digits.
_COUNTS = 200


class CatalogueError(Told):
    """A catalogue that cannot be read."""


def _keep_what_fits(catalogue: Catalogue) -> None:
    """What asks for anything but the places of its English is not said: its English is."""
    for message in catalogue:
        forms = message.string if isinstance(message.string, (tuple, list)) else [message.string]
        asked = message.id if isinstance(message.id, (tuple, list)) else [message.id]
        if message.id and not all(
            any(fits(english, form) for english in asked) for form in forms if form
        ):
            message.string = ("",) * len(forms) if message.pluralizable else ""


def read_language(path: Path) -> Language:
    """The language of a catalogue. Raises CatalogueError."""
    try:
        raw = read_bounded(path, _LARGEST)
        if raw is None:
            raise ValueError("it is larger than any catalogue")
        catalogue = read_po(BytesIO(raw), abort_invalid=True)
        _keep_what_fits(catalogue)
        locale = catalogue.locale
        packed = BytesIO()
        write_mo(packed, catalogue)
        packed.seek(0)
        texts = gettext.GNUTranslations(packed)
        for count in range(_COUNTS):
            texts.ngettext("", "", count)
    except OSError as error:
        raise CatalogueError(
            "no-catalogue", f"{path} cannot be read ({error.strerror}). Name another catalogue."
        ) from error
    except (PoFileError, ValueError, UnicodeError, LookupError, ArithmeticError) as error:
        raise CatalogueError(
            "bad-catalogue", f"{path.name} is no PO file that can be used ({error}). Mend it."
        ) from error
    if not isinstance(locale, Locale):
        raise CatalogueError(
            "no-language",
            f"{path.name} does not say its language. Write it into its header, as “Language: nl”.",
        )
    return Language(str(locale), texts.gettext, texts.ngettext, get_decimal_symbol(locale))
