"""Runs toys one after the other: run.py OUT MEMBER..., each a folder with a main.py that has a play()."""

import importlib.util
import pathlib
import sys

sys.dont_write_bytecode = True
sys.path.insert(0, str(pathlib.Path(__file__).parent))

import osier  # noqa: E402


def main(out, members):
    report = []
    for member in members:
        spec = importlib.util.spec_from_file_location("toy", pathlib.Path(member) / "main.py")
        toy = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(toy)
        print(f"info playing {member}")
        report += [f"{pathlib.Path(member).name}: {line}" for line in toy.play(osier.Stage())]
    out.mkdir(parents=True, exist_ok=True)
    (out / "toys.txt").write_text("\n".join(report) + "\n", encoding="utf-8")
    print(f"info {len(members)} toys played on Osier {osier.RELEASE}")


if __name__ == "__main__":
    main(pathlib.Path(sys.argv[1]), sys.argv[2:])
