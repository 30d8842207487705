#pragma once
#include <string>

#include "tidetable/slot.hpp"

namespace tidetable {

std::string board_line(const Slot& slot, const std::string& from, const std::string& to);

}  // namespace tidetable
