"""The window's language: a preference, or that of the desktop."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication, QLibraryInfo, QLocale, QTranslator

from nimble_tile.core import language


def speak() -> None:
    """Choose the language; before all modules that hold texts are loaded.

    The environment comes first, then the preference, then the languages of the desktop.
    """
    if language.GIVEN:
        return
    from nimble_tile.ui.work.settings import Settings

    language.use(Settings().get("language", "") or language.suited(QLocale.system().uiLanguages()))


def translate(app: QCoreApplication) -> None:
    """Qt's own texts, and numbers in fields, in the language that is spoken."""
    code = language.current()
    if code not in language.LANGUAGES:
        code = "en"  # Qt has no words in it; the desktop's would be a third language
    locale = QLocale(code)
    locale.setNumberOptions(QLocale.NumberOption.OmitGroupSeparator)
    QLocale.setDefault(locale)
    translator = QTranslator(app)
    folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if code != "en" and translator.load(f"qtbase_{code}", folder):
        app.installTranslator(translator)
