#pragma once
#include "merelith/almanac.hpp"

namespace piers {

inline constexpr int kDayOfYear = 221;

// Minute of the day before which no boat leaves: high water and an hour.
int first_departure(const merelith::Almanac& almanac);
// Whether the day's first high water comes before breakfast.
bool is_early_tide(const merelith::Almanac& almanac);

}  // namespace piers
