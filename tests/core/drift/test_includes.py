"""Headers that a source sees already are not proposed again."""

from __future__ import annotations

from fernshale.core.drift.names.includes import sees_header
from tests.conftest import Tree


def test_a_header_is_seen_through_those_that_include_it(tree: Tree) -> None:
    release = tree(
        "release",
        {
            "include/reed.h": '#include "reedconf.h"\n',
            "include/reedconf.h": '#include "deep/limits.h"\n',
            "include/deep/limits.h": '#include "../reed.h"\n',
            "include/apart.h": "\n",
            "include/other/reed.h": "\n",
        },
    )
    text = "#include <stdio.h>\n#  include <reed.h>\n"
    assert sees_header(text, "include/deep/limits.h", release) and sees_header(text, "include/reed.h", release)
    assert not sees_header(text, "include/apart.h", release) and not sees_header("", "include/reed.h", release)
    assert not sees_header("#include <deep/limits.h>\n", "include/apart.h", release)
