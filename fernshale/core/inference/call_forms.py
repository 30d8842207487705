"""Derive the new form of a call when more than its name or the order of its arguments changed.

The object and the arguments of the old call are matched with the parameters of the new function: first by name, then by a type
that occurs once on each side. Unmatched arguments may become one object, if its type has such fields or constructor parameters.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from fernshale.core.base.confidence import (
    ARGUMENT_DROPPED,
    ARGUMENTS_GATHERED,
    PLACEHOLDER,
    SHARE_MATCHED_BY_NAME,
    SHARE_MATCHED_BY_TYPE,
)
from fernshale.core.base.languages import C_FAMILY, ENDINGS, NAMED_ARGUMENTS, SCRIPTS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.declarations import plain_type, renamed_type, without_qualifiers
from fernshale.core.drift.matching import SymbolCandidate
from fernshale.core.drift.names.name_parts import parts_of
from fernshale.core.drift.parameter_order import new_order
from fernshale.core.drift.symbols import Parameter, Symbol
from fernshale.core.fix.calls import split_arguments
from fernshale.core.fix.rules import PLACEHOLDER as PLACEHOLDER_NAME
from fernshale.core.fix.rules import CallRule
from fernshale.core.fix.tokens import group_start, tokenize
from fernshale.core.inference.class_imports import import_of

_PYTHON, _RUST = ENDINGS["python"], ENDINGS["rust"]
# A type that is one name, maybe by reference or pointer.
_ONE_NAME = lazy_pattern(r"(?:&\s*(?:'\w+\s+)?)?(?:mut\s+)?(?:\w+\s*(?:::|\.)\s*)*(?P<name>[A-Za-z_]\w*)\s*[&*]*")
# Values that mean the same in any file.
_LITERAL = lazy_pattern(r"-?\d[\w.]*|\"[^\"]*\"|'[^']*'|true|false|True|False|None|null|nullptr|undefined|nil")
_OBJECT = "it"


class Lookup(NamedTuple):
    """Looks up a class of the new release by its name, for a symbol that mentions it: its public members, and the functions that
    make an object of it without one."""

    members: Callable[[str, Symbol], Sequence[Symbol]]
    makers: Callable[[str, Symbol], Sequence[Symbol]]


@dataclass(frozen=True, slots=True)
class CallForm:
    """The new form of a call, as `CallRule.new`, which calls `target`. `gathered` is the class that arguments are put into,
    `unknown` the parameters whose values are not known, `lost` what has no place any more; `share` is how certain the places of
    arguments are. `imports` is the line that imports a name of another library in `text`."""

    text: str
    share: float
    target: Symbol | None = None
    gathered: Symbol | None = None
    unknown: tuple[str, ...] = ()
    lost: tuple[str, ...] = ()
    imports: str = ""


class _Input(NamedTuple):
    name: str
    type: str


@dataclass
class _Matching:
    """The match of the old call with the new parameters: `texts` by the index of the parameter, `left` unmatched."""

    left: list[_Input]
    by_type: bool = False
    gathered: Symbol | None = None
    texts: dict[int, str] = field(default_factory=dict)

    def take(self, found: _Input) -> str:
        self.left.remove(found)
        return found.name


def placeholder(name: str) -> str:
    """The text in a call for a value that a person has to write: no compiler accepts it."""
    return f"{PLACEHOLDER_NAME}{name}"


def has_other_object(old: Symbol, new: Symbol, types: Mapping[str, str]) -> bool:
    """Return whether a call needs another object than before; `types` are the renamed types."""
    if old.needs_object != new.needs_object:
        return True
    return old.needs_object and types.get(old.scope[-1], old.scope[-1]) != new.scope[-1] and _takes(old, new.scope[-1])


def _takes(symbol: Symbol, type_: str) -> bool:
    return any(_is_of(item, type_) for item in symbol.given)


def call_rule(old: Symbol, form: CallForm, id: str, why: str, confidence: float) -> CallRule:
    """The rule that writes calls of a function in a new form."""
    line = form.imports
    imports = line.rstrip("; ").rpartition(".")[2]
    if not line:
        imports, line = _import_of(form.gathered, old)
    called = old.mark.join(old.path[-2:]) if old.is_of_class else old.called
    return CallRule(
        id, why, call=called, new=form.text, parameters=_parameter_texts(old, form),
        of=".".join(old.scope) if old.needs_object else "", confidence=round(confidence * form.share, 3), named=True,
        imports=imports, text=line,
    )  # fmt: skip


def _import_of(member: Symbol | None, old: Symbol) -> tuple[str, str]:
    """The import of the class that a new form makes an object of, given one of its members."""
    if member is None or not member.scope or member.file.endswith((*_PYTHON, *SCRIPTS)):
        return "", ""
    return import_of(member.scope, member.file, old.file)


def form_as_shown(candidate: SymbolCandidate) -> CallForm:
    """The form in which the release's own code made the call in the body of the old function."""
    return CallForm(candidate.call, 1.0, candidate.symbol, imports=candidate.imports)


