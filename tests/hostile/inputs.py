"""Hostile and unlucky inputs as data: texts by format, each with a name. Large enough to hurt, small enough for every run."""

from __future__ import annotations

from collections.abc import Mapping

_DEEP = 5000
_DIGITS = "9" * 5000
_ESC = "\x1b[2J\x1b]0;gone\x07"

JSON: Mapping[str, str] = {
    "nested lists": "[" * _DEEP + "]" * _DEEP,
    "nested maps": '{"engine":' * _DEEP + "1" + "}" * _DEEP,
    "lists without end": "[" * _DEEP,
    "a number of 5000 digits": f'{{"engine": {_DIGITS}}}',
    "a release of 5000 digits": f'{{"engine": "1.{_DIGITS}"}}',
    "an endless string": '{"engine": "' + "\\" * 20001,
    "comments without end": "/*" * 5000,
    "half a surrogate": '{"engine": "\\ud800"}',
    "control characters": f'{{"engine": "{_ESC}"}}',
    "a null in a string": '{"engine": "1\\u0000.0"}',
    "one key twice": '{"engine": "1.0", "engine": "2.0"}',
    "many keys": "{" + ",".join(f'"k{number}": {number}' for number in range(20000)) + "}",
    "nothing": "",
    "only a mark": "\ufeff",
    "not a map": "[1, 2]",
    "no JSON": "engine = 1.0",
}
YAML: Mapping[str, str] = {
    "aliases that multiply": "engine: &a [x, x, x, x, x, x, x, x, x]\n"
    + "".join(f"{chr(98 + n)}: &{chr(98 + n)} [{', '.join([f'*{chr(97 + n)}'] * 8)}]\n" for n in range(9)),
    "an alias of itself": "engine: &a [*a]\n",
    "nested lists": "[" * _DEEP + "]" * _DEEP,
    "nested maps": "{engine: " * _DEEP + "1" + "}" * _DEEP,
    "blocks in blocks": "".join(" " * n + "engine:\n" for n in range(1500)),
    "lists in one line": "- " * _DEEP + "x\n",
    "keys in one line": "? " * _DEEP + "x\n",
    "a number of 5000 digits": f"engine: {_DIGITS}\n",
    "an object of a program": "engine: !!python/object/apply:os.system ['touch ran']\n",
    "an impossible date": "engine: 2001-99-99\n",
    "tabs": "engine:\n\t- b\n",
    "colons": ":" * 20000,
    "quotes": '"' * 20001,
    "a directive": "%YAML 9.9\n---\nengine: 1\n",
    "a bad escape": 'engine: "\\xzz"\n',
}
TOML: Mapping[str, str] = {
    "nested lists": "engine = " + "[" * _DEEP + "]" * _DEEP,
    "nested tables": "engine = " + "{a = " * _DEEP + "1" + "}" * _DEEP,
    "a key of many parts": ".".join(["engine"] * _DEEP) + " = 1\n",
    "a table of many parts": "[" + ".".join(["engine"] * _DEEP) + "]\nx = 1\n",
    "a number of 5000 digits": f"engine = {_DIGITS}\n",
    "a hexadecimal of 5000 digits": "engine = 0x" + "f" * 5000 + "\n",
    "an impossible date": "engine = 2001-99-99\n",
    "a huge exponent": f"engine = 1e{_DIGITS}\n",
    "an endless string": 'engine = "' + "\\" * 20001,
    "one key twice": "engine = 1\nengine = 2\n",
}
XML: Mapping[str, str] = {
    "nested elements": "<engine>" * _DEEP + "</engine>" * _DEEP,
    "many attributes": "<engine " + " ".join(f'a{n}="1"' for n in range(20000)) + "/>",
    "many children": "<engine>" + "".join(f"<a{n}>1</a{n}>" for n in range(20000)) + "</engine>",
    "entities that multiply": '<!DOCTYPE a [<!ENTITY a "xxxxxxxxxx">'
    + "".join(f'<!ENTITY {chr(98 + n)} "{f"&{chr(97 + n)};" * 10}">' for n in range(8))
    + "]><engine>&i;</engine>",
    "a file of the machine": '<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]><engine>&x;</engine>',
    "tags without end": "<engine " * 10000,
    "an unknown encoding": '<?xml version="1.0" encoding="nope"?><engine/>',
    "an unknown prefix": "<a:engine/>",
    "ampersands": "<engine>" + "&" * 20000 + "</engine>",
    "two roots": "<engine/><engine/>",
    "a null": "<engine>\0</engine>",
}
INI: Mapping[str, str] = {
    "sections without end": "[" * 20000,
    "one long line": "engine = " + "x" * 500000,
    "control characters": f"engine = {_ESC}\n",
    "a release of 5000 digits": f"engine = {_DIGITS}\n",
    "a release of many parts": "engine = " + ".".join(["1"] * 5000) + "\n",
    "nothing": "",
}
DATA = {"json": JSON, "yaml": YAML, "toml": TOML, "xml": XML, "ini": INI}

