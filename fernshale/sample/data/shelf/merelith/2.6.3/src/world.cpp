#include "merelith/world.hpp"

#include <chrono>

namespace merelith {

void World::spawn(std::shared_ptr<Actor> actor, int pier, int minute) {
    actors_.push_back({std::move(actor), pier, minute});
}

void World::moor(Actor& actor, int berth) { actor.on_moor(*this, berth); }

void World::run_day() {
    for (int minute = 0; minute < kDayMinutes; minute += kFrameMinutes) {
        set_log_minute(minute);
        const auto before = std::chrono::steady_clock::now();
        const int tide = almanac_.next_tide(minute);
        if (tide < minute + kFrameMinutes) events_.high_water(tide);
        // By index: an actor may spawn others while it is called.
        for (std::size_t index = 0; index < actors_.size(); ++index) {
            if (minute >= actors_[index].from) actors_[index].actor->on_tick(*this, minute);
        }
        if (minute == 20 * 60) {
            for (std::size_t index = 0; index < actors_.size(); ++index) actors_[index].actor->on_dusk(*this);
        }
        const std::chrono::duration<double, std::milli> spent = std::chrono::steady_clock::now() - before;
        frame_times_.push_back(spent.count());
    }
    for (std::size_t index = 0; index < actors_.size(); ++index) actors_[index].actor->settle(*this);
}

}  // namespace merelith
