"""The open items of Build: builds to run, causes to fix, changes that compile and mean something else."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace
from typing import get_args

from fernshale.core.base.confidence import OLD_DEFAULT
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import position
from fernshale.core.base.texts import count, english, tr, tr_kept
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.crossing.project.interface_changes import Used
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import Texts
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.actions import (
    AcceptSilent,
    CodePart,
    PinDefault,
    ReturnPluginForCause,
    RunBuild,
    SwitchCodeOff,
    UseRule,
    UseSilentRule,
)
from fernshale.core.crossing.stages.build.view import CauseView, Fix
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.apply import find_edits
from fernshale.core.fix.rules import AddArgumentRule, ReorderRule, Rule
from fernshale.core.fix.tokens import name_starts
from fernshale.core.inference.from_api_diff import reorder_rule
from fernshale.core.survey.roles import role_of

# The key prefix of items about calls whose arguments changed meaning.
DEFAULT = "default:"
# A default that means the same in the project's own files: a literal, or a name with its whole path.
_MEANS_THE_SAME = lazy_pattern(
    r"""[-+!~]?\.?\d[\w.']*|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'|true|false|True|False|None|null|nullptr|undefined|NULL|!0|!1"""
    r"|(?:::)?\w+(?:(?:::|\.)\w+)+|\(\)|\[\]|\{\}"
)


RIGHT = tr("It is right as it is now")


def right(key: str, *evidence: str) -> Option:
    """The option that records that the code is right as it is."""
    return Option(Choose(key, "noted"), RIGHT, evidence)


def no_build() -> list[Item]:
    """Before the first build for a release."""
    run = Option(RunBuild(), tr("Build"), (tr("nothing was built for this release yet"),), is_automatic=True)
    return [Item("build:run", Stage.BUILD, tr("not built yet for this release"), needs_you=False, options=(run,))]


def cause_items(views: Sequence[CauseView], is_stale: bool, passed: bool) -> list[Item]:
    """Another build where files changed, and each cause that does not follow from another, with its options."""
    run = Option(RunBuild(), tr("Build again"), (tr("files changed since the last build"),), is_automatic=True)
    items = []
    if is_stale:
        items.append(
            Item("build:run", Stage.BUILD, tr("files changed since the last build"), needs_you=False, options=(run,))
        )
    elif not passed and not views:
        items.append(
            Item("build:run", Stage.BUILD, tr("the build failed without an error that can be read"), options=(run,))
        )
    for view in sorted(views, key=lambda view: view.put_off):
        cause = view.cause
        first = cause.errors[0].place
        place = f"{first.file}:{first.line}" if first.line else first.file
        title = f"{cause.title}, {count(view.open, 'place')}"
        options = tuple(
            Option(
                UseRule(cause.key, fix.rule.id), tr_kept(fix.rule.name), fix.evidence, fix.confidence, fix.is_automatic
            )
            for fix in view.fixes
        )
        # Settled causes wait for the next build; causes that follow from another are fixed with it, if not by a fix of their own.
        is_fixed_with_another = cause.under and not any(option.is_automatic for option in options)
        if not view.is_settled and not is_fixed_with_another:
            debts = () if any(option.is_automatic for option in options) else _debt_options(cause)
            if view.left_out:
                words = (tr("{left_out} had it, and is left out", left_out=view.left_out),)
                debts = (
                    Option(
                        ReturnPluginForCause(cause.key, view.left_out),
                        tr("Return {left_out}", left_out=view.left_out),
                        words,
                    ),
                    *debts,
                )
            why = (
                tr("put off")
                if view.put_off
                else tr("{left_out} is left out", left_out=view.left_out)
                if view.left_out
                else ""
            )
            items.append(Item(view.key, Stage.BUILD, title, cause.owner, place, why, not options, (*options, *debts)))
    return items


def default_items(scan: ProjectScan, drift: Sequence[Used], texts: Texts, decided: Collection[str]) -> Iterator[Item]:
    """Calls whose arguments changed meaning although the code did not change: another default, or another order of parameters."""
    seen = set(decided)
    said: set[str] = set()
    # Of a method and those that override it, the method first.
    for change in sorted((item.change for item in drift), key=lambda change: "override" in change.symbol.marks):
        key, rule = default_key(change), pinning_rule(change)
        # Classes that override one method change with it; a call does not say which of them it is for.
        words = change.what.replace(change.symbol.full, change.symbol.called, 1)
        if key in seen or words in said or not _means_otherwise(change):
            continue
        seen.add(key)
        said.add(words)
        for path, text in own_with(change.symbol.called, scan, texts):
            at = _first_call(change, rule, path, text)
            if at is not None:
                title = tr("{change}: compiles, and may mean something else", change=tr_kept(key.removeprefix(DEFAULT)))
                place = f"{path}:{position(text, at)[0]}"
                noted = right(key, change.what)
                pin = (
                    (
                        Option(
                            PinDefault(key.removeprefix(DEFAULT)),
                            tr("At each call: {title}", title=tr_kept(rule.title)),
                            (tr_kept(rule.why),),
                        ),
                    )
                    if rule
                    else ()
                )
                yield Item(key, Stage.BUILD, title, "own", place, "", True, (*pin, noted))
                break


def own_with(name: str, scan: ProjectScan, texts: Texts) -> Iterator[tuple[TreePath, str]]:
    """The project's own texts that have a name in them."""
    return (
        (path, text) for path, text in texts.of.items() if name in text and role_of(scan.profile, path).role == "own"
    )


def _first_call(change: ApiChange, rule: Rule | None, path: TreePath, text: str) -> int | None:
    """The offset of the first call that a change may concern, None where there is none."""
    if isinstance(rule, ReorderRule):
        return next((edit.start for edit in find_edits(rule, path, text)), None)
    # The name first: a pattern that begins with letters is looked for many times faster.
    name = re.escape(change.symbol.called)
    found = re.search(rf"{name}(?<!\w{name})\s*\(", text)
    return found.start() if found else None


def _means_otherwise(change: ApiChange) -> bool:
    """Whether calls stay valid and pass something else. Where the name changed as well, the rule for the name handles it."""
    return change.kind in ("default", "reordered") and change.is_silent and change.symbol.is_callable


def default_key(change: ApiChange) -> str:
    """The key of the item for calls whose argument changed meaning. Reordered parameters of a class and its subclasses share
    one."""
    full, called = change.symbol.full, change.symbol.called
    return f"{DEFAULT}{change.what.replace(full, called, 1) if change.kind == 'reordered' else change.what}"


def pinning_rule(change: ApiChange) -> Rule | None:
    """The rule that writes the old meaning at each call: the old default, or the arguments in their new order. None where it
    cannot be written."""
    if change.old is None or change.new is None or not change.old.is_callable:
        return None
    if change.kind == "reordered":
        rule = reorder_rule(
            change.old, change.new, f"pin-{change.symbol.name}-order", change.old.called, change.what, OLD_DEFAULT
        )
        return replace(rule, silent=True, named=False)
    if change.parameter < 0:
        return None
    item = change.new.parameters[change.parameter]
    at = change.parameter - (len(change.new.parameters) - len(change.new.given))
    was = _default_of(change.old, item.name, at)
    if not was or not _MEANS_THE_SAME.fullmatch(was) or item.is_named:
        return None
    name = change.symbol.called
    words = english(
        "{parameter} of {function} was {was} and is {default} by default",
        parameter=item.name or english("an argument"),
        function=name,
        was=was,
        default=item.default,
    )
    return AddArgumentRule(
        f"pin-{name}-{item.name or at}",
        words,
        title=english(
            "{function}(…) passes {parameter} = {was}",
            function=name,
            parameter=item.name or english("an argument"),
            was=was,
        ),
        call=name,
        arguments=at,
        position=at + 1,
        text=was,
        silent=True,
    )


def _default_of(old: Symbol, name: str, at: int) -> str:
    """The old default of a parameter, found by its name, or by its index where it has none."""
    if name:
        return next((item.default for item in old.given if item.name == name), "")
    return old.given[at].default if at < len(old.given) and not old.given[at].name else ""


def _debt_options(cause: Cause) -> tuple[Option, ...]:
    """Options to switch code off where a cause has no high-confidence fix; each leaves a debt."""
    if cause.owner != "own" or not any(error.place.line > 0 for error in cause.errors):
        return ()
    return tuple(
        Option(
            SwitchCodeOff(cause.key, part),
            tr("Switch the {part} off", part=part),
            (tr("it is a debt until it is switched on again"),),
        )
        for part in get_args(CodePart)
    )


def silent_words(fix: Fix, is_checked: bool, broken: Collection[str]) -> str:
    """Why no error leads to a fix. `is_checked`: the project has a build command; `broken` are the files with errors."""
    if not is_checked:
        return tr("no tool reports it")
    if fix.is_guess:
        return tr("may be needed, and no error says so")
    compiles = not any(str(edit.path) in broken for edit in fix.edits)
    return tr("compiles, but is wrong now") if compiles else tr("wrong now, and no error says so")


def silent_items(silent: Sequence[Fix], is_checked: bool, broken: Collection[str] = ()) -> list[Item]:
    """Items for changes that no tool reports; see `silent_words`."""
    return [
        Item(
            f"silent:{fix.rule.id}",
            Stage.BUILD,
            f"{tr_kept(fix.rule.name)}: {silent_words(fix, is_checked, broken)}",
            "own",
            f"{fix.edits[0].path}:{fix.edits[0].line}",
            tr_kept(fix.rule.why),
            True,
            (
                Option(
                    UseSilentRule(fix.rule.id, fix.rule.id),
                    tr_kept(fix.rule.name),
                    fix.evidence,
                    fix.confidence,
                    fix.is_automatic,
                ),
                Option(AcceptSilent(fix.rule.id), RIGHT, ()),
            ),
        )
        for fix in silent
    ]


def gone_items(
    scan: ProjectScan, drift: Sequence[Used], texts: Texts, mended: Collection[str], decided: Collection[str]
) -> Iterator[Item]:
    """Names that the project uses and the new release lacks, in a project that no tool checks. `mended` are names with a fix."""
    for change in (item.change for item in drift if item.change.kind in ("removed", "renamed", "moved")):
        key, name = f"{DEFAULT}{change.what}", change.symbol.called
        if key in decided or name in mended:
            continue
        own = own_with(name, scan, texts)
        place = next(
            (f"{path}:{position(text, at)[0]}" for path, text in own for at in name_starts(text, path, name)), None
        )
        if place is not None:
            yield Item(
                key,
                Stage.BUILD,
                tr("{what}: no tool reports it", what=tr_kept(change.what)),
                "own",
                place,
                "",
                True,
                (right(key),),
            )
