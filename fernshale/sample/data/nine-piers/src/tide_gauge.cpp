#include <memory>

#include "merelith/world.hpp"
#include "season_plan.hpp"

namespace piers {

// Writes each high water into the report, in the frame in which it happens.
class TideGauge : public merelith::Actor {
public:
    std::string name() const override { return "tide gauge"; }

    void on_tick(merelith::World& world, int minute) override {
        const int tide = world.almanac().next_tide(minute);
        if (tide >= minute + merelith::kFrameMinutes) return;
        const int since = tide - world.almanac().last_tide(minute);
        world.report("high water " + merelith::util::clock_text(tide) + ", " + std::to_string(since) + " minutes after the last");
    }
};

}  // namespace piers

void start_tide_gauge(merelith::World& world) {
    if (piers::is_early_tide(world.almanac())) world.report("early tide");
    world.spawn(std::make_shared<piers::TideGauge>(), 0, 0);
}
