#pragma once
#include "merelith/world.hpp"

namespace merelith {

using StartFunction = void (*)(World&);

struct StartEntry {
    const char* name;
    StartFunction start;
};

// Defined by the generated start-up table of the game.
const StartEntry* start_table(int& count);

}  // namespace merelith
