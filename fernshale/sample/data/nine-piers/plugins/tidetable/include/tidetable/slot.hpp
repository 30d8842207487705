#pragma once
#include <vector>

#include "tidetable/season.hpp"

namespace tidetable {

// A time at which a boat may leave.
struct Slot {
    int start = 0;
    int length = 0;
};

int slot_length(const SeasonRules& rules);
std::vector<Slot> day_slots(const SeasonRules& rules, int every_minutes);

}  // namespace tidetable
