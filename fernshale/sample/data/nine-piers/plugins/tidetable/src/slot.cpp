#include "tidetable/slot.hpp"

namespace tidetable {

int slot_length(const SeasonRules& rules) {
    (void)rules;
    return 15;
}

std::vector<Slot> day_slots(const SeasonRules& rules, int every_minutes) {
    std::vector<Slot> slots;
    for (int start = rules.opening(); start < rules.closing(); start += every_minutes) {
        slots.push_back({start, slot_length(rules)});
    }
    return slots;
}

}  // namespace tidetable
