#include "foldmap/map.hpp"

namespace foldmap {

int folds(int piers) {
    int count = 0;
    for (; piers > 1; piers /= 2) ++count;
    return count;
}

std::string legend(merelith::World& world) {
    const int piers = static_cast<int>(world.piers().size());
    return "map of " + std::to_string(piers) + " piers, folded " + std::to_string(folds(piers)) + " times";
}

}  // namespace foldmap
