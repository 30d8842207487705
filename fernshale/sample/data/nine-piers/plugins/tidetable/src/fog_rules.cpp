#include "tidetable/fog_rules.hpp"

#include "merelith/core.hpp"
#include "merelith/weather.hpp"

namespace tidetable {

bool is_fog_morning(int day) {
    const merelith::Sky sky(day);
    const bool fog = sky.at(6 * 60) == merelith::Weather::Fog;
    if (fog) merelith::write_log("tidetable: fog on the piers");
    return fog;
}

}  // namespace tidetable
