"""Messages of tools for the usual kinds of error, one row each: the kind, and the position of the symbol.

The rows are matched with messages whose quotes are replaced by `'`. The groups are `symbol`, and optionally `scope` (its
expected owner). The first match applies; different tools' messages about one problem get one kind.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import marked

_IN_BACKTICKS = lazy_pattern(r"`[^`]*`")
# A name after a quote that is not followed by another one, as that of a character is.
_LIFETIME = lazy_pattern(r"'\w+\b(?!')(?:,\s*|\s+)?")
_QUOTES = str.maketrans({"‘": "'", "’": "'", "`": "'", "´": "'", "“": "'", "”": "'", '"': "'"})

HEADER, NAME, MEMBER, TYPE = (
    marked("missing header"),
    marked("missing name"),
    marked("missing member"),
    marked("missing type"),
)
PRIVATE, CALL, GETTER, OVERRIDE = marked("private"), marked("call"), marked("getter"), marked("override")
IMPLEMENT, CONVERSION, LINK, TWICE = (
    marked("must implement"),
    marked("conversion"),
    marked("link"),
    marked("link twice"),
)
DEPRECATED, BUILD_FILE, SYNTAX = marked("deprecated"), marked("build file"), marked("syntax")
EMPTY, UNTYPED, NUMBER, INCOMPLETE = (
    marked("may be empty"),
    marked("no type"),
    marked("number"),
    marked("incomplete type"),
)
NO_STRUCTURE = marked("no structure")
CLASH = marked("member clash")

# A name is missing, wherever the compiler expected it.
MISSING = (NAME, MEMBER, TYPE)


@dataclass(frozen=True, slots=True)
class Wording:
    """A kind of error, its message, and its title for people."""

    kind: str
    pattern: re.Pattern[str]
    title: str


def plain_quotes(message: str) -> str:
    """`message` with every kind of quote made a straight single one, and no others inside: Rust's lifetimes are left out."""
    if "`" in message and "'" in message:
        message = _IN_BACKTICKS.sub(lambda found: _LIFETIME.sub("", found[0]).replace("<>", ""), message)
    return message.translate(_QUOTES)


def last_name(symbol: str) -> str:
    """The bare name in a signature or qualified name: `keeper` of `const std::string& m::Pier::keeper() const`."""
    head = re.sub(r"\{aka .*", "", symbol)
    head = head.split("(")[0] if "(" in head and not head.startswith("(") else head
    names = re.findall(r"~?\w+", re.sub(r"<[^<>]*>", "", head))
    return names[-1] if names else symbol


def is_undeclared_call(message: str) -> bool:
    """Whether a message is about a call in C to a function that nothing declares."""
    return re.match(_UNDECLARED_CALL, message) is not None


def _rows(kind: str, title: str, *patterns: str) -> tuple[Wording, ...]:
    return tuple(Wording(kind, lazy_pattern(pattern), title) for pattern in patterns)


_S = r"'(?P<symbol>[^']+)'"
_OPAQUE = r"'(?:const |volatile )*(?:class |struct |union |enum )?(?P<symbol>[\w:]+)"
# A call in C to a function that nothing declares.
_UNDECLARED_CALL = r"^(?:implicit declaration of|call to undeclared) (?:library )?function"
# A type that has None among others.
_NONE_TOO = r"'(?:None \| [^']*|[^']*\| None(?: \| [^']*)?|Optional\[[^']*\])'"

