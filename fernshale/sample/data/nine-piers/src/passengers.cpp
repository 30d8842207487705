#include "passengers.hpp"

#include "fares.hpp"

namespace piers {

namespace {
int landed_so_far = 0;
}

int landed() { return landed_so_far; }

}  // namespace piers

void start_passengers(merelith::World& world) {
    world.events().on_arrival([](int pier, int minute) {
        const int people = 6 + (pier * 5 + minute / 60) % 9;
        piers::landed_so_far += people;
        piers::take_fares(people, minute);
    });
}