def _parameter_texts(old: Symbol, form: CallForm) -> tuple[str, ...]:
    """The old parameters as a rule has them: an optional one without a value if the new function has the same default, or no
    place for it; with its default if that means the same in any file; else as one that calls must have."""
    texts = []
    for item in old.given:
        if not item.default:
            texts.append(item.name)
        elif item.name in form.lost or _has_same_default(item, form, old.file):
            texts.append(f"{item.name}=")
        else:
            texts.append(f"{item.name}={item.default}" if _LITERAL.fullmatch(item.default) else item.name)
    return tuple(texts)


def _has_same_default(item: Parameter, form: CallForm, old_file: str) -> bool:
    """Whether the new function does without an argument as the old one did."""
    if form.target is None:
        return False
    tokens = tokenize(form.text, old_file)
    start = group_start(tokens, len(tokens) - 1) + 1
    for at, (first, last) in enumerate(split_arguments(tokens, start, len(tokens) - 1)):
        *keyword, sign, name = ("", "", *(token.text for token in tokens[first:last]))[-4:]
        if f"{sign}{name}" == f"${item.name}" and last - first in (2, 4):
            given = form.target.given
            named = [other for other in given if last - first == 4 and other.name == keyword[0]]
            there = named[0] if named else given[at] if at < len(given) and last - first == 2 else None
            return there is not None and there.default == item.default
    return False


def call_form(old: Symbol, new: Symbol, types: Mapping[str, str], lookup: Lookup) -> CallForm | None:
    """Return how to write a call of `old` as one of `new`; None if a new name is enough, or if the form is unknown.

    `types` are the renamed types, `lookup` finds classes of the new release.
    """
    if any(not item.name.isidentifier() for item in (*old.given, *new.given)) or not old.given + new.given:
        return None  # parameters without names, or any number of them
    inputs = [_Input(item.name, renamed_type(item.type, types)) for item in old.given]
    owner = types.get(old.scope[-1], old.scope[-1]) if old.needs_object else ""
    matching = _Matching([*([_Input(_OBJECT, owner)] if owner else []), *inputs])
    front = _front(old, new, owner, matching)
    if front is None:
        return None
    _match(old, new, matching)
    _gather(old, new, matching, lookup)
    if not has_other_object(old, new, types):
        _match_by_place(old, new, matching)
        _match_values_by_name(old, new, matching)
    given = _arguments(old, new, matching)
    if given is None:
        return None
    texts, unknown = given
    lost = tuple(item.name for item in matching.left)
    text = f"{front}({', '.join(texts)})"
    is_same = not lost and not unknown and matching.gathered is None and not has_other_object(old, new, types)
    is_same = is_same and not _is_in_other_order(old, new, texts)
    # Of a function that kept its name, even half of a call is a start.
    if is_same or (unknown and lost and old.path != new.path) or len(unknown) > 1 or lost == unknown != ():
        return None
    share = SHARE_MATCHED_BY_TYPE if matching.by_type else SHARE_MATCHED_BY_NAME
    share = share * ARGUMENTS_GATHERED if matching.gathered is not None else share
    share = PLACEHOLDER if unknown else share * ARGUMENT_DROPPED if lost else share
    return CallForm(text, share, new, matching.gathered, unknown, lost)


