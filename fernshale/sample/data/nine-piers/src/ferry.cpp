#include "ferry.hpp"

namespace piers {

Ferry::Ferry(std::string name, std::vector<int> route, std::vector<int> departures)
    : name_(std::move(name)), route_(std::move(route)), departures_(std::move(departures)) {}

int Ferry::crossing_minutes(const merelith::World& world, int minute) const {
    int minutes = 20;
    if (world.sky().at(minute) == merelith::Weather::Fog) minutes += 15;
    if (world.sky().at(minute) == merelith::Weather::Gale) minutes += 25;
    const int tide = world.almanac().next_tide(minute);
    if (tide - minute < 60) minutes -= 5;  // the flood helps
    return minutes;
}

void Ferry::on_tick(merelith::World& world, int minute) {
    if (under_way_until_ >= 0) {
        if (minute < under_way_until_) return;
        const int pier = route_[next_ % route_.size()];
        merelith::Berth& berth = world.berths()[pier];
        if (!berth.is_free(minute)) {
            merelith::write_log(name_ + " waits off " + world.piers()[pier].name);
            return;
        }
        berth.take(minute + 15);
        under_way_until_ = -1;
        world.moor(*this, pier);
        world.events().arrive(pier, minute);
        return;
    }
    if (next_ >= departures_.size() || minute < departures_[next_]) return;
    ++next_;
    under_way_until_ = minute + crossing_minutes(world, minute);
    merelith::write_log(name_ + " casts off");
}

void Ferry::on_moor(merelith::World& world, int berth) {
    ++moored_;
    const merelith::Pier& pier = world.piers()[berth];
    world.report("  " + name_ + " moors at " + pier.name + ", " + pier.keeper + " takes the line (" + std::to_string(moored_) + ")");
}

}  // namespace piers
