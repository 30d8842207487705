"""Merelith project generator: descriptor -> Makefile and start-up table.

    generate.py PROJECT

A start-up table that is already there is left alone, since some projects keep one by hand.
"""

import json
import pathlib
import sys

STANDARD = 20  # the least this release compiles with

MAKEFILE = """\
# Written by the Merelith project generator; changes are lost when it runs again.
ENGINE ?= ../merelith
BUILD ?= build
CXX ?= g++
CXXFLAGS ?= -O0 -Wall
CPPFLAGS += -std=c++{standard} -I$(ENGINE)/include {includes}

SOURCES := {sources}
ENGINE_SOURCES := $(wildcard $(ENGINE)/src/*.cpp)
OBJECTS := $(SOURCES:%.cpp=$(BUILD)/%.o) $(patsubst $(ENGINE)/%.cpp,$(BUILD)/engine/%.o,$(ENGINE_SOURCES))

SHADERS := {shaders}

$(BUILD)/game: $(OBJECTS) $(BUILD)/shaders.ok
\t$(CXX) -o $@ $(OBJECTS)

$(BUILD)/shaders.ok: $(SHADERS)
\t@mkdir -p $(BUILD)
\tpython3 $(ENGINE)/tools/check_glim.py $(SHADERS)
\t@touch $@

$(BUILD)/engine/%.o: $(ENGINE)/%.cpp
\t@mkdir -p $(dir $@)
\t$(CXX) $(CPPFLAGS) $(CXXFLAGS) -c $< -o $@

$(BUILD)/%.o: %.cpp
\t@mkdir -p $(dir $@)
\t$(CXX) $(CPPFLAGS) $(CXXFLAGS) -MMD -c $< -o $@

-include $(OBJECTS:.o=.d)
"""


def start_table(modules):
    declarations = "".join(f"void start_{name}(merelith::World&);\n" for name in modules)
    entries = "".join(f'    {{"{name}", start_{name}}},\n' for name in modules)
    return (
        '#include "merelith/game.hpp"\n\n' + declarations + "\nnamespace merelith {\n\n"
        "static const StartEntry table[] = {\n" + entries + "};\n\n"
        "std::span<const StartEntry> start_entries() { return table; }\n\n}  // namespace merelith\n"
    )


def main(project):
    descriptors = sorted(project.glob("*.mproj"))
    if len(descriptors) != 1:
        sys.exit(f"{project}: error: expected one .mproj file, found {len(descriptors)}")
    descriptor = json.loads(descriptors[0].read_text(encoding="utf-8"))
    table = project / "generated" / "start_table.cpp"
    table.parent.mkdir(exist_ok=True)
    if not table.exists():
        table.write_text(start_table(descriptor["startup"]), encoding="utf-8")
    standard = descriptor.get("toolchain", {}).get("standard", STANDARD)
    if standard < STANDARD:
        sys.exit(f"{descriptors[0]}: error: toolchain.standard is {standard}, this release needs {STANDARD}")
    folders = list(descriptor["sources"])
    includes = []
    for plugin in descriptor["plugins"]:
        folder = project / "plugins" / plugin
        if not folder.is_dir():
            sys.exit(f"{descriptors[0]}: error: plugin folder {folder.name} is missing")
        folders.append(f"plugins/{plugin}/src")
        includes.append(f"-Iplugins/{plugin}/include")
    sources = ["generated/start_table.cpp"]
    for folder in folders:
        sources += sorted(path.relative_to(project).as_posix() for path in (project / folder).rglob("*.cpp"))
    places = ["shaders", *(f"plugins/{plugin}/shaders" for plugin in descriptor["plugins"])]
    shaders = sorted(path.relative_to(project).as_posix() for place in places for path in (project / place).glob("*.glim"))
    words = {"includes": " ".join(includes), "sources": " ".join(sources), "shaders": " ".join(shaders)}
    makefile = MAKEFILE.format(standard=standard, **words)
    (project / "Makefile").write_text(makefile, encoding="utf-8")
    print(f"generated Makefile with {len(sources)} sources")


if __name__ == "__main__":
    main(pathlib.Path(sys.argv[1]))