def _is_in_other_order(old: Symbol, new: Symbol, texts: Sequence[str]) -> bool:
    """Whether arguments are at other places, as only their types tell: with the same names, the call is reordered as it is."""
    order = [item.name for item in old.given]
    places = [order.index(name) for text in texts if (name := text.lstrip("*&$")) in order]
    return places != sorted(places) and not new_order(old, new)


def _front(old: Symbol, new: Symbol, owner: str, matching: _Matching) -> str | None:
    """Return the text before the brackets: the name, with its object for a method; None if no part of the call is that object."""
    if not new.needs_object:
        if old.kind == new.kind == "function" or old.kind == new.kind == "constructor":
            return new.called
        if new.kind == "method":
            return new.mark.join(new.path[-2:]) if not old.file.endswith((*C_FAMILY,)) else new.full
        return new.full if old.file.endswith((*C_FAMILY, *_RUST)) else new.name
    class_ = new.scope[-1]
    fitting = [item for item in matching.left if item.name == _OBJECT and item.type == class_]
    fitting = fitting or [item for item in matching.left if _is_of(item, class_)]
    if len(fitting) != 1:
        return None
    found = fitting[0]
    matching.left.remove(found)
    mark = "->" if found.name != _OBJECT and "*" in found.type and old.file.endswith(C_FAMILY) else "."
    return f"${found.name}{mark}{new.name}"


def _is_of(item: _Input | Parameter, class_: str) -> bool:
    """Whether a value is an object of a class: by its type, or by its name where it has none."""
    if not item.type:
        return "".join(parts_of(item.name)) == "".join(parts_of(class_))
    found = _ONE_NAME.fullmatch(without_qualifiers(item.type))
    return found is not None and found["name"] == class_


def _plain(type_: str) -> str:
    found = _ONE_NAME.fullmatch(without_qualifiers(type_))
    return found["name"] if found else plain_type(type_)


def _fits(item: _Input, wanted: Parameter) -> bool:
    """Whether a value can be given for a parameter, by their types."""
    if item.name == _OBJECT:
        return _is_of(wanted, item.type)
    return not item.type or not wanted.type or _plain(item.type) == _plain(wanted.type)


def _match(old: Symbol, new: Symbol, matching: _Matching) -> None:
    """Match by name, then by types that occur once on both sides."""
    for at, wanted in enumerate(new.given):
        named = next((item for item in matching.left if item.name == wanted.name and _fits(item, wanted)), None)
        if named is not None:
            matching.texts[at] = _given(matching.take(named), named.type, wanted.type, old)
    for at, wanted in enumerate(new.given):
        if at in matching.texts or wanted.default:
            continue
        fitting = [item for item in matching.left if (item.type or item.name == _OBJECT) and _fits(item, wanted)]
        rivals = [
            other
            for number, other in enumerate(new.given)
            if number not in matching.texts
            and not other.default
            and wanted.type
            and _plain(other.type) == _plain(wanted.type)
        ]
        if len(fitting) == 1 and len(rivals) <= 1:
            matching.by_type = matching.by_type or fitting[0].name != _OBJECT
            matching.texts[at] = _given(matching.take(fitting[0]), fitting[0].type, wanted.type, old)


