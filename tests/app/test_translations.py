"""Every text of the window can be translated, and nothing but the texts depends on the language."""

from __future__ import annotations

import ast
import json
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import fernshale
from fernshale.app.language import chosen_language, language_title, languages, use_language
from fernshale.core.base import texts
from fernshale.core.base.settings import change_settings, settings
from fernshale.core.base.texts import (
    add_origins,
    count,
    english,
    english_of,
    noun,
    origins_of,
    tr,
    tr_kept,
    use_translations,
)
from fernshale.core.base.work import Work
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from tests.conftest import Tree

_ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(_ROOT / "tools"))

from translations import compile_ts, messages, pseudo, read_ts, write_pseudo, write_ts  # noqa: E402

# Names that are the same in every language.
_NAMES = {
    "Fernshale",
    "Markdown",
    "HTML",
    "JSON",
    "kB",
    "MB",
    "GiB",
    "GNU",
    "Make",
    "Ctrl",
    "Alt",
    "Enter",
    "English",
    "qps",
}
_TEXT = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), min_size=1, max_size=30)


@pytest.fixture(autouse=True)
def _english_afterwards() -> Iterator[None]:
    yield
    use_translations(None)


def _put(language: str, translated: dict[str, list[str]], tmp_path: Path) -> None:
    """Have a translation among the user's own."""
    folder = Path(os.environ["FERNSHALE_HOME"]) / "translations"
    folder.mkdir(parents=True, exist_ok=True)
    write_ts(tmp_path / "some.ts", language, translated)
    compile_ts(tmp_path / "some.ts", folder / f"fernshale_{language}.qm")


