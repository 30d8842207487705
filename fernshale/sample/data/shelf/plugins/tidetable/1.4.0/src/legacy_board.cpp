// The wooden board of tidetable 0.x; kept for old games.
#include "tidetable/board.hpp"

namespace tidetable {

std::string wooden_board_line(const Slot& slot) { return "slot " + std::to_string(slot.start); }

}  // namespace tidetable
