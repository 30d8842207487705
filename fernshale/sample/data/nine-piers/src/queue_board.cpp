#include "queue_board.hpp"

namespace piers {

std::string queue_line(merelith::World& world, int pier, int arrivals) {
    const merelith::Pier& here = world.piers()[pier];
    const std::string keeper = here.keeper.empty() ? "nobody" : here.keeper;
    // A berth that was never used is free from the start of the day.
    merelith::Berth fresh(here.id, here.berths);
    const bool used = world.berths()[pier].free_at() != fresh.free_at();
    return here.name + " (" + keeper + "): " + (used ? std::to_string(arrivals) + " boats" : "no boat");
}

}  // namespace piers
