"""Programming languages by the endings of their files."""

from __future__ import annotations

from collections.abc import Mapping

ENDINGS: Mapping[str, tuple[str, ...]] = {
    "c": (".c",),
    "c++": (
        ".h", ".hpp", ".hh", ".hxx", ".h++", ".cpp", ".cc", ".cxx", ".c++", ".inl", ".ipp", ".tpp", ".ixx", ".cppm",
    ),
    "c#": (".cs",),
    "java": (".java",),
    "rust": (".rs",),
    "python": (".py", ".pyi"),
    "typescript": (".ts", ".mts", ".cts"),
    "tsx": (".tsx",),
    "javascript": (".js", ".mjs", ".cjs", ".jsx"),
    "lua": (".lua",),
}  # fmt: skip
C_FAMILY = (*ENDINGS["c"], *ENDINGS["c++"])
# Languages with keyword arguments.
NAMED_ARGUMENTS = (*ENDINGS["python"], *ENDINGS["c#"])
# Languages in which a module is imported by its path, without the ending of its file.
SCRIPTS = (*ENDINGS["typescript"], *ENDINGS["tsx"], *ENDINGS["javascript"])
# Files in which a declaration puts the type after the name and a colon.
TYPE_AFTER_NAME = (*SCRIPTS, *ENDINGS["rust"])
# Files in which a comment begins with `#` or with `--`; in all others it begins with `//`.
HASH_COMMENTS = (".py", ".pyi", ".sh", ".toml", ".yaml", ".yml", ".rb", ".pl", ".mk", ".cmake")
DASH_COMMENTS = (".lua", ".sql")
_SEMICOLONS = (".ini", ".cfg")
_OTHER_HASH = (".properties", ".conf", ".env", "CMakeLists.txt", "Makefile", "makefile", ".gitignore")
# A language name can cover several spellings.
LANGUAGES: Mapping[str, tuple[str, ...]] = {
    "c": ("c", "c++"),
    "c++": ("c", "c++"),
    "c#": ("c#",),
    "java": ("java",),
    "rust": ("rust",),
    "python": ("python",),
    "typescript": ("typescript", "tsx"),
    "javascript": ("javascript",),
    "lua": ("lua",),
}
# Members that all classes of a language have from its root class; in Python they are those between double underscores.
_ROOT_MEMBERS: Mapping[str, frozenset[str]] = {
    "java": frozenset(
        ("clone", "equals", "finalize", "getClass", "hashCode", "notify", "notifyAll", "toString", "wait")
    ),
    "c#": frozenset(("Equals", "Finalize", "GetHashCode", "GetType", "MemberwiseClone", "ReferenceEquals", "ToString")),
}
_OF_SCRIPTS = frozenset(("constructor", "hasOwnProperty", "isPrototypeOf", "toLocaleString", "toString", "valueOf"))
_BY_ENDING = {ending: language for language, endings in ENDINGS.items() for ending in endings}


def language_of(path: str) -> str:
    """The language a file is written in, by its name; "" for one that is none of these."""
    dot = path.rfind(".")
    return _BY_ENDING.get(path[dot:].lower(), "") if dot > path.rfind("/") else ""


def endings_of(name: str) -> tuple[str, ...]:
    """Return the file endings for the name of a language; an unknown name is an ending itself (`glim` is `.glim`)."""
    known = LANGUAGES.get(name)
    return tuple(ending for part in known for ending in ENDINGS[part]) if known else (f".{name.lstrip('.')}",)


def comment_mark(path: str) -> str:
    """Return the marker of a line comment for files of this name; "" if there is none or it is unknown."""
    if path.endswith((*HASH_COMMENTS, *_OTHER_HASH)):
        return "#"
    if path.endswith(DASH_COMMENTS):
        return "--"
    if path.endswith(_SEMICOLONS):
        return ";"
    return "//" if language_of(path) else ""


def is_root_member(name: str, path: str) -> bool:
    """Whether all classes have a member of this name, in the language of a file."""
    if path.endswith(ENDINGS["python"]):
        return name.startswith("__") and name.endswith("__")
    return name in (_OF_SCRIPTS if path.endswith(SCRIPTS) else _ROOT_MEMBERS.get(language_of(path), ()))