def _run(home: Path, folder: Path, *more: str) -> dict[str, Any]:
    command = [sys.executable, str(Path(__file__).with_name("translated_window.py")), str(folder), *more]
    done = subprocess.run(
        command,
        env=os.environ | {"FERNSHALE_HOME": str(home), "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(_ROOT)},
        capture_output=True,
        text=True,
        timeout=300,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def _words(text: str) -> set[str]:
    return set(re.findall(r"(?<![\w&#/.])[A-Za-z]{2,}(?!\w)", text))


def test_the_window_in_a_pseudo_language_shows_no_english_and_decides_the_same(tmp_path: Path) -> None:
    """Letters of a translated text have accents; plain words must stand in the files of the project or its releases."""
    home = tmp_path / "pseudo"
    (home / "translations").mkdir(parents=True)
    write_pseudo(home / "translations/fernshale_qps.qm")
    (home / "settings.toml").write_text('format = "fernshale-settings/1"\n[look]\nlanguage = "qps"\n')
    # In one place, one after the other: places are in items.
    folder = tmp_path / "work"
    folder.mkdir()
    english = _run(tmp_path / "english", folder)
    folder.rename(tmp_path / "done")
    folder.mkdir()
    shown = _run(home, folder, "--texts")
    assert shown["too_early"] == [], "modules that hold texts were imported before the language was chosen"
    for part in ("done", "keys", "decisions", "files"):
        assert shown[part] == english[part], part
    assert english["done"] and any(key.startswith("merge:") for key in english["decisions"])
    places = [path for path in folder.rglob("*") if "fernshale-home" not in path.parts]
    data = " ".join(path.name for path in places) + f" {shown['checks']} {folder} "
    data += " ".join(path.read_text("utf-8", "ignore") for path in places if path.is_file())
    known = _words(data) | _NAMES
    # Long lines are cut in the middle of a word.
    known |= {word[:length] for word in known for length in range(2, len(word))}
    assert len(shown["texts"]) > 400
    plain = {text: (where, left) for text, where in shown["texts"].items() if (left := _words(text) - known)}
    assert not plain, "\n".join(f"{where}: {words} {text!r}" for text, (where, words) in plain.items())
    # Words that happen to stand in some file do not make a sentence.
    flat = " ".join(re.sub(r"[^A-Za-z]+", " ", data).split())
    for text, where in shown["texts"].items():
        for run in re.findall(r"(?:(?<![\w./])[a-z]+[,;:.]? +){3,}[a-z]+\b", text):
            assert " ".join(re.sub(r"[^A-Za-z]+", " ", run).split()) in flat, (where, text)


def test_places_for_values_are_those_that_are_given() -> None:
    """A text of `tr` names each value once or more, and no other, and is written out at its call."""
    assert len(messages()) > 2000
    for path in sorted((_ROOT / "fernshale").rglob("*.py")):
        if "sample/data" in path.as_posix():
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if (
                isinstance(node, ast.Call)
                and isinstance(node.func, ast.Name)
                and node.func.id == "tr"
                and node.keywords
            ):
                text = node.args[0]
                if isinstance(text, ast.Constant):
                    places = set(re.findall(r"\{(\w+)[^{}]*\}", text.value.replace("{{", "").replace("}}", "")))
                    assert places == {item.arg for item in node.keywords}, f"{path}:{node.lineno}"


def test_plural_forms_are_those_of_the_language(tmp_path: Path) -> None:
    forms = ["%n plik", "%n pliki", "%n plików"]
    _put("pl", {"%n file": forms, "Undo": ["Cofnij"]}, tmp_path)
    use_language("pl")
    assert [count(number, "file") for number in (1, 2, 5, 22)] == ["1 plik", "2 pliki", "5 plików", "22 pliki"]
    assert noun(3, "file") == "pliki" and tr("Undo") == "Cofnij"
    assert count(2, "fix", "fixes") == "2 fixes" and tr("Redo") == "Redo"  # not translated yet


def test_a_translation_that_does_not_fit_is_not_used() -> None:
    wrong = {"in {files}": "in {fils}", "{a} of {b}": "{a[0]} {b:d}", "up {x}": "{", "fine {x}": "gut {x}"}
    use_translations(lambda text, _number: wrong.get(text, ""))
    assert (
        tr("in {files}", files=3) == "in 3" and tr("{a} of {b}", a=1, b="x") == "1 of x" and tr("up {x}", x=1) == "up 1"
    )
    assert (
        tr("fine {x}", x="!") == "gut !"
        and english_of(tr("fine {x}", x="!") + tr("; in {files}", files=2)) == "fine !; in 2"
    )


@given(st.dictionaries(_TEXT, _TEXT, max_size=5))
def test_english_stays_english_with_any_translation(translated: dict[str, str]) -> None:
    use_translations(lambda text, _number: translated.get(text, ""))
    for text in translated:
        assert english_of(tr(text)) == text
    use_translations(None)


def test_a_sentence_that_is_kept_is_translated_where_it_is_shown() -> None:
    """Also in a process that only reads it, and inside another sentence."""
    german = {
        "{full} is {now} now": "{full} ist jetzt {now}",
        "{why}; it is a {type} now": "{why}; es ist jetzt ein {type}",
    }
    why = english("{full} is {now} now", full="a::B", now="a::C")
    use_translations(lambda text, _number: german.get(text, ""))
    assert tr_kept(why) == why, "made before the language was chosen"
    why = english("{full} is {now} now", full="a::B", now="a::C")
    whole = english("{why}; it is a {type} now", why=why, type="int")
    shown = "a::B ist jetzt a::C; es ist jetzt ein int"
    assert (why, whole) == ("a::B is a::C now", "a::B is a::C now; it is a int now") and tr_kept(whole) == shown
    assert tr_kept(f"{why}; from elsewhere") == "a::B ist jetzt a::C; from elsewhere"
    kept = json.loads(json.dumps(origins_of([whole, "other"])))
    texts._origins.clear()
    assert tr_kept(whole) == whole
    add_origins(kept)
    assert tr_kept(whole) == shown
    use_translations(None)
    assert tr_kept(whole) == whole


def test_a_comparison_that_was_kept_is_translated(tree: Tree, tmp_path: Path) -> None:
    releases = {
        name: tree(name, {"lamp.py": f"class Lamp:\n    def {method}(self, hours): return hours\n"})
        for name, method in (("old", "light_up"), ("new", "ignite_lamp"))
    }
    places = ReleasePlaces(releases["old"], releases["new"])
    use_translations(lambda text, _number: f"«{text}»")
    made = compare_releases(places, "", Work())
    texts._origins.clear()
    read = compare_releases(places, "", Work())
    assert read == made and read and all(tr_kept(change.what).startswith("«") for change in read)
    use_translations(None)
    assert [change.what for change in compare_releases(places, "", Work())] == [change.what for change in made]


def test_what_was_translated_stays_when_the_texts_are_collected_again(tmp_path: Path) -> None:
    file = tmp_path / "de.ts"
    write_ts(file, "de", {"Undo": ["Rückgängig"], "%n file": ["%n Datei", "%n Dateien"], "gone since": ["weg"]})
    kept = read_ts(file)
    assert kept["Undo"] == ["Rückgängig"] and kept["%n file"] == ["%n Datei", "%n Dateien"] and "gone since" not in kept
    before = file.read_bytes()
    write_ts(file, "de", kept)
    assert file.read_bytes() == before


def test_pseudo_keeps_places_and_markup() -> None:
    made = pseudo("<b>{name}</b> has %n edits {rate:.0%}")
    assert "<b>{name}</b>" in made and "%n" in made and "{rate:.0%}" in made and "edits" not in made


def test_the_language_is_that_of_the_settings_where_there_is_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    _put("pl", {"Undo": ["Cofnij"]}, tmp_path)
    assert languages() == ("en", "pl") and language_title("pl") == "polski"
    monkeypatch.setenv("LANGUAGE", "")
    monkeypatch.setenv("LC_ALL", "pl_PL.UTF-8")
    assert chosen_language("pl") == "pl" and chosen_language("xx") == "en" and chosen_language("en") == "en"
    assert chosen_language("") == "pl"
    change_settings({"look.language": "pl"})
    assert settings().look.language == "pl"


def test_a_damaged_translation_leaves_the_window_in_english() -> None:
    folder = Path(os.environ["FERNSHALE_HOME"]) / "translations"
    folder.mkdir()
    (folder / "fernshale_xx.qm").write_bytes(b"no translation")
    use_language("xx")
    assert tr("Undo") == "Undo"


def test_the_package_brings_qts_own_texts() -> None:
    from PySide6.QtCore import QLibraryInfo

    folder = Path(QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath))
    assert (folder / "qtbase_de.qm").is_file() and Path(fernshale.__file__).is_file()
