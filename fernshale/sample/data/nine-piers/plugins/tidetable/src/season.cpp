#include "tidetable/season.hpp"

#include "merelith/core.hpp"
#include "tidetable/fog_rules.hpp"

namespace tidetable {

Season SeasonRules::season() const {
    switch (day_ % 360 / 90) {
        case 0: return Season::Spring;
        case 1: return Season::Summer;
        case 2: return Season::Autumn;
        default: return Season::Winter;
    }
}

int SeasonRules::opening() const {
    int minute = 6 * 60;
    if (season() == Season::Winter) minute += 60;
    if (is_fog_morning(day_)) minute += 30;  // the first boat waits for the fog
    return merelith::util::clamp_minutes(minute);
}

int SeasonRules::closing() const {
    int minute = 20 * 60;
    if (season() == Season::Summer) minute += 120;
    return merelith::util::clamp_minutes(minute);
}

bool SeasonRules::is_open(int minute) const {
    return minute >= opening() && minute < closing();
}

}  // namespace tidetable
