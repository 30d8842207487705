"""Python variables and fields without annotations, and the class they are set to: type checkers require an annotation where the
first value does not imply it."""

from __future__ import annotations

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from fernshale.core.base.confidence import CAST, NONE_HAS_MEANING, ONLY_CLASS_ASSIGNED, UNKNOWN_VALUE_ASSIGNED
from fernshale.core.fix.python_ast import Characters, parse_python

# Types of a number that starts as an integer.
FLOAT = "float"
# Expressions that show a checker that the value is set before it is used.
_LATER = "  # type: ignore[assignment]"
_Function = ast.FunctionDef | ast.AsyncFunctionDef


@dataclass(frozen=True, slots=True)
class Declaration:
    """The annotation of a name where it is first set: characters `start`..`end` of the file become `new`."""

    type: str
    start: int
    end: int
    new: str
    confidence: float


@dataclass(frozen=True, slots=True)
class _Setting:
    """One statement that sets a name. `value` is None if unknown; `is_whole`: it sets nothing else; `is_body`: it is in a class
    body."""

    target: ast.expr
    value: ast.expr | None = None
    is_whole: bool = False
    is_body: bool = False


@dataclass(slots=True)
class _Scope:
    """Assignments in one function or module, or in a class and to its objects: by name, in order. `typed` are the names with
    annotations or for which none is allowed, `asked` those that are tested for None."""

    is_body: bool
    settings: dict[str, list[_Setting]] = field(default_factory=dict)
    typed: set[str] = field(default_factory=set)
    asked: set[str] = field(default_factory=set)


def declarations(text: str, name: str) -> tuple[Declaration, ...]:
    """How a name of a Python file may be declared, in each function or class that sets it to objects of one class, or to a
    whole number at first."""
    found = []
    places: Characters | None = None
    for scope in _scopes(text):
        settings = scope.settings.get(name, ())
        if settings and name not in scope.typed:
            places = places or Characters(text)
            if (declared := _declaration(settings, name in scope.asked, places)) is not None:
                found.append(declared)
    return tuple(found)


def _declaration(settings: Sequence[_Setting], is_asked: bool, places: Characters) -> Declaration | None:
    first = settings[0]
    if first.is_body:
        return None  # an annotation would create a field, of a dataclass for instance
    if first.is_whole and _is_int(first.value):
        spot = places.end(first.target)
        return Declaration(FLOAT, spot, spot, f": {FLOAT}", ONLY_CLASS_ASSIGNED)
    classes = {made for item in settings if (made := _made(item.value))}
    if len(classes) != 1 or not first.is_whole or first.value is None:
        return None
    (type_,) = classes
    others = [item for item in settings[1:] if not _made(item.value)]
    if any(_is_none(item.value) for item in others):
        return None  # it is set to None again later, which an annotation would forbid
    confidence = NONE_HAS_MEANING if is_asked else UNKNOWN_VALUE_ASSIGNED if others else ONLY_CLASS_ASSIGNED
    start, end = places.end(first.target), places.end(first.value)
    if _made(first.value):
        return Declaration(type_, start, start, f": {type_}", confidence)
    if not _is_none(first.value):
        return None
    return Declaration(type_, start, end, f": {type_} = None{_LATER}", min(confidence, CAST))


def _is_int(value: ast.expr | None) -> bool:
    return isinstance(value, ast.Constant) and type(value.value) is int


def _is_none(value: ast.expr | None) -> bool:
    return isinstance(value, ast.Constant) and value.value is None


def _made(value: ast.expr | None) -> str:
    """The class that a value is made by, as it is written; "" for any other value."""
    if not isinstance(value, ast.Call):
        return ""
    parts = []
    of = value.func
    while isinstance(of, ast.Attribute):
        parts.append(of.attr)
        of = of.value
    if not isinstance(of, ast.Name):
        return ""
    parts.append(of.id)
    return ".".join(reversed(parts)) if parts[0].lstrip("_")[:1].isupper() and not parts[0].isupper() else ""


