#include "tidetable/slot.hpp"

namespace tidetable {

int slot_length(const SeasonRules& rules) {
    (void)rules;
    return rules.season() == Season::Summer ? 10 : 12;
}

std::vector<Slot> day_slots(const SeasonRules& rules, int every_minutes) {
    std::vector<Slot> slots;
    const int closing = rules.closing();
    for (int start = rules.opening(); start < closing; start += every_minutes) {
        slots.push_back({start, slot_length(rules)});
    }
    return slots;
}

}  // namespace tidetable
