"""What the window and its messages say, in the language of the desktop where there is a translation.

`tr` stands at each text that a user reads. Names that are declared (of effects, parameters, actions) are
plain where they are declared, and translated where they are taken up or shown. docs/translating.md tells how
a language is added.
"""

import gettext
from collections.abc import Sequence
from pathlib import Path

LOCALES = Path(__file__).parent / "assets" / "locale"


def catalogue(folder: Path = LOCALES, languages: Sequence[str] | None = None) -> gettext.NullTranslations:
    """Return the texts of the first language that a folder has; those of the source where it has none.

    Parameters
    ----------
    folder
        Holds ``LANGUAGE/LC_MESSAGES/epiphane.mo``.
    languages
        In the order they are wanted; those of the environment (``LANGUAGE``, ``LANG``) if None.
    """
    return gettext.translation("epiphane", folder, languages, fallback=True)


_catalogue = catalogue()


def tr(text: str, **values: object) -> str:
    """Return a text in the user's language; ``{name}`` in it stands for the value of that name."""
    translated = _catalogue.gettext(text) if text else text  # the empty text is the head of a catalogue
    return translated.format(**values) if values else translated


def plural(number: int, one: str, many: str, **values: object) -> str:
    """Return what is said of one thing, or of `number` of them, which stands for the braces in `many`."""
    return _catalogue.ngettext(one, many, number).format(number, **values)
