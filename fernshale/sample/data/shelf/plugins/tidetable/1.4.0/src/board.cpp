#include "tidetable/board.hpp"

#include "merelith/core.hpp"

namespace tidetable {

std::string board_line(const Slot& slot, const std::string& from, const std::string& to) {
    const std::string time = merelith::util::clock_text(slot.start);
    return time + " " + from + " > " + to;
}

}  // namespace tidetable
