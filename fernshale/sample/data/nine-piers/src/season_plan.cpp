#include "season_plan.hpp"

#include "merelith/core.hpp"

namespace piers {

int first_departure(const merelith::Almanac& almanac) {
    return merelith::util::clamp_minutes((almanac.first_tide(kDayOfYear) + 1) * 60);
}

bool is_early_tide(const merelith::Almanac& almanac) {
    return almanac.first_tide(kDayOfYear) < 7;
}

}  // namespace piers
