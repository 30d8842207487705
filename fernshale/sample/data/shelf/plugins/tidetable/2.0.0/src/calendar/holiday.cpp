#include "tidetable/holiday.hpp"

namespace tidetable {

bool is_holiday(int day) { return day % 360 == 179 || day % 360 == 359; }

}  // namespace tidetable