def _match_by_place(old: Symbol, new: Symbol, matching: _Matching) -> None:
    """Match unmatched parameters at the same position: they were renamed."""
    places = {item.name: at for at, item in enumerate(old.given)}
    for item in list(matching.left):
        at = places.get(item.name, -1)
        wanted = new.given[at] if 0 <= at < len(new.given) else None
        if wanted is not None and at not in matching.texts and _fits(item, wanted):
            matching.by_type = True
            matching.texts[at] = _given(matching.take(item), item.type, wanted.type, old)


def _match_values_by_name(old: Symbol, new: Symbol, matching: _Matching) -> None:
    """Match what is left by name alone, where neither is a pointer or reference: numbers and flags often have another type."""
    for at, wanted in enumerate(new.given):
        named = next((item for item in matching.left if item.name == wanted.name != _OBJECT), None)
        if named is not None and at not in matching.texts and not set("*&[") & set(named.type + wanted.type):
            matching.by_type = True
            matching.texts[at] = _given(matching.take(named), named.type, wanted.type, old)


def _given(name: str, is_: str, wanted: str, old: Symbol) -> str:
    """Return a part of the old call as argument, with `&` or `*` if only one of the types is a pointer."""
    if old.file.endswith(C_FAMILY):
        sign = "&" if "*" in wanted and "*" not in is_ else "*" if "*" in is_ and "*" not in wanted else ""
        return f"{sign}${name}"
    if old.file.endswith(_RUST) and name == _OBJECT and wanted.startswith("&"):
        return f"&mut ${name}" if "mut " in wanted else f"&${name}"
    return f"${name}"


def _gather(old: Symbol, new: Symbol, matching: _Matching, lookup: Lookup) -> None:
    """Match one new argument with all unmatched ones, if its type has such parts."""
    for at, wanted in enumerate(new.given):
        left = [item for item in matching.left if item.name != _OBJECT]
        if at in matching.texts or not left or not wanted.type:
            continue
        made = _made(_plain(wanted.type), old, left, lookup) or _made_by_function(
            _plain(wanted.type), old, left, lookup
        )
        if made is not None:
            text, used, class_ = made
            matching.texts[at] = f"&{text}" if old.file.endswith(_RUST) and wanted.type.startswith("&") else text
            matching.left = [item for item in matching.left if item not in used]
            matching.gathered = class_
            return


def _made(
    name: str, old: Symbol, left: Sequence[_Input], lookup: Lookup
) -> tuple[str, Sequence[_Input], Symbol] | None:
    """Return the text that makes an object of a class from arguments, the arguments it uses, and a member of the class."""
    found = lookup.members(name, old)
    for maker in (item for item in found if item.kind == "constructor"):
        used = _used_by(maker.given, left)
        if used is not None:
            given = ", ".join(f"${item.name}" for item in used)
            class_ = "::".join(maker.scope) if old.file.endswith(C_FAMILY) else name
            needs_new = not old.file.endswith((*C_FAMILY, *_PYTHON, *_RUST))
            return f"{'new ' if needs_new else ''}{class_}({given})", used, maker
    if any(item.kind == "constructor" for item in found):
        return None
    fields = [item for item in found if item.kind == "field"]
    wanted = [Parameter(item.name, item.returns, item.value) for item in fields]
    by_name = {item.name: item for item in left}
    parts = [item for item in wanted if item.name in by_name and _fits(by_name[item.name], item)]
    if not parts or not fields:
        return None
    used = [by_name[item.name] for item in parts]
    text = _with_fields(name, fields, parts, old)
    return (text, used, fields[0]) if text else None


