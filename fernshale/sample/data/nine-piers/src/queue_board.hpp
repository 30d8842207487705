#pragma once
#include <string>

#include "merelith/world.hpp"

namespace piers {

// One line of the evening board: pier, keeper, arrivals.
std::string queue_line(merelith::World& world, int pier, int arrivals);

}  // namespace piers
