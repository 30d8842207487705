#pragma once
#include <span>

#include "merelith/world.hpp"

namespace merelith {

using StartFunction = void (*)(World&);

struct StartEntry {
    const char* name;
    StartFunction start;
};

// Defined by the generated start-up table of the game.
std::span<const StartEntry> start_entries();

}  // namespace merelith
