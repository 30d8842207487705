#pragma once
#include "merelith/world.hpp"

namespace piers {

// Passengers that have stepped ashore so far.
int landed();

}  // namespace piers