@lru_cache(maxsize=1024)  # each cause and each of its rules asks for the files it is about
def _scopes(text: str) -> tuple[_Scope, ...]:
    """Return all assignments of a file by scope."""
    tree = parse_python(text)
    if tree is None:
        return ()
    found: list[_Scope] = []
    _gather(tree, None, found)
    return tuple(found)


def _gather(holder: ast.AST, fields: _Scope | None, found: list[_Scope], own: str = "") -> None:
    """Collect assignments; `fields` is the scope of the class whose objects methods call `own`."""
    scope = _Scope(isinstance(holder, ast.ClassDef))
    if isinstance(holder, _Function):
        scope.typed |= {item.arg for item in ast.walk(holder.args) if isinstance(item, ast.arg)}
    found.append(scope)
    for node in _inside(holder):
        if isinstance(node, ast.ClassDef):
            _gather(node, None, found)
        elif not isinstance(node, _Function):
            _take(node, scope, fields, own)
        elif scope.is_body and node.args.args:
            _gather(node, scope, found, node.args.args[0].arg)
        else:
            _gather(node, fields, found, own)


def _inside(holder: ast.AST) -> Iterator[ast.AST]:
    """The nodes of a function, class or module in order, without those of the functions and classes in it."""
    pending = list(reversed(getattr(holder, "body", [])))
    while pending:
        node = pending.pop()
        yield node
        if not isinstance(node, (_Function, ast.ClassDef)):
            pending += reversed(list(ast.iter_child_nodes(node)))


def _take(node: ast.AST, scope: _Scope, fields: _Scope | None, own: str) -> None:
    """Record the assignments, annotations and tests of a node."""

    def place(of: ast.AST) -> tuple[_Scope, str] | None:
        if isinstance(of, ast.Name):
            return scope, of.id
        is_field = isinstance(of, ast.Attribute) and isinstance(of.value, ast.Name) and of.value.id == own
        return (fields, of.attr) if is_field and fields is not None and isinstance(of, ast.Attribute) else None

    for target, value, is_whole in _set(node):
        if (there := place(target)) is not None:
            there[0].settings.setdefault(there[1], []).append(_Setting(target, value, is_whole, scope.is_body))
    if isinstance(node, (ast.Global, ast.Nonlocal)):
        scope.typed |= set(node.names)  # annotations are not allowed here
    if isinstance(node, ast.AnnAssign) and (there := place(node.target)) is not None:
        there[0].typed.add(there[1])
    for asked in _asked(node):
        if (there := place(asked)) is not None:
            there[0].asked.add(there[1])


def _set(node: ast.AST) -> Iterator[tuple[ast.expr, ast.expr | None, bool]]:
    """Record the targets of a statement, their value if known, and whether it sets nothing else."""
    if isinstance(node, ast.Assign):
        for target in node.targets:
            if isinstance(target, (ast.Name, ast.Attribute)):
                yield target, node.value, len(node.targets) == 1
            else:
                yield from (
                    (part, None, False) for part in ast.walk(target) if isinstance(part, (ast.Name, ast.Attribute))
                )
    elif isinstance(node, (ast.AugAssign, ast.For, ast.AsyncFor, ast.NamedExpr)):
        yield node.target, None, False
    elif isinstance(node, ast.withitem) and node.optional_vars is not None:
        yield node.optional_vars, None, False


def _asked(node: ast.AST) -> Sequence[ast.AST]:
    """Record names that are tested for a value."""
    if isinstance(node, (ast.If, ast.While, ast.IfExp)):
        return (node.test,)
    if isinstance(node, ast.BoolOp):
        return node.values
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        return (node.operand,)
    if isinstance(node, ast.Compare) and any(map(_is_none, node.comparators)):
        return (node.left,)
    return ()
