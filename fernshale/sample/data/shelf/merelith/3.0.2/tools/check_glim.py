"""Checks shaders in .glim, the small shader language of Merelith.

    check_glim.py FILE...
"""

import re
import sys

FUNCTIONS = {"blend", "clamp", "fade"}
INPUTS = {"water.x", "water.y"}
WORD = re.compile(r"[A-Za-z_][\w.]*")


def check(path):
    bad, known = 0, set()
    with open(path, encoding="utf-8") as file:
        for number, line in enumerate(file, 1):
            code = line.split("//")[0]
            head = re.match(r"\s*(?:shader \w+|let (?P<name>\w+) =|out \w+ )", code)
            if not code.strip():
                continue
            if head is None:
                print(f"{path}:{number}:1: error: expected shader, let or out")
                bad += 1
                continue
            for word in WORD.finditer(code, head.end()):
                is_call = code[word.end() :].lstrip().startswith("(")
                if is_call and word[0] not in FUNCTIONS:
                    print(f"{path}:{number}:{word.start() + 1}: error: no function named '{word[0]}'")
                    bad += 1
                elif not is_call and word[0] not in INPUTS | known:
                    print(f"{path}:{number}:{word.start() + 1}: error: no input named '{word[0]}'")
                    bad += 1
            known.add(head["name"])
    return bad


if __name__ == "__main__":
    sys.exit(1 if sum(check(path) for path in sys.argv[1:]) else 0)