# What a build may print.
LOGS: Mapping[str, bytes] = {
    "a line number of 5000 digits": f"a.cpp:{_DIGITS}:1: error: x\n".encode(),
    "a column of 5000 digits": f"a.cpp:1:{_DIGITS}: error: x\n".encode(),
    "control characters": f"a.cpp:1:1: error: {_ESC}\n".encode(),
    "one line of a megabyte": b"a.cpp:1:1: error: " + b"x" * 1_000_000 + b"\n",
    "no text at all": bytes(range(256)) * 400,
    "JSON without end": b'{"a":\n' * 5000,
    "JSON nested": b"[" * _DEEP + b"]" * _DEEP + b"\n",
    "JSON of the wrong shape": b'[{"kind": 5, "locations": {"caret": []}, "message": null}]\n',
    "SARIF of the wrong shape": b'{"$schema": "sarif", "runs": [{"results": [{"locations": [7]}]}]}\n',
    "numbers in JSON": b'{"a": ' + _DIGITS.encode() + b"}\n",
    "folders entered for ever": b"make[9]: Entering directory '/x'\n" * 5000,
    "included from itself": b"In file included from a.h:1:\n" * 5000 + b"a.h:1:1: error: x\n",
    "a traceback of one frame for ever": b"Traceback (most recent call last):\n" + b'  File "a.py", line 1\n' * 5000,
    "a path that leads out": b"../../../../etc/passwd:1:1: error: x\n",
    "a path with a null": b"a\0b.cpp:1:1: error: x\n",
    "nothing": b"",
}

# Source files of a release, by the ending of their language.
SOURCES: Mapping[str, str] = {
    "braces": "{" * _DEEP + "}" * _DEEP,
    "braces without end": "{" * 20000,
    "open calls": "f(" * 12000,
    "brackets": "[" * 4000,
    "comments": "/*" * 4000,
    "one long string": '"' + "x" * 1_000_000,
    "conditions": "#if X\n" * 4000,
    "not text": "".join(map(chr, range(1, 256))) * 40,
    "nothing": "",
}
NESTED_CLASSES: Mapping[str, str] = {
    ".h": "struct A { " * 3000 + "}; " * 3000,
    ".hpp": "class A { public: " * 3000 + "}; " * 3000,
    ".cs": "class A { " * 3000 + "} " * 3000,
    ".java": "class A { " * 3000 + "} " * 3000,
    ".rs": "pub mod a { " * 3000 + "} " * 3000,
    ".py": "".join(" " * n + f"class A{n}:\n" for n in range(300)) + " " * 300 + "pass\n",
    ".ts": "export namespace A { " * 3000 + "} " * 3000,
    ".js": "class A { x = " * 3000 + "1 } " * 3000,
    ".lua": "A = { " * 3000 + "} " * 3000,
}

