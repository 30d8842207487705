#include "fares.hpp"

#include "merelith/core.hpp"
#include "pursebook/purse.hpp"

namespace piers {

namespace {
pursebook::Purse purse;
}

int fare(int minute) {
    const int at = merelith::util::clamp_minutes(minute);
    return at < 9 * 60 || at >= 17 * 60 ? 4 : 3;
}

void take_fares(int people, int minute) {
    purse.put(people * fare(minute));
    if (people > 12) merelith::write_log("a full boat");
}

int till() { return purse.pence(); }

}  // namespace piers
