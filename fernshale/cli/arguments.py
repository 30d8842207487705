"""The arguments of every command."""

from __future__ import annotations

import argparse

from fernshale import __version__
from fernshale.sample import SAMPLES

_CODES = "exit codes: 0 done, 1 failed, 2 misuse, 3 open items need a decision, 130 interrupted"


class _Commands:
    """The list of commands, with the arguments that several of them have."""

    def __init__(self, parser: argparse.ArgumentParser) -> None:
        self.parsers = parser.add_subparsers(metavar="COMMAND")

    def command(self, name: str, handler: tuple[str, str], text: str) -> argparse.ArgumentParser:
        """Add a command; `handler` is a module of `fernshale.cli` and a function in it."""
        added = self.parsers.add_parser(name, help=text, description=text[0].upper() + text[1:] + ".", epilog=_CODES)
        added.add_argument("--json", action="store_true", help="print data instead of text")
        added.set_defaults(handler=handler)
        return added

    def on_project(self, name: str, handler: tuple[str, str], text: str) -> argparse.ArgumentParser:
        """Add a command about a project."""
        added = self.command(name, handler, text)
        added.add_argument("project", metavar="PROJECT")
        added.add_argument("--profile", metavar="FILE", help="engine profile; without it the one that fits is found")
        added.add_argument(
            "--shelf", metavar="SHELF", action="append", help="folder or address of a shelf; may be repeated"
        )
        added.add_argument("--trust", action="store_true", help="you have read the profile; its commands may run")
        return added


def build_parser() -> argparse.ArgumentParser:
    """The parser of the command line. Each command sets `handler`, its module in `fernshale.cli` and its function there."""
    parser = argparse.ArgumentParser(
        prog="fernshale", description="Take a game project from one engine release to a newer one.", epilog=_CODES
    )
    parser.add_argument("--version", action="version", version=f"fernshale {__version__}")
    parser.add_argument("--verbose", action="store_true", help="log more, and on the standard error output as well")
    parser.set_defaults(handler=("open_window", "open_window"), project=None)
    commands = _Commands(parser)
    _window_commands(commands)
    _project_commands(commands)
    _import_command(commands)
    _crossing_file_commands(commands)
    _snapshot_commands(commands)
    _shelf_commands(commands)
    _profile_commands(commands)
    _merge_commands(commands)
    _build_commands(commands)
    _trial_commands(commands)
    _crossing_commands(commands)
    return parser


