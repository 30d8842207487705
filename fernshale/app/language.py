"""The language of the window: translations in Qt's own format, found by the code of the language.

A translation of language `de` is the file `fernshale_de.qm`, in the package or in the folder `translations` of the user's data.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QLibraryInfo, QLocale, QTranslator

from fernshale.core.base.data_folder import home
from fernshale.core.base.texts import use_translations

CONTEXT = "Fernshale"
ENGLISH = "en"
_PREFIX = "fernshale_"
_used: list[QTranslator] = []  # Qt does not keep them alive


def translation_folders() -> tuple[Path, ...]:
    """Where translations are looked for; the user's own come first."""
    return home() / "translations", Path(__file__).with_name("translations")


def languages() -> tuple[str, ...]:
    """The codes of the languages that the window can have, English first."""
    found = {
        path.stem.removeprefix(_PREFIX) for folder in translation_folders() for path in folder.glob(f"{_PREFIX}*.qm")
    }
    return ENGLISH, *sorted(found - {ENGLISH})


def language_title(code: str) -> str:
    """The name of a language in that language, or its code if Qt does not know it."""
    return "English" if code == ENGLISH else QLocale(code).nativeLanguageName() or code


def chosen_language(setting: str) -> str:
    """The language to use: the one of the setting, or with "" the first of the desktop's that there is."""
    known = languages()
    wanted = [setting] if setting else list(_desktop_languages())
    return next((code for code in wanted if code in known), ENGLISH)


def _desktop_languages() -> Iterator[str]:
    """Codes from the most to the least wanted one, each with its country before it stands alone."""
    for name in QLocale.system().uiLanguages():
        code = name.replace("-", "_")
        yield code
        yield code.partition("_")[0]


def use_language(code: str) -> None:
    """Have the texts of the program in a language. To be called before any module that holds texts is imported.

    A file that Qt cannot read is as if it was not there: the window is in English.
    """
    _used.clear()
    use_translations(None)
    if code == ENGLISH:
        return
    for folder in translation_folders():
        translator = QTranslator()
        if translator.load(f"{_PREFIX}{code}", str(folder), "", ".qm"):
            _used.append(translator)
            use_translations(partial(_translated, translator))
            return


def _translated(translator: QTranslator, text: str, number: int) -> str:
    return translator.translate(CONTEXT, text, None, number) or ""


def translate_qt(app: QCoreApplication, code: str) -> None:
    """Have the buttons of Qt's own dialogs in a language, where Qt brings it."""
    translator = QTranslator(app)
    if translator.load(f"qtbase_{code}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        app.installTranslator(translator)
