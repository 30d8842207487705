"""Read and write rigs, the binary part of a scene: the objects on each pier.

    rig.py print FILE                  what the rig uses, a JSON object a line
    rig.py write FILE CHANGES OUT      the rig with other classes; CHANGES is a JSON file with the new one of each old one

A rig is MRIG, a version, a count, then for each thing its class (length and UTF-8) and its place (two floats).
"""

import json
import struct
import sys
from pathlib import Path


def read(data):
    mark, version, count = struct.unpack_from("<4sBH", data)
    if mark != b"MRIG":
        sys.exit("this is no rig")
    at, things = 7, []
    for _ in range(count):
        (size,) = struct.unpack_from("<H", data, at)
        name = data[at + 2 : at + 2 + size].decode()
        x, y = struct.unpack_from("<ff", data, at + 2 + size)
        things.append((name, x, y))
        at += 10 + size
    return version, things


def write(version, things):
    parts = [struct.pack("<4sBH", b"MRIG", version, len(things))]
    for name, x, y in things:
        raw = name.encode()
        parts.append(struct.pack("<H", len(raw)) + raw + struct.pack("<ff", x, y))
    return b"".join(parts)


def main(what, file, *rest):
    version, things = read(Path(file).read_bytes())
    if what == "print":
        for name, x, y in things:
            print(json.dumps({"uses": name, "kind": "class", "at": f"{x:g},{y:g}"}))
    else:
        new = json.loads(Path(rest[0]).read_text())
        Path(rest[1]).write_bytes(write(version, [(new.get(name, name), x, y) for name, x, y in things]))


main(*sys.argv[1:])