def _made_by_function(
    name: str, old: Symbol, left: Sequence[_Input], lookup: Lookup
) -> tuple[str, Sequence[_Input], Symbol] | None:
    """Like `_made`, by the one function that takes most of the arguments: all that it needs have such names, or names with more
    words: `center_x` for `x`."""
    fitting = []
    for maker in lookup.makers(name, old):
        used = [_named_like(item.name, left) for item in maker.given if not item.default]
        found = [item for item in used if item is not None]
        if len(found) == len(used) == len(set(found)) > 1:
            fitting.append((len(found), maker, found))
    most = max((count for count, _, _ in fitting), default=0)
    best = {maker.path: (maker, found) for count, maker, found in fitting if count == most}
    if len(best) != 1:
        return None
    ((maker, found),) = best.values()
    called = maker.name if maker.kind == "function" else maker.mark.join(maker.path[-2:])
    called = maker.full if old.file.endswith(C_FAMILY) else called
    return f"{called}({', '.join(f'${item.name}' for item in found)})", found, maker


def _named_like(name: str, left: Sequence[_Input]) -> _Input | None:
    """The argument of a name, or the only one with its words and more."""
    exact = [item for item in left if item.name == name]
    words = set(parts_of(name))
    fitting = exact or [item for item in left if words < set(parts_of(item.name))]
    return fitting[0] if len(fitting) == 1 else None


def _used_by(wanted: Sequence[Parameter], left: Sequence[_Input]) -> list[_Input] | None:
    """The arguments that a constructor takes, in its order: by name, or all in a row with their types; None where they do not
    fit."""
    by_name = {item.name: item for item in left}
    used = [by_name[item.name] for item in wanted if item.name in by_name and _fits(by_name[item.name], item)]
    needed = [item for item in wanted if not item.default]
    if (
        used
        and [item.name for item in wanted[: len(used)]] == [item.name for item in used]
        and len(used) >= len(needed)
    ):
        return used
    is_row = len(needed) == len(wanted) == len(left) and all(item.type for item in wanted)
    return list(left) if is_row and all(map(_fits, left, wanted)) else None


def _with_fields(name: str, fields: Sequence[Symbol], parts: Sequence[Parameter], old: Symbol) -> str:
    """An object made by naming its fields, in the syntax of the language; "" where it cannot be made of these alone."""
    file, are_all = old.file, len(parts) == len(fields)
    if file.endswith(SCRIPTS):
        return "{ " + ", ".join(f"{item.name}: ${item.name}" for item in parts) + " }"
    if file.endswith(_PYTHON):
        needed = {item.name for item in fields if not item.value}
        given = ", ".join(f"{item.name}=${item.name}" for item in parts)
        return f"{name}({given})" if needed <= {item.name for item in parts} else ""
    if file.endswith(_RUST):
        return f"{name} {{ " + ", ".join(f"{item.name}: ${item.name}" for item in parts) + " }" if are_all else ""
    if file.endswith(ENDINGS["c#"]):
        return f"new {name} {{ " + ", ".join(f"{item.name} = ${item.name}" for item in parts) + " }"
    is_front = [item.name for item in fields[: len(parts)]] == [item.name for item in parts]
    if file.endswith(C_FAMILY) and is_front:
        return "::".join(fields[0].scope) + "{" + ", ".join(f"${item.name}" for item in parts) + "}"
    return ""


def _arguments(old: Symbol, new: Symbol, matching: _Matching) -> tuple[list[str], tuple[str, ...]] | None:
    """The new arguments, and the parameters whose values are not known; None where one is needed that has no text."""
    texts: list[str] = []
    unknown: list[str] = []
    last = max(matching.texts, default=-1)
    skips = False
    for at, wanted in enumerate(new.given):
        text = matching.texts.get(at)
        if text is None and not wanted.default:
            unknown.append(wanted.name)
            text = placeholder(wanted.name)
        elif text is None and at < last and not old.file.endswith(NAMED_ARGUMENTS):
            if not _LITERAL.fullmatch(wanted.default):
                return None
            text = wanted.default
        if text is None:
            skips = True
            continue
        is_named = (skips or wanted.is_named) and old.file.endswith(NAMED_ARGUMENTS)
        mark = f"{wanted.name}=" if old.file.endswith(_PYTHON) else f"{wanted.name}: "
        texts.append(mark + text if is_named else text)
    return texts, tuple(unknown)
