#include <memory>

#include "ferry.hpp"
#include "harbour.hpp"
#include "season_plan.hpp"
#include "tidetable/board.hpp"
#include "tidetable/slot.hpp"

namespace piers {

namespace {

// Every `step`-th slot of the day, from the `first` on, as minutes.
std::vector<int> departures(const std::vector<tidetable::Slot>& slots, std::size_t first, std::size_t step) {
    std::vector<int> minutes;
    for (std::size_t index = first; index < slots.size(); index += step) {
        minutes.push_back(slots[index].start + slots[index].length);
    }
    return minutes;
}

}  // namespace

}  // namespace piers

void start_timetable(merelith::World& world) {
    const tidetable::SeasonRules rules(piers::kDayOfYear);
    const auto slots = tidetable::day_slots(rules, 60);
    const int first = piers::first_departure(world.almanac());
    world.report("first boat " + merelith::util::clock_text(first));
    world.report(tidetable::board_line(slots.front(), world.piers().front().name, world.piers().back().name));
    const auto heron = std::make_shared<piers::Ferry>("Heron", std::vector<int>{0, 1, 2, 3, 4}, piers::departures(slots, 0, 2));
    const auto dabchick = std::make_shared<piers::Ferry>("Dabchick", std::vector<int>{4, 5, 6, 7, 8}, piers::departures(slots, 1, 2));
    const auto teal = std::make_shared<piers::Ferry>("Teal", std::vector<int>{8, 4, 0}, piers::departures(slots, 1, 4));
    world.spawn(heron, 0, first);
    world.spawn(dabchick, 4, first);
    world.spawn(teal, 8, merelith::util::clamp_minutes(first + 30));
}
