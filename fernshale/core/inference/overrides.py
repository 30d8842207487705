"""Derive rules for classes that a project derives from a release: methods to implement, with changed parameters, or renamed.

The syntax of a method's declaration depends on the language of the file.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace

from fernshale.core.base.confidence import OVERRIDE_WIDENED, RETYPED, STUB
from fernshale.core.base.languages import C_FAMILY, ENDINGS, SCRIPTS, TYPE_AFTER_NAME
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import english
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.symbols import Parameter, Symbol
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.rules import AddMemberRule, RenameRule, RewriteRule, Rule, Where

_JAVA, _C_SHARP, _RUST = ENDINGS["java"], ENDINGS["c#"], ENDINGS["rust"]
# Languages in which a method that no longer overrides anything compiles, unless it is marked as an override.
_UNSAID = (*C_FAMILY, *_JAVA)
# Types of Python that mean the same in each file.
_PLAIN = lazy_pattern(r"(?:int|float|str|bool|bytes|object)(?: \| None)?|None")
# Matches a name without a qualifier.
_SHORT = lazy_pattern(r"(?<![\w:])[A-Za-z_]\w*(?!\w|::)")
_METAS = "abcdefghijkl"
_NUMBERS = ("byte", "short", "int", "long", "float", "double", "char")


def rule_id(symbol: Symbol, part: str = "") -> str:
    """Return the id of a rule derived from comparing two releases."""
    return "-".join(filter(None, ("drift", re.sub(r"\W+", "-", symbol.full), part)))


FullName = Callable[[str, tuple[str, ...]], str]
"""The full name of what a signature in some scope writes in short."""


def override_rules(change: ApiChange, old: Symbol, new: Symbol, full_name: FullName) -> Iterator[Rule]:
    """Yield rules that update overrides to the new parameters or the new result type; none where one is no method of a class."""
    if not (old.kind == new.kind == "method" and old.scope and new.scope):
        return
    if old.parameters == new.parameters:
        yield from _new_result(change, old, new, full_name)
        return
    if old.file.endswith(PYTHON):
        yield from _wider(change, old, new)
        return
    is_c = old.file.endswith(C_FAMILY)
    retyped = tuple(_new_type(change, old, new, full_name)) if is_c else ()
    yield from retyped
    rule = _new_parameters(change, old, new, full_name) if old.is_overridable else None
    if rule is None:
        return
    yield rule
    if is_c and old.parameters and not retyped:
        # The definition is outside the class, so the compiler reports its missing declaration.
        yield replace(rule, id=rule_id(old, "defined"), where=Where(), member="", silent=False, named=True)


def renamed_override(change: ApiChange, old: Symbol, new: Symbol) -> Rule:
    """Derive the rule that renames overrides of a renamed method: under the old name they compile and override nothing."""
    why = english(
        "{full} is {name} now; a class that still has {before} overrides nothing by it, and compiles",
        full=old.full,
        name=new.name,
        before=old.name,
    )
    return RenameRule(
        rule_id(old).replace("drift-", "drift-override-", 1), why,
        title=english("override {name}, not {before}", name=new.name, before=old.name),
        old=old.name, new=new.name, where=_derived(old, new), silent=True, confidence=change.candidates[0].score,
    )  # fmt: skip


def member_rules(change: ApiChange, method: Symbol, full_name: FullName) -> Iterator[Rule]:
    """A method that every class of a kind must have, as a stub in the class."""
    base = method.scope[-1] if method.scope else ""
    text = _stub(method, full_name)
    if base and text:
        yield AddMemberRule(
            rule_id(method), english("{what}; the body is only a stub", what=change.what), base=base, member=method.name, text=text,
            confidence=STUB,
        )  # fmt: skip


def _derived(old: Symbol, new: Symbol) -> Where:
    return Where(derives=tuple(dict.fromkeys((old.scope[-1], new.scope[-1]))))


def _new_type(change: ApiChange, old: Symbol, new: Symbol, full_name: FullName) -> Iterator[Rule]:
    """Derive the rule for a parameter's new type, in all declarations and definitions of overrides."""
    changed = [at for at, (a, b) in enumerate(zip(old.parameters, new.parameters, strict=False)) if a.type != b.type]
    if len(old.parameters) != len(new.parameters) or len(changed) != 1:
        return
    at = changed[0]
    before, after = old.parameters[at].type, _in_full(new.parameters[at].type, new, full_name)
    ahead = "$$before, " if at else ""
    behind = ", $$behind" if at + 1 < len(old.parameters) else ""
    yield RewriteRule(
        rule_id(old, "type"), change.what, title=english("{name} takes a {after}", name=old.name, after=after),
        pattern=f"{old.name}({ahead}{before} $it{behind})", replacement=f"{old.name}({ahead}{after} $it{behind})",
        confidence=RETYPED,
    )  # fmt: skip


