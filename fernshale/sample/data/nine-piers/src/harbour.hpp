#pragma once
#include <string>
#include <vector>

#include "merelith/flags.hpp"
#include "merelith/scene.hpp"
#include "merelith/world.hpp"

namespace piers {

// What the scenes say, kept for the modules that start later.
const std::vector<merelith::Speech>& speeches();
// What is hoisted while a ferry is awaited.
inline merelith::Flag waiting_flag() { return {"ferry awaited", 3}; }
int pier_index(const merelith::World& world, const std::string& id);

}  // namespace piers