WORDINGS: tuple[Wording, ...] = (
    *_rows(
        EMPTY,
        marked("{symbol} may hold nothing"),
        r"^(?P<symbol>)Item 'None' of '[^']*' has no attribute '\w+'",
        rf"^(?P<symbol>)Argument (?:\d+|'\w+') to '[^']+'(?: of '[^']+')? has incompatible type {_NONE_TOO}; expected "
        r"'(?![^']*\b(?:None|Optional)\b)",
        rf"^(?P<symbol>)Value of type {_NONE_TOO} is not indexable",
        rf"^(?P<symbol>)Value of type variable '\w+' of '[^']+' cannot be {_NONE_TOO}",
        rf"^(?P<symbol>)Unsupported (?:left )?operand types? for \S+ \([^()]*{_NONE_TOO}",
        r"^(?P<symbol>)'\w+' is not a known attribute of 'None'",
        r"^(?P<symbol>)Object of type 'None' (?:is not subscriptable|cannot be (?:used as iterable value|called))",
        r"^(?P<symbol>)Argument of type '[^']*\| None' cannot be assigned to parameter '\w+' of type "
        r"'(?![^']*\b(?:None|Optional)\b)",
        r"^(?P<symbol>)Object is possibly '(?:null|undefined)'",
        r"^'(?:[\w.]+\.)?(?P<symbol>\w+)' is possibly '(?:null|undefined)'",
        r"^(?P<symbol>)Incompatible types in assignment \(expression has type '[^']+', variable has type 'None'\)",
    ),
    *_rows(
        NUMBER,
        marked("{symbol} is no whole number"),
        r"^(?P<symbol>)Incompatible types in assignment \(expression has type 'float(?: \| int)?', variable has type 'int'\)",
    ),
    *_rows(UNTYPED, marked("{symbol} wants a type"), rf"^Need type annotation for {_S}"),
    *_rows(
        HEADER,
        marked("{symbol} is not there any more"),
        r"^(?P<symbol>[^\s:']+\.\w+): No such file or directory",
        rf"^{_S} file not found",
        rf"[Cc]annot open include file: {_S}",
        rf"[Cc]annot find module {_S}",
        r"library stub for module named '(?P<symbol>[^']+)'",
        rf"^Import {_S} could not be resolved",
        rf"^(?:ModuleNotFoundError: )?No module named {_S}",
        r"^package (?P<symbol>[\w.]+) does not exist",
        rf"^can't find crate for {_S}",
    ),
    *_rows(
        MEMBER,
        marked("{scope} has no {symbol}"),
        r"'(?:const )?(?:class |struct |union )?(?P<scope>[^']+)'(?: \{aka [^}]*\})? has no member named '(?P<symbol>\w+)'",
        r"no member named '(?P<symbol>\w+)' in '(?P<scope>[^']+)'",
        rf"^{_S}: is not a member of '(?P<scope>[^']+)'",
        r"Property '(?P<symbol>\w+)' does not exist on type '(?P<scope>[^']+)'",
        r"^(?P<scope>[\w.<>]+) has no field (?P<symbol>\w+)",
        r"'(?P<scope>[^']+)' does not contain a definition for '(?P<symbol>\w+)'",
        r"^'(?P<scope>[^']+)' has no attribute '(?P<symbol>\w+)'",
        r"Cannot access (?:attribute|member) '(?P<symbol>\w+)' for class '(?P<scope>[^']+)'",
        r"^no (?:field|method|function or associated item|associated item|variant(?: or associated item)?)(?: or method)? "
        r"(?:named )?'(?P<symbol>\w+)' "
        r"(?:on type|found for(?: \w+)*) '&*(?:mut )?(?P<scope>[^']+)'",
        r"(?P<scope>)TypeError: Cannot read propert(?:y|ies) of \w+ \(reading '(?P<symbol>\w+)'\)",
        r"AttributeError: '(?P<scope>[^']+)' object has no attribute '(?P<symbol>\w+)'",
        r"type object '(?P<scope>[^']+)' has no attribute '(?P<symbol>\w+)'",
    ),
    *_rows(
        NAME,
        marked("{scope} has no {symbol}"),
        r"'(?P<symbol>\w+)' is not a member of '(?P<scope>[^']+)'",
        r"no member named '(?P<symbol>\w+)' in namespace '(?P<scope>[^']+)'",
        r"Module (?:'+(?P<scope>[^']+)'+ )?has no (?:exported member|attribute) '(?P<symbol>\w+)'",
        r"'(?P<symbol>\w+)' is not a known attribute of module '(?P<scope>[^']+)'",
        r"module '(?P<scope>[^']+)' has no attribute '(?P<symbol>\w+)'",
        r"cannot import name '(?P<symbol>\w+)' from '(?P<scope>[^']+)'",
        r"^'+(?P<scope>[^']+)'+ has no exported member named '(?P<symbol>\w+)'",
    ),
    *_rows(
        NAME,
        marked("{symbol} is imported from where it is not"),
        rf"^{_S} is unknown import symbol",
        rf"^unresolved imports? {_S}",
    ),
    *_rows(
        INCOMPLETE,
        marked("{symbol} is only announced here"),
        rf"(?:use of|to|into|allocation of|initialization of|pointer to) (?:an )?incomplete type(?:def)? {_OPAQUE}",
        rf"^incomplete definition of type {_OPAQUE}",
        rf"^incomplete (?:result )?type {_OPAQUE}[^']*' (?:used|named|in)\b",
        rf"^(?:(?:field|variable|parameter) )?'[^']+' has incomplete type {_OPAQUE}",
        rf"(?:variable|field|parameter) has incomplete type {_OPAQUE}",
        rf"^aggregate {_OPAQUE}[^']*' has incomplete type",
        rf"^variable {_OPAQUE}[^']*' has initializer but incomplete type",
        rf"^return type {_OPAQUE}' is incomplete",
        rf"use of undefined type {_OPAQUE}",
        rf"'[^']+' uses undefined (?:class|struct|union) {_OPAQUE}",
    ),
    *_rows(
        TYPE,
        marked("{symbol} names no type"),
        r"'(?P<symbol>[\w:]+)'(?: in [^.]*)? does not name a (?:template )?type",
        r"unknown type name '(?P<symbol>[\w:]+)'",
        r"^Type not found : (?P<symbol>[\w.]+)",
        r"type or namespace name '(?P<symbol>\w+)'(?: does not exist| could not be found)",
        r"cannot find (?:type|trait|struct, variant or union type|derive macro|attribute) '(?P<symbol>\w+)'",
        r"no type named '(?P<symbol>\w+)' in ",
    ),
    *_rows(
        NAME,
        marked("{symbol} is not declared"),
        r"'(?P<symbol>[\w:.]+)' has not been declared",
        r"'(?P<symbol>[\w:.]+)' was not declared(?: in this scope)?",
        r"^'(?P<symbol>\w+)' undeclared(?: \(first use|\b)",
        r"^expected '[^'\w]+' before '(?P<symbol>[A-Z][A-Z0-9_]{2,})'$",
        _UNDECLARED_CALL + r" '(?P<symbol>\w+)'",
        r"use of undeclared identifier '(?P<symbol>[\w:]+)'",
        r"^Unknown identifier : (?P<symbol>\w+)",
        r"'(?P<symbol>[\w:.]+)'\s*: (?:undeclared identifier|identifier not found|no matching overloaded function found)",
        r"^undeclared identifier '(?P<symbol>\w+)'",
        r"Cannot find (?:name|namespace) '(?P<symbol>\w+)'",
        r"The name '(?P<symbol>\w+)' does not exist",
        r"[Nn]ame '(?P<symbol>\w+)' is not defined",
        r"^'(?P<symbol>\w+)' is not defined",
        r"ReferenceError: (?P<symbol>\w+) is not defined",
        r"cannot find (?:function|value|macro|function, tuple struct or tuple variant|unit struct, unit variant or constant|"
        r"tuple struct or tuple variant|attribute macro|crate) '(?P<symbol>\w+)'",
        r"failed to resolve: .*'(?P<symbol>\w+)'",
        r"[Uu]nresolved reference:? '?(?P<symbol>\w+)",
        r"^undefined: (?P<symbol>[\w.]+)",
        r"no function '(?P<symbol>\w+)'",
        r"TypeError: (?P<symbol>[\w.]+) is not a function",
        r"attempt to call a nil value \((?:global|method|field) '(?P<symbol>\w+)'\)",
    ),
    *_rows(
        NO_STRUCTURE,
        marked("{symbol} has no members"),
        r"^(?P<symbol>)request for member '\w+' in something not a structure or union",
        r"^request for member '\w+' in '\*?(?P<symbol>\w+)', which is of (?:non-class|pointer) type",
        r"^(?P<symbol>)invalid type argument of '->'",
        r"^(?P<symbol>)member reference (?:base )?type '[^']+'(?: \(aka '[^']+'\))? is not (?:a pointer|a structure or union)",
    ),
    *_rows(
        IMPLEMENT,
        marked("{symbol} must be implemented"),
        r"does not override abstract method (?P<symbol>\w+)\(",
        r"does not implement (?:inherited abstract|interface) member '(?P<symbol>[^']+)'",
        r"not all trait items implemented, missing: '(?P<symbol>\w+)'",
        r"does not implement inherited abstract member '?(?P<symbol>\w+)",
        r"[Cc]annot instantiate abstract class '[^']+' with (?:an? )?abstract (?:attributes?|methods?) '(?P<symbol>\w+)'",
        r"Cannot instantiate abstract class '[^']+'.*\n?\s*'[\w.]*?(?P<symbol>\w+)' is not implemented",
        r"Non-abstract class '[^']+' does not implement (?:inherited abstract|all abstract) members? '?(?P<symbol>\w+)",
        r"Class '[^']+' incorrectly (?:implements|extends) (?:interface|class) '(?P<symbol>[^']+)'",
    ),
    *_rows(
        PRIVATE,
        marked("{symbol} is private now"),
        rf"{_S} is (?:private|protected) (?:within this context|and only accessible)",
        rf"calling a (?:private|protected) constructor of class {_S}",
        rf"^{_S} is a (?:private|protected) member of",
        r"^(?P<symbol>[\w.]+)(?:\([^)]*\))? has (?:private|protected) access in",
        rf"{_S} is inaccessible due to its protection level",
        rf"cannot access (?:private|protected) member declared in class '[^']+'.*{_S}",
        rf"^(?:function|method|associated function|struct|field|constant|module|trait) {_S}.* is private",
    ),
    *_rows(
        CALL,
        marked("{symbol} takes other arguments"),
        rf"no matching (?:member )?(?:function|constructor) for (?:call to|initialization of) {_S}",
        rf"too (?:few|many) arguments (?:to|in call to) (?:(?:member )?function |constructor )?{_S}",
        r"^(?P<symbol>)too (?:few|many) arguments (?:provided )?to (?:function|method) call",
        rf"^{_S}: function does not take \d+ arguments",
        rf"No overload for method {_S} takes",
        rf"no argument given that corresponds to the required (?:formal )?parameter '\w+' of {_S}",
        r"(?:method|constructor) (?P<symbol>\w+) in (?:class|interface|record|enum) .* cannot be applied to given types",
        r"no suitable (?:method|constructor) found for (?P<symbol>\w+)",
        r"(?:Too (?:many|few) (?:positional )?arguments|Missing (?:named|positional) arguments? .*"
        r"|Unexpected keyword argument '\w+'|Argument (?:\d+|'\w+')) (?:for|in call to|to) (?:overloaded function )?"
        r"'(?P<symbol>[^']+)'",
        r"No overload variant of '(?P<symbol>[^']+)'(?: of '[^']+')? matches",
        r"TypeError: (?P<symbol>[\w.]+)\(\) (?:got|missing|takes)",
        r"^(?P<symbol>)Expected \d+(?:-\d+)? (?:positional )?arguments?",
        r"^(?P<symbol>)(?:this|an?) (?:function|method|struct|enum variant)\b.* takes \d+ ",
        r"^(?P<symbol>)arguments? to this (?:function|method|struct|enum variant)\b.* (?:is|are) incorrect",
        r"^(?P<symbol>)(?:No parameter named '|Arguments? missing for parameters? )",
        r"Argument of type .* cannot be assigned to parameter '\w+' of type .* in function '(?P<symbol>\w+)'",
    ),
    *_rows(
        GETTER,
        marked("{symbol} is a function now"),
        rf"invalid use of (?:non-static )?member function {_S}",
        r"^(?P<symbol>)reference to non-static member function must be called",
        rf"attempted to take value of method {_S}",
    ),
    *_rows(
        CLASH,
        marked("{symbol} clashes with a member of its base class"),
        rf"^Property {_S} defined in '[^']+' is read-only",
        rf"^Cannot override (?:final|writeable) attribute {_S}",
        rf"^Cannot assign to attribute {_S} for class '[^']+'\s+(?:Attribute|Property) '\w+' (?:is read-only|has no defined)",
        rf"AttributeError: (?:can't set attribute|property) {_S}(?: of '[^']+' object has no setter)?",
        rf"^{_S} is defined as an? (?:accessor|property) in class '[^']+', but is overridden here",
        rf"^Class '[^']+' defines instance member \w+ {_S}, but extended class",
        rf"^virtual function {_S} overriding final function",
        rf"^declaration of {_S} overrides a 'final' function",
        r"^(?P<symbol>\w+)\([^()]*\) in \w+ cannot override \w+\([^()]*\) in \w+\s+overridden method is (?:final|static)",
        r"^'[\w.]*?(?P<symbol>\w+)(?:\([^']*\))?': cannot override inherited member '[^']+' because it is (?:sealed|not marked)",
    ),
    *_rows(
        OVERRIDE,
        marked("no {symbol} to override any more"),
        rf"{_S} marked '(?:override|final)',? but (?:does not override|is not virtual)",
        r"^(?P<symbol>)(?:only virtual member functions can be|non-virtual member function) marked 'override'",
        r"^(?P<symbol>)method does not override or implement a method from a supertype",
        rf"^{_S}: no suitable method found to override",
        r"method '(?P<symbol>\w+)' is not a member of trait",
        rf"method with override specifier {_S} did not override",
        r"This member cannot have an 'override' modifier because it is not declared in the base class '(?P<symbol>[^']+)'",
    ),
    *_rows(
        OVERRIDE,
        marked("{symbol} is not as in its base"),
        r"Signature of '(?P<symbol>\w+)' incompatible with supertype",
        r"Return type '[^']*' of '(?P<symbol>\w+)' incompatible with return type '[^']*' in supertype",
        r"conflicting return type specified for '(?P<symbol>[^']+)'",
        r"virtual function '(?P<symbol>\w+)' has a different return type",
        r"'(?P<symbol>[^']+)': return type must be '[^']+' to match overridden member",
        r"^(?P<symbol>\w+)\([^()]*\) in \w+ cannot (?:override|implement) \w+\([^()]*\) in \w+",
        r"Method '(?P<symbol>\w+)' overrides class '[^']+' in an incompatible manner",
        r"Property '(?P<symbol>\w+)' in type '[^']+' is not assignable to the same property in base type",
        r"method '(?P<symbol>\w+)' has an incompatible type for trait",
        r"method '(?P<symbol>\w+)' has \d+ parameters? but the declaration in trait",
    ),
    *_rows(
        CONVERSION,
        marked("{symbol} is wanted"),
        rf"cannot convert '[^']+'(?: \{{aka [^}}]*\}})? to {_S}",
        rf"no viable conversion from '[^']+'(?: \(aka '[^']+'\))? to {_S}",
        rf"cannot initialize a (?:variable|parameter|member subobject|return object) of type {_S}",
        rf"conversion from '[^']+'(?: \{{aka [^}}]*\}})? to (?:non-scalar type )?{_S}",
        rf"(?:Type|Argument of type) '[^']+' is not assignable to (?:parameter of )?type {_S}",
        r"incompatible types: .* cannot be converted to (?P<symbol>[\w.<>]+)",
        rf"Cannot implicitly convert type '[^']+' to {_S}",
        rf"could not convert .* to {_S}",
        r"^mismatched types: expected (?:[\w ]+ )?'(?P<symbol>.+?)', found",
    ),
    *_rows(
        TWICE,
        marked("{symbol} is defined twice"),
        rf"multiple definition of {_S}",
        r"duplicate symbol: (?P<symbol>.+)$",
        rf"redefinition of {_S}",
        r"^(?P<symbol>.+) already defined in \S+\.obj",
    ),
    *_rows(
        LINK,
        marked("{symbol} is defined nowhere"),
        r"undefined reference to (?:symbol )?'(?P<symbol>[^'@]+)(?:@[^']*)?'",
        r"undefined (?:\w+ )?symbol: (?P<symbol>.+)$",
        r"unresolved external symbol '(?P<symbol>[^']+)'",
        r"unresolved external symbol (?P<symbol>\S+)",
    ),
    *_rows(
        DEPRECATED,
        marked("{symbol} goes one day"),
        rf"^{_S} is (?:deprecated|obsolete)",
        r"use of deprecated [\w ]+ '(?P<symbol>[^']+)'",
        r"^\[(?:deprecation|removal)\] (?P<symbol>\w+)",
    ),
    *_rows(
        BUILD_FILE,
        marked("nothing makes {symbol}"),
        rf"No rule to make target {_S}",
        rf"^{_S}(?:, needed by '[^']+')?, missing and no known rule",
    ),
    *_rows(
        SYNTAX,
        marked("the code does not parse"),
        r"^(?P<symbol>)(?:expected |SyntaxError|invalid syntax|syntax error|Unexpected token|unexpected token)",
        r"^(?P<symbol>)variable or field '\w+' declared void",
    ),
)