def _new_result(change: ApiChange, old: Symbol, new: Symbol, full_name: FullName) -> Iterator[Rule]:
    """Derive the rule for a new result type, in derived classes and in definitions outside them."""
    before, after = old.returns, _in_full(new.returns, new, full_name)
    if not before or not after or not (old.is_overridable or old.file.endswith(PYTHON)):
        return
    whole = f"{{}} {old.name}($$given)"
    if old.file.endswith(PYTHON):
        whole = f"def {old.name}($$given) -> {{}}"
    elif old.file.endswith(TYPE_AFTER_NAME):
        word, mark = ("fn ", " ->") if old.file.endswith(_RUST) else ("", ":")
        whole = f"{word}{old.name}($$given){mark} {{}}"
    pattern, replacement = (whole.format(type_) for type_ in (before, after))
    rule = RewriteRule(
        rule_id(old, "result"), change.what,
        title=english("{name} gives {after}, as in its base", name=old.name, after=after), pattern=pattern,
        replacement=replacement, where=_derived(old, new), member=old.name, confidence=RETYPED,
    )  # fmt: skip
    yield rule
    if old.file.endswith(C_FAMILY):
        pattern, replacement = (f"{type_} $class::{old.name}($$given)" for type_ in (before, after))
        yield replace(
            rule,
            id=rule_id(old, "result-defined"),
            pattern=pattern,
            replacement=replacement,
            where=Where(),
            member="",
            named=True,
        )


def _in_full(type_: str, method: Symbol, full_name: FullName) -> str:
    """Return a type as code outside the release's own namespaces writes it."""
    if not method.file.endswith(C_FAMILY):
        return type_
    return _SHORT.sub(lambda word: full_name(word[0], method.scope), type_)


def _new_parameters(change: ApiChange, old: Symbol, new: Symbol, full_name: FullName) -> RewriteRule | None:
    """Derive the rule for overrides of a method with new parameters; remaining parameters keep the names they have in the
    override."""
    ours, theirs = old.parameters, new.parameters
    is_typed = all(item.type or item.name == "self" for item in (*ours, *theirs))
    # Without parameters and a result, each call would look like the declaration.
    if len(ours) > len(_METAS) or not is_typed or not (ours or old.returns):
        return None
    metas = dict(zip(range(len(ours)), (f"${letter}" for letter in _METAS), strict=False))
    before = [_declared(metas[at], item, item.type, old.file) for at, item in enumerate(ours)]
    after = []
    for at, item in enumerate(theirs):
        was = _was(ours, theirs, at)
        name = item.name if was is None else metas[was]
        after.append(_declared(name, item, _in_full(item.type, new, full_name), old.file))
    if before == after or not all(after):
        return None
    front, back = _around(old)
    title = english(
        "{name}({theirs}), as in its base", name=old.name, theirs=", ".join(item.name or item.type for item in theirs)
    )
    return RewriteRule(
        rule_id(old, "override"), change.what, title=title, pattern=f"{front}({', '.join(before)}){back}",
        replacement=f"{front}({', '.join(after)}){back}", where=_derived(old, new), member=old.name,
        silent=old.file.endswith(_UNSAID), confidence=RETYPED,
    )  # fmt: skip


def _was(ours: tuple[Parameter, ...], theirs: tuple[Parameter, ...], at: int) -> int | None:
    """Return the old parameter that a new one corresponds to: by name, else by position among those of its type without a
    namesake.

    Such a parameter keeps the name that a person gave it, which the method's body uses.
    """
    by_name = next((was for was, mine in enumerate(ours) if theirs[at].name and mine.name == theirs[at].name), None)
    if by_name is not None:
        return by_name
    left = [was for was, mine in enumerate(ours) if not mine.name or mine.name not in [item.name for item in theirs]]
    came = [now for now, item in enumerate(theirs) if not item.name or item.name not in [mine.name for mine in ours]]
    if len(ours) == len(theirs):
        return at if at in left else None
    for now in came:
        same = [was for was in left if plain_type(ours[was].type) == plain_type(theirs[now].type)]
        if now == at:
            return same[0] if same else None
        if same:
            left = [was for was in left if was > same[0]]
    return None


