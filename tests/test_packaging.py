"""What packages are made of: files made from the command line are those of now, and the desktop's data fit together."""

from __future__ import annotations

import configparser
import subprocess
import sys
import tomllib
import zipfile
from pathlib import Path

import pytest
from lxml import etree

from fernshale import __version__
from fernshale.cli.arguments import build_parser

_ROOT = Path(__file__).parents[1]
_PACKAGING = _ROOT / "packaging"
_ID = "org.fernshale.Fernshale"
sys.path.insert(0, str(_ROOT / "tools"))

from package.commands import commands  # noqa: E402
from package.shared_files import made_files, put_icons  # noqa: E402

_MIME = {"m": "http://www.freedesktop.org/standards/shared-mime-info"}


def test_made_files_are_those_of_the_command_line_of_now() -> None:
    stale = [str(path) for path, text in made_files().items() if not path.is_file() or path.read_text() != text]
    assert stale == [], "./dev package refresh writes them"


def test_every_command_is_in_the_manual_page_and_in_all_completions() -> None:
    texts = [path.read_text() for path in made_files()]
    assert len(commands()) > 25
    for command in commands()[1:]:
        assert all(command.words[-1] in text for text in texts), command.words
    manual = (_PACKAGING / "man/fernshale.1").read_text()
    macros = {line.split()[0] for line in manual.splitlines() if line.startswith((".", "'"))}
    assert macros <= {".TH", ".SH", ".SS", ".TP", ".PP", ".B"}


def _complete(*words: str) -> set[str]:
    script = (
        f"source {_PACKAGING}/completions/fernshale\n"
        'COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); _fernshale; printf "%s\\n" "${COMPREPLY[@]}"'
    )
    done = subprocess.run(
        ["bash", "-c", script, "bash", "fernshale", *words], capture_output=True, text=True, timeout=20
    )
    assert done.stderr == ""
    return set(done.stdout.split())


@pytest.mark.parametrize(
    ("words", "found"),
    [
        (("sn",), {"snapshot"}),
        (("snapshot", ""), {"take", "list", "compare", "restore", "verify", "delete"}),
        (("--verb",), {"--verbose"}),
        (("snapshot", "take", "--no"), {"--note"}),
        (("demo", "--sample", ""), {"nine-piers", "quayside"}),
        (("crossing", "import", "--w"), {"--with-commands"}),
        (("open", ""), set()),
    ],
)
def test_bash_completes_commands_options_and_choices(words: tuple[str, ...], found: set[str]) -> None:
    assert _complete(*words) == found


def test_options_that_are_completed_are_accepted() -> None:
    parser = build_parser()
    assert parser.parse_args(["snapshot", "take", "--note", "n", "."]).note == "n"
    assert {"--note", "--json", "--store"} <= _complete("snapshot", "take", "--")


def test_the_desktop_entry_opens_what_the_mime_types_name() -> None:
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str  # type: ignore[assignment,method-assign]
    entry.read(_PACKAGING / f"{_ID}.desktop")
    main = entry["Desktop Entry"]
    assert main["Exec"].split()[:2] == ["fernshale", "open"] and main["Icon"] == _ID
    types = etree.parse(_PACKAGING / f"{_ID}.mime.xml").findall("m:mime-type", _MIME)
    assert {item.get("type") for item in types} == set(main["MimeType"].strip(";").split(";"))
    globs = {item.find("m:glob", _MIME).get("pattern") for item in types}
    assert globs == {"*.crossing", "*.profile.toml", "*.rules.toml", "*.playbook.toml"}
    for action in main["Actions"].strip(";").split(";"):
        assert entry[f"Desktop Action {action}"]["Exec"].startswith("fernshale ")


def test_the_data_for_software_centres_is_that_of_this_version() -> None:
    data = etree.parse(_PACKAGING / f"{_ID}.metainfo.xml")
    assert data.findtext("id") == _ID and data.findtext("launchable") == f"{_ID}.desktop"
    assert data.find("releases/release").get("version") == __version__
    assert tomllib.loads((_ROOT / "pyproject.toml").read_text())["project"]["version"] == __version__
    for image in data.findall("screenshots/screenshot/image"):
        assert (_ROOT / "docs/screenshots" / Path(image.text or "").name).is_file()


def test_icons_are_drawn_in_all_sizes(tmp_path: Path, qapp: object) -> None:
    put_icons(tmp_path)
    from PySide6.QtGui import QImage

    sizes = set()
    for path in tmp_path.rglob("*.png"):
        image = QImage(str(path))
        sizes.add(image.width())
        assert len({image.pixel(x, image.height() // 2) for x in range(image.width())}) > 3
    assert {16, 32, 48, 256} <= sizes and list(tmp_path.rglob("*.svg"))


def test_a_wheel_has_the_guide_its_pictures_and_the_files_for_the_desktop(tmp_path: Path) -> None:
    pip = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--wheel-dir", str(tmp_path), str(_ROOT)]
    done = subprocess.run(pip, capture_output=True, text=True, timeout=300)
    assert done.returncode == 0, done.stderr
    (wheel,) = tmp_path.glob("*.whl")
    names = set(zipfile.ZipFile(wheel).namelist())
    guide = {f"fernshale/docs/guide/{path.name}" for path in (_ROOT / "docs/guide").glob("*.md")}
    pictures = {f"fernshale/docs/screenshots/{path.name}" for path in (_ROOT / "docs/screenshots").glob("*.png")}
    assert guide | pictures | {"fernshale/app/icons/fernshale.svg", "fernshale/core/drift/weights.toml"} <= names
    shared = {name.partition(".data/data/")[2] for name in names}
    assert {f"share/applications/{_ID}.desktop", "share/man/man1/fernshale.1"} <= shared
    assert not [name for name in names if name.startswith(("tests/", "tools/"))]