def _add_scope(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--copy-to", metavar="DIR", help="cross a copy made there; the project itself is only read")
    parser.add_argument(
        "--member", metavar="NAME", action="append", help="only this member of a workspace; may be repeated"
    )


def _add_workers(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--workers", metavar="N", type=int, help="projects at the same time; without it one per processor"
    )
    parser.add_argument(
        "--scheduler", metavar="ADDRESS", help="have the machines of this scheduler of Dask do the work; see --exchange"
    )
    parser.add_argument(
        "--exchange", metavar="FOLDER", help="a folder that those machines reach, for snapshots and results"
    )


def _window_commands(commands: _Commands) -> None:
    opened = commands.command(
        "open", ("open_window", "open_window"), "open the window, on a project where one is named"
    )
    opened.add_argument("project", metavar="PROJECT", nargs="?")

    demo = commands.command("demo", ("demo", "demo"), "unpack the sample into a fresh folder and open it")
    demo.add_argument("--headless", action="store_true", help="the whole crossing as text")
    demo.add_argument("--sample", choices=tuple(SAMPLES), default=next(iter(SAMPLES)), help="which sample")
    demo.add_argument("--folder", metavar="DIR", help="where to unpack; without it a new temporary folder")
    demo.add_argument("--by-hand", action="store_true", help="with --headless: use no recorded decisions")


def _project_commands(commands: _Commands) -> None:
    survey = commands.on_project(
        "survey", ("stages", "survey"), "show what a project is made of and which release it is on"
    )
    survey.add_argument("others", metavar="PROJECT", nargs="*", help="more projects, for one table of all")
    role = commands.on_project("role", ("stages", "role"), "show the role of a file or folder and why, or assign one")
    role.add_argument("place", metavar="PATH", help="a file or folder, seen from the project")
    role.add_argument("role", metavar="ROLE", nargs="?", default="", help="own, user content, generated, asset, ...")
    role.add_argument("--withdraw", action="store_true", help="remove your own role, so that the profile decides")
    route = commands.on_project("route", ("stages", "route"), "begin a crossing: which plugins can move to a release")
    route.add_argument("--to", metavar="RELEASE", required=True)
    route.add_argument("--via", metavar="RELEASE", action="append", help="a release to stop at; may be repeated")
    _add_scope(route)
    engine = commands.on_project("engine", ("stages", "engine"), "the places that name the release, before and after")
    engine.add_argument("--to", metavar="RELEASE", required=True)
    engine.add_argument("--apply", action="store_true", help="write it, as one step that can be undone")


def _import_command(commands: _Commands) -> None:
    imported = commands.on_project(
        "import", ("import_content", "import_files"), "import own content with everything it depends on"
    )
    imported.add_argument(
        "paths", metavar="PATH", nargs="+", help="a file or folder, relative to the folder it comes from"
    )
    imported.add_argument(
        "--from", dest="source", metavar="FOLDER", required=True, help="an old folder or another project"
    )
    imported.add_argument("--into", metavar="FOLDER", default="", help="the folder of the project that matches it")
    imported.add_argument("--over", action="store_true", help="also replace other files that have the same place")
    imported.add_argument(
        "--read-assets",
        action="store_true",
        help="have the engine's command print binary assets that were not read yet",
    )
    imported.add_argument("--apply", action="store_true", help="write it, as one step that can be undone")


def _merge_commands(commands: _Commands) -> None:
    merge = commands.command("merge", ("merge", "merge"), "merge three folders into a fourth")
    for side, text in (("base", "old vendor release"), ("mine", "local folder"), ("incoming", "new vendor release")):
        merge.add_argument(f"--{side}", metavar="DIR", required=True, help=text)
    merge.add_argument("--result", metavar="DIR", required=True, help="folder for the result; new or empty")
    merge.add_argument("--report", metavar="FILE", help="write the report as JSON")
    merge.add_argument("--undecided", choices=("marked", "mine", "incoming"), default="marked")
    identify = commands.command("identify", ("merge", "identify"), "find the release that a folder came from")
    identify.add_argument("folder", metavar="FOLDER")
    identify.add_argument("--candidates", metavar="DIR", nargs="+", required=True)


def _add_apply_from(command: argparse.ArgumentParser) -> None:
    words = "apply fixes of this confidence or more automatically from now on (0.90)"
    command.add_argument("--apply-from", "--automatic-from", metavar="N", type=float, help=words)
    command.add_argument(
        "--try", dest="attempts", metavar="BUILDS", type=int, nargs="?", const=6,
        help="try the proposals of each build in a copy of the project from now on, in up to so many builds (6; 0 for none)",
    )  # fmt: skip


def _build_commands(commands: _Commands) -> None:
    diagnose = commands.command("diagnose", ("build", "diagnose"), "read a build log into diagnostics and causes")
    diagnose.add_argument("log", metavar="LOG", help="a file, or - for standard input")
    diagnose.add_argument("--project", metavar="PROJECT", help="finds the owner of each diagnostic")
    diagnose.add_argument("--profile", metavar="FILE")
    diagnose.add_argument("--sarif", metavar="FILE", help="write the diagnostics as SARIF 2.1 as well")
    build = commands.on_project("build", ("build", "build"), "one round: build, read the errors, propose")
    build.add_argument(
        "--rounds", action="store_true", help="apply high-confidence fixes and build again, until none is left"
    )
    _add_apply_from(build)
    fix = commands.command("fix", ("build", "fix"), "show what fix rules would change, as a unified diff")
    fix.add_argument("rules", metavar="RULES")
    fix.add_argument("project", metavar="PROJECT", nargs="?", default="")
    fix.add_argument("--test", action="store_true", help="test the rules on the examples in the file")
    fix.add_argument("--keep", action="store_true", help="propose these rules on the project's crossing from now on")
    fix.add_argument("--apply", action="store_true", help="write it, as one step")
    fix.add_argument(
        "--yes", action="store_true", help="also where more than a tenth of the project's files would be removed"
    )
    fix.add_argument("--profile", metavar="FILE")

    drift = commands.command("drift", ("drift", "drift"), "how one release's interface differs from another's")
    drift.add_argument("old", metavar="OLD")
    drift.add_argument("new", metavar="NEW")
    drift.add_argument(
        "--language", metavar="L", help="only this one: c, c++, c#, java, rust, python, typescript, javascript, lua"
    )
    drift.add_argument(
        "--between",
        nargs="+",
        default=[],
        metavar="DIR",
        help="releases between the two, oldest first; what they state counts",
    )
    drift.add_argument("--project", metavar="PROJECT", help="only what this project uses")


def _trial_commands(commands: _Commands) -> None:
    linked = commands.command("links", ("links", "links"), "find missing ids and paths in assets, and their new names")
    linked.add_argument("tree", metavar="TREE")
    linked.add_argument("--profile", metavar="FILE", help="engine profile; without it the one that fits is found")
    linked.add_argument("--before", metavar="SNAPSHOT|DIR", required=True, help="the tree as it was before the update")
    linked.add_argument("--store", metavar="DIR", help="the store of the snapshot; without it your own")
    linked.add_argument("--apply", action="store_true", help="write the high-confidence replacements, as one step")
    tried = commands.on_project("trial", ("cross", "trial"), "run the game, compare its log, try its checks")
    tried.add_argument("--look", action="store_true", help="only report the last run")
    tried.add_argument(
        "--junit", metavar="FILE", help="write the results of the checks as JUnit XML, release by release"
    )
    checked = commands.on_project("check", ("cross", "check"), "list the checks, add one, record a result")
    checked.add_argument("name", metavar="NAME", nargs="?", default="")
    checked.add_argument("--by-hand", metavar="TEXT", help="what to do and what you should see")
    checked.add_argument(
        "--prints", metavar="PATTERN", help="a pattern for a line of the log, or of the output of --run"
    )
    checked.add_argument("--never", metavar="PATTERN", help="no line of the log fits this")
    checked.add_argument("--run", metavar="WORD", nargs="+", help="a command that ends well")
    checked.add_argument("--mark", choices=("passed", "failed"), help="how it went, tried by you")
    checked.add_argument("--drop", action="store_true", help="remove it from the list")
    checked.add_argument("--why", metavar="TEXT", default="", help="what it is for, or what you saw")


def _crossing_commands(commands: _Commands) -> None:
    cross = commands.on_project(
        "cross", ("cross", "cross"), "carry out a whole crossing; stop where a decision is needed"
    )
    cross.add_argument("others", metavar="PROJECT", nargs="*", help="more projects, for one table of how far each is")
    cross.add_argument("--to", metavar="RELEASE", required=True)
    cross.add_argument("--via", metavar="RELEASE", action="append", help="a release to stop at; may be repeated")
    _add_scope(cross)
    cross.add_argument("--git", action="store_true", help="keep each step as a commit on a branch for the crossing")
    cross.add_argument("--auto", action="store_true", help="carry out what has high confidence; without it only report")
    _add_apply_from(cross)
    cross.add_argument("--decisions", metavar="FILE", help="a file of recorded decisions")
    cross.add_argument(
        "--playbook",
        metavar="FILE",
        help="the playbook of a finished crossing (`report --playbook`); entries that do not fit are reported",
    )
    cross.add_argument(
        "--since", metavar="FILE", help="also say what changed since a report that `--json` printed before"
    )
    _add_workers(cross)
    rehearsed = commands.on_project(
        "rehearse", ("rehearse", "rehearse"), "try the whole way on a scratch copy, and say what it would cost"
    )
    rehearsed.add_argument(
        "others", metavar="PROJECT", nargs="*", help="more projects, for one table of their best ways"
    )
    rehearsed.add_argument("--to", metavar="RELEASE", action="append", help="may be repeated, to compare")
    rehearsed.add_argument(
        "--new", action="store_true", help="the releases that are new on the shelf since the last rehearsal"
    )
    rehearsed.add_argument(
        "--via", metavar="RELEASE", action="append", help="also the way over this release; may be repeated"
    )
    rehearsed.add_argument("--hold", metavar="PLUGIN", action="append", help="hold this plugin back; may be repeated")
    rehearsed.add_argument("--member", metavar="NAME", action="append", help="only this member of a workspace")
    rehearsed.add_argument("--budget", metavar="MINUTES", type=float, default=60.0, help="for each way; 60 without it")
    rehearsed.add_argument("--again", action="store_true", help="also where nothing changed since the last time")
    rehearsed.add_argument(
        "--out", metavar="FILE", help="write the comparison as a page; for several projects a folder"
    )
    _add_workers(rehearsed)
    decide = commands.on_project("decide", ("cross", "decide"), "resolve one open item")
    decide.add_argument("key", metavar="KEY", help="as `cross` lists it with --json")
    decide.add_argument("take", metavar="OPTION", nargs="?", default="", help="the id of an option")
    decide.add_argument("--why", metavar="TEXT", default="")
    decide.add_argument(
        "--text", metavar="TEXT", default="", help="the text that an option asks for, such as the command to run"
    )
    decide.add_argument("--withdraw", action="store_true", help="withdraw a decision that was not carried out yet")
    report = commands.on_project("report", ("cross", "report"), "report the steps, the result and the open items")
    report.add_argument("--rules", metavar="FILE", help="write the rules learned on this crossing, for others")
    report.add_argument("--out", metavar="FILE", help="a .md, .html or .json file; without it to standard output")
    report.add_argument("--message", action="store_true", help="a few lines for a merge request")
    report.add_argument("--patches", metavar="DIR", help="write each step as a patch that git applies")
    report.add_argument("--playbook", metavar="FILE", help="write decisions, rules and checks for the next project")
    log = commands.on_project("logbook", ("cross", "logbook"), "list the steps of the crossing, in order")
    log.add_argument("--undo", metavar="ENTRY", type=int, help="undo this step")
    log.add_argument("--redo", metavar="ENTRY", type=int, help="redo this undone step")
    log.add_argument("--dry-run", action="store_true", help="only show the changes")
    log.add_argument("--back-to", metavar="ENTRY", type=int, help="make the project as it was before this step")


def _shelf_commands(commands: _Commands) -> None:
    text = "show a shelf, add releases to it, or serve it to others"
    group = commands.parsers.add_parser("shelf", help=text, description=text.capitalize() + ".", epilog=_CODES)
    actions = group.add_subparsers(metavar="ACTION", required=True)
    show = actions.add_parser("show", help="list the releases on a shelf, and anything odd about it", epilog=_CODES)
    show.add_argument("shelf", metavar="SHELF", nargs="+")
    show.add_argument("--json", action="store_true", help="print data instead of text")
    show.set_defaults(handler=("shelf", "show"))
    add = actions.add_parser(
        "add", help="put releases on a shelf that is a folder, which is made if need be", epilog=_CODES
    )
    add.add_argument("shelf", metavar="SHELF")
    add.add_argument(
        "sources", metavar="SOURCE", nargs="+", help="a folder, an archive, a folder of them, a git repository"
    )
    add.add_argument("--profile", metavar="FILE", help="the profile that recognises plugins and the engine")
    add.add_argument("--in-place", action="store_true", help="use folders without copying them")
    add.add_argument("--engine", action="store_true", help="they are releases of the engine")
    add.add_argument("--id", metavar="ID", help="their name, where it is not recognised")
    add.add_argument("--version", metavar="VERSION", help="the version of a single release")
    add.add_argument("--dry-run", action="store_true", help="only list the releases")
    add.add_argument("--json", action="store_true", help="print data instead of text")
    add.set_defaults(handler=("shelf", "add"))
    serve = actions.add_parser("serve", help="serve a shelf over HTTP until interrupted", epilog=_CODES)
    serve.add_argument("folder", metavar="FOLDER")
    serve.add_argument("--host", metavar="NAME", default="127.0.0.1")
    serve.add_argument("--port", metavar="NUMBER", type=int, default=0, help="without it any that is free")
    serve.set_defaults(handler=("shelf", "serve"))


def _profile_commands(commands: _Commands) -> None:
    text = "describe a project, draft an engine profile for it, or check one"
    group = commands.parsers.add_parser("profile", help=text, description=text.capitalize() + ".", epilog=_CODES)
    actions = group.add_subparsers(metavar="ACTION", required=True)
    described = actions.add_parser(
        "describe", help="describe a project by questions, and write its profile", epilog=_CODES
    )
    described.add_argument("project", metavar="PROJECT")
    described.add_argument("--engine", metavar="NAME", help="what the engine is called in the project's files")
    value = "release, range, belongs, plugin id, plugin version, plugin accepts or mine"
    described.add_argument("--value", metavar="FILE:LINE:TEXT=WHAT", action="append", help=f"what a value is: {value}")
    folder = "plugins, own, generated, asset, settings or other"
    described.add_argument("--folder", metavar="FOLDER=WHAT", action="append", help=f"what a folder is: {folder}")
    described.add_argument("--build", metavar="COMMAND", help='the command that builds it, "" for none')
    described.add_argument(
        "--out", metavar="FOLDER", help="write the profile there; without it, for all projects of the engine"
    )
    described.set_defaults(handler=("profile", "describe_project"))
    draft = actions.add_parser("draft", help="propose a profile for an unknown project", epilog=_CODES)
    draft.add_argument("project", metavar="PROJECT")
    draft.add_argument("--out", metavar="FILE", help="write it; without it to standard output")
    draft.set_defaults(handler=("profile", "draft"))
    check = actions.add_parser("check", help="unknown keys, bad globs, patterns that run away", epilog=_CODES)
    check.add_argument("file", metavar="FILE")
    check.add_argument("--project", metavar="PROJECT", help="also report what matches nothing in this project")
    check.add_argument("--json", action="store_true", help="print data instead of text")
    check.set_defaults(handler=("profile", "check"))


def _crossing_file_commands(commands: _Commands) -> None:
    text = "list, export, import and archive crossings"
    group = commands.parsers.add_parser("crossing", help=text, description=text.capitalize() + ".", epilog=_CODES)
    actions = group.add_subparsers(metavar="ACTION", required=True)

    def action(name: str, handler: str, help_: str) -> argparse.ArgumentParser:
        added = actions.add_parser(name, help=help_, epilog=_CODES)
        added.add_argument("--json", action="store_true", help="print data instead of text")
        added.set_defaults(handler=("crossing_files", handler))
        return added

    action("list", "list_crossings", "list your crossings, the most recently used first")
    export = action("export", "export", "write a crossing and what it needs into one file, for another machine")
    export.add_argument("project", metavar="PROJECT")
    export.add_argument("file", metavar="FILE")
    imported = action("import", "import_file", "make an exported crossing one of this machine")
    imported.add_argument("file", metavar="FILE")
    imported.add_argument(
        "project", metavar="PROJECT", help="the project's folder here; a new or empty one is filled as it was exported"
    )
    imported.add_argument(
        "--shelf", metavar="SHELF", action="append", help="folder or address of a shelf; may be repeated"
    )
    imported.add_argument("--with-commands", action="store_true", help="keep its own checks that run commands")
    archived = action("archive", "archive", "list a crossing last, and free what can be built again")
    archived.add_argument("project", metavar="PROJECT")


def _snapshot_commands(commands: _Commands) -> None:
    text = "take, list, compare, restore, verify and delete snapshots"
    group = commands.parsers.add_parser("snapshot", help=text, description=text.capitalize() + ".", epilog=_CODES)
    actions = group.add_subparsers(metavar="ACTION", required=True)

    def action(name: str, help_: str) -> argparse.ArgumentParser:
        added = actions.add_parser(name, help=help_, epilog=_CODES)
        added.add_argument("--json", action="store_true", help="print data instead of text")
        added.add_argument("--store", metavar="DIR", help="the store; without it your own")
        added.set_defaults(handler=("snapshot", name))
        return added

    take = action("take", "keep a tree as it is now")
    take.add_argument("tree", metavar="TREE")
    take.add_argument("--note", metavar="TEXT", default="")
    action("list", "all snapshots, oldest first")
    compare = action("compare", "compare two snapshots")
    compare.add_argument("before", metavar="A")
    compare.add_argument("after", metavar="B")
    restore = action("restore", "restore a snapshot, or some paths of it")
    restore.add_argument("id", metavar="ID")
    restore.add_argument("destination", metavar="DEST")
    restore.add_argument("paths", metavar="PATH", nargs="*")
    action("verify", "read everything and report damage")
    delete = action("delete", "delete snapshots, by id or by a policy, and free their space")
    delete.add_argument("ids", metavar="ID", nargs="*")
    delete.add_argument("--tree", metavar="TREE", help="with a policy: only snapshots of this tree")
    delete.add_argument("--keep-last", metavar="N", type=int, default=0, help="keep the last N of each tree")
    delete.add_argument(
        "--keep-daily", metavar="N", type=int, default=0, help="keep the latest of each of the last N days"
    )
    delete.add_argument("--dry-run", action="store_true", help="only list what would be deleted")
