#pragma once
#include <string>

#include "merelith/world.hpp"

namespace foldmap {

// How often a sheet is folded to show that many piers.
int folds(int piers);
// One line on the map, for reports.
std::string legend(merelith::World& world);

}  // namespace foldmap