def _declared(name: str, item: Parameter, type_: str, file: str) -> str:
    """Return a parameter's declaration in a file's language; "" if it has no name."""
    if item.name == "self":
        return item.type  # Rust's `&self`
    if not name:
        return ""
    return f"{name}: {type_}" if file.endswith(TYPE_AFTER_NAME) else f"{type_} {name}"


def _around(method: Symbol) -> tuple[str, str]:
    """Return the text before and after an empty parameter list; without it, every call would match."""
    if method.file.endswith(_RUST):
        return f"fn {method.name}", ""
    if method.parameters:
        return method.name, ""
    return (
        (method.name, f": {method.returns}")
        if method.file.endswith(TYPE_AFTER_NAME)
        else (f"{method.returns} {method.name}", "")
    )


def _wider(change: ApiChange, old: Symbol, new: Symbol) -> Iterator[Rule]:
    """Derive the rule that adds new parameters to Python methods that override one."""
    if old.kind != "method":
        return
    before = [item.name for item in old.parameters]
    more = [item for item in new.parameters if item.name not in before]
    if (
        not more
        or [item.name for item in new.parameters if item not in more] != before
        or new.parameters[-1] not in more
    ):
        return
    if any(re.search(r"[^\W\d]", re.sub(r"\b(?:True|False|None)\b", "", item.default)) for item in more):
        return  # a name that may mean nothing here
    text = ", ".join(map(_as_python, more))
    are_optional = all(item.default or item.name.startswith("*") for item in more)
    # The error names the class with the overridden method.
    yield RewriteRule(
        rule_id(old, "override"), change.what, title=english("{name} takes {words} as well", name=old.name, words=text),
        diagnostic=rf"\b(?:{re.escape(old.scope[-1])}|{re.escape(new.scope[-1])})\b", pattern=f"def {old.name}($$given)",
        replacement=f"def {old.name}($$given, {text})", named=True,
        confidence=OVERRIDE_WIDENED if are_optional else RETYPED,
    )  # fmt: skip


def _as_python(item: Parameter) -> str:
    """Return a parameter in Python's syntax, with its type if that is visible everywhere."""
    type_ = f": {item.type}" if _PLAIN.fullmatch(item.type) and not item.name.startswith("*") else ""
    equals = " = " if type_ else "="
    return f"{item.name}{type_}{equals}{item.default}" if item.default else f"{item.name}{type_}"


def _stub(method: Symbol, full_name: FullName) -> str:
    """Return a method's stub in its language; "" if that is unknown."""
    name, file, returns = method.name, method.file, _in_full(method.returns, method, full_name)
    typed = [(item, _in_full(item.type, method, full_name)) for item in method.parameters]
    given = ", ".join(_declared(item.name, item, type_, file) or type_ for item, type_ in typed)
    said = f"{name} is not written yet"
    if file.endswith(C_FAMILY):
        is_const = " const" if "const" in method.marks else ""
        return f"{returns} {name}({given}){is_const} override {'{ }' if returns in ('void', '') else '{ return {}; }'}"
    if file.endswith(_JAVA):
        value = "false" if returns == "boolean" else "0" if returns in _NUMBERS else "null"
        body = "{\n}" if returns == "void" else f"{{\n    return {value};\n}}"
        return f"@Override\npublic {returns} {name}({given}) {body}"
    if file.endswith(_C_SHARP):
        # The parser marks methods of interfaces; classes mark `abstract` themselves.
        word = "" if "virtual" in method.marks else "override "
        seen = "protected" if "protected" in method.marks else "public"
        return f"{seen} {word}{returns} {name}({given}) {'{ }' if returns == 'void' else '{ return default; }'}"
    if file.endswith(_RUST):
        arrow = f" -> {returns}" if returns else ""
        return f"fn {name}({given}){arrow} {{\n    todo!()\n}}"
    if file.endswith(SCRIPTS) and plain_type(returns):
        return f'{name}({given}): {returns} {{\n    throw new Error("{said}");\n}}'
    if file.endswith(PYTHON):
        names = ", ".join(("self", *(_as_python(item) for item in method.parameters)))
        arrow = f" -> {returns}" if _PLAIN.fullmatch(returns) else ""
        return f'def {name}({names}){arrow}:\n    raise NotImplementedError("{said}")'
    return ""
