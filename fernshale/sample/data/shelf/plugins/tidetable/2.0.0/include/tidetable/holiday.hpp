#pragma once

namespace tidetable {

// Days on which boats stop early.
bool is_holiday(int day);

}  // namespace tidetable