# Whole files of ours, each broken in its way: (file, text, what is said).
_PROFILE = 'format = "fernshale-profile/1"\nid = "x"\ntitle = "X"\n[recognise]\nfiles = ["odd.ini"]\n'
_SITE = '[[site]]\nname = "s"\nfiles = ["odd.ini"]\nat = { ini = "engine" }\n'
PROFILES: Mapping[str, tuple[str, str]] = {
    "nested": (_PROFILE + "x = " + "[" * _DEEP + "]" * _DEEP, "nested too deep"),
    "a number of 5000 digits": (_PROFILE + f"x = {_DIGITS}\n", "not valid TOML"),
    "an unknown key": (_PROFILE + _SITE + "[nonsense]\nx = 1\n", "unknown key nonsense"),
    "an empty command": (_PROFILE + _SITE + "[commands.build]\nrun = []\n", "run must name a program"),
    "a command of blanks": (_PROFILE + _SITE + '[commands.build]\nrun = [" "]\n', "run must name a program"),
    "an absolute glob": (_PROFILE.replace("odd.ini", "/etc/*") + _SITE, "no glob of files in the project"),
    "a glob that climbs": (_PROFILE.replace("odd.ini", "../*") + _SITE, "no glob of files in the project"),
    "a bad pattern": (_PROFILE + _SITE + '[[diagnostic]]\npattern = "(?P<message>["\n', "bad regular expression"),
    "a pattern without its group": (
        _PROFILE + _SITE + '[[diagnostic]]\npattern = "x"\n',
        "needs a group named message",
    ),
    "a pattern of 10 MB": (
        _PROFILE + _SITE + f'[[diagnostic]]\npattern = "{"(a|b)" * 2_000_000}"\n',
        "10,000,000 characters",
    ),
    "no text": ("\ufeff" + "\x00" * 100, "not valid TOML"),
    "another format": (_PROFILE.replace("fernshale-profile/1", "fernshale-profile/9"), "the format key must be"),
    "nothing": ("", "the format key must be"),
    "a bad expression": (
        _PROFILE
        + _SITE
        + '[[expect]]\nid = "e"\ntitle = "t"\nfiles = ["*"]\nwhen = "'
        + "(" * 500
        + '"\nfield = "f"\n',
        "nested too deep",
    ),
}
_RULES = 'format = "fernshale-rules/1"\n[[rule]]\nid = "r"\nwhy = "w"\n'
RULES: Mapping[str, tuple[str, str]] = {
    "an unknown kind": (_RULES + 'kind = "explode"\n', "kind"),
    "a pattern of nothing but metavariables": (_RULES + 'kind = "rewrite"\npattern = "$x"\n', "nothing to look for"),
    "an endless expression": (
        _RULES + f'kind = "data"\nfiles = ["*"]\nset = {{ a = "{"+".join(["1"] * 999)}" }}\n', "many terms"),
    "a diagnostic of 10 MB": (_RULES + f'kind = "rename"\nold = "a"\nnew = "b"\ndiagnostic = "{"(a|b)" * 2_000_000}"\n', "characters"),
    "a confidence of 5000 digits": (_RULES + f'kind = "rename"\nold = "a"\nnew = "b"\nconfidence = {_DIGITS}\n', "not valid TOML"),
    "two of one id": (_RULES + 'kind = "rename"\nold = "a"\nnew = "b"\n' + _RULES.partition("\n")[2] + 'kind = "rename"\nold = "c"\nnew = "d"\n', "two rules"),
}  # fmt: skip
_SHELF = 'format = "fernshale-shelf/1"\n[[engine]]\nid = "x"\n'
SHELVES: Mapping[str, tuple[str, str]] = {
    "a release of 5000 digits": (_SHELF + f'version = "{_DIGITS}"\nfolder = "f"\n', ""),
    "a folder outside": (_SHELF + 'version = "1.0"\nfolder = "../f"\n', "outside the shelf"),
    "an absolute folder": (_SHELF + 'version = "1.0"\nfolder = "/etc"\n', "outside the shelf"),
    "a range that is none": (_SHELF.replace("engine", "plugin") + 'version = "1.0"\nfolder = "f"\naccepts = "[[["\n', ""),
    "a range of 5000 parts": (_SHELF.replace("engine", "plugin") + f'version = "1.0"\nfolder = "f"\naccepts = "{" || ".join([">=1"] * 5000)}"\n', ""),
    "control characters in the title": ('format = "fernshale-shelf/1"\ntitle = "\\u001b[2Jgone"\n', ""),
    "nested": ('format = "fernshale-shelf/1"\nx = ' + "[" * _DEEP, "nested too deep"),
}  # fmt: skip
