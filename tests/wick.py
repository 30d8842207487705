"""A second engine for tests: Wick, scripts in Python, checked by a script of its own. Nothing of the sample is in it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree

PROFILE = """\
format = "fernshale-profile/1"
id = "wick"
title = "Wick"
installed = ["{shelf}/wick/{release}"]

[recognise]
files = ["candle.ini"]

[[site]]
name = "settings"
files = ["candle.ini"]
at = { ini = "wick" }
required = true

[[role]]
role = "plugin"
files = ["addons/**"]

[[role]]
role = "own"
files = ["*.py"]

[plugins]
folders = ["addons/*"]
descriptor = "addon.ini"
version = { ini = "version" }
accepts = { ini = "wick" }
accepts_notation = "comparators"

[commands.build]
run = ["python3", "{engine}/check.py", "{project}"]

[commands.run]
run = ["python3", "{project}/game.py"]
environment = { PYTHONPATH = "{engine}", PYTHONDONTWRITEBYTECODE = "1" }
"""
_CHECK = """\
import ast, pathlib, sys
sys.path.insert(0, str(pathlib.Path(__file__).parent))
sys.dont_write_bytecode = True
import wick
bad = 0
for path in sorted(pathlib.Path(sys.argv[1]).rglob("*.py")):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id == "wick":
            if not hasattr(wick, node.attr):
                print(f"{path}:{node.lineno}:{node.col_offset + 1}: error: no member named '{node.attr}' in 'wick'")
                bad += 1
sys.exit(bad > 0)
"""
_RULES = """\
format = "fernshale-rules/1"
title = "Wick 2 notes"
[[rule]]
id = "light"
kind = "rename"
old = "light_up"
new = "ignite"
why = "light_up is ignite"
"""
_SHELF = """\
format = "fernshale-shelf/1"
[[engine]]
id = "wick"
version = "1.4"
folder = "wick/1.4"
[[engine]]
id = "wick"
version = "2.0"
folder = "wick/2.0"
rules = ["notes.rules.toml"]
[[plugin]]
id = "snuffer"
version = "1"
folder = "snuffer/1"
accepts = ">=1, <2"
[[plugin]]
id = "snuffer"
version = "2"
folder = "snuffer/2"
accepts = ">=2, <3"
"""
SNUFFER = "".join(f"step_{n} = {n}\n" for n in range(9))


@dataclass(frozen=True, slots=True)
class Wick:
    project: Path
    shelf: Path
    profile: Path


def make_wick(tree: Tree) -> Wick:
    """A project on Wick 1.4 that uses what 2.0 renamed, with an edited addon."""
    shelf = tree(
        "shelf",
        {
            "shelf.toml": _SHELF,
            "notes.rules.toml": _RULES,
            "wick/1.4/check.py": _CHECK,
            "wick/2.0/check.py": _CHECK,
            "wick/1.4/wick.py": "def light_up(): print('lit')\n",
            "wick/2.0/wick.py": "def ignite(): print('lit')\n",
            "snuffer/1/addon.ini": "version = 1\nwick = >=1, <2\n",
            "snuffer/1/snuffer.py": SNUFFER,
            "snuffer/2/addon.ini": "version = 2\nwick = >=2, <3\n",
            "snuffer/2/snuffer.py": SNUFFER.replace("step_8 = 8", "step_8 = 80"),
        },
    )
    project = tree(
        "candle",
        {
            "candle.ini": "; the game\nwick = 1.4   ; engine\n",
            "game.py": "import wick\n\nwick.light_up()  # light_up\n",
            "more.py": "import wick\n\n\ndef twice():\n    wick.light_up()\n    wick.light_up()\n",
            "addons/snuffer/addon.ini": "version = 1\nwick = >=1, <2\n",
            "addons/snuffer/snuffer.py": SNUFFER.replace("step_0 = 0", "step_0 = 'mine'"),
            "notes/empty": None,
        },
    )
    return Wick(project, shelf, tree("profiles", {"wick.profile.toml": PROFILE}) / "wick.profile.toml")


def add_release(wick: Wick, release: str, code: str) -> None:
    """Have another release of the engine on the shelf."""
    folder = wick.shelf / "wick" / release
    folder.mkdir()
    (folder / "wick.py").write_text(code)
    (folder / "check.py").write_text(_CHECK)
    with open(wick.shelf / "shelf.toml", "a") as file:
        file.write(f'[[engine]]\nid = "wick"\nversion = "{release}"\nfolder = "wick/{release}"\n')


def begin_wick(tree: Tree) -> tuple[Wick, Crossing]:
    """A trusted crossing to 2.0."""
    wick = make_wick(tree)
    return wick, cross_wick(wick)


def cross_wick(wick: Wick) -> Crossing:
    """The same for a project that was made, and maybe changed, before."""
    profile = read_profile(wick.profile)
    trust(profile)
    return begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())


def make_silent_wick(tree: Tree, old: str, new: str, game: str) -> Wick:
    """As `make_wick`, but the notes tell nothing, the engine's two releases are `old` and `new`, and the game is one file."""
    wick = make_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('rules = ["notes.rules.toml"]\n', ""))
    (wick.shelf / "wick/1.4/wick.py").write_text(old)
    (wick.shelf / "wick/2.0/wick.py").write_text(new)
    for path in wick.project.glob("*.py"):
        path.unlink()
    (wick.project / "game.py").write_text(game)
    return wick
