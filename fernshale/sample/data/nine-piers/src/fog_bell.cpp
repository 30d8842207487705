#include <memory>

#include "merelith/world.hpp"

namespace piers {

// Rings at every full hour of fog.
class FogBell : public merelith::Actor {
public:
    std::string name() const override { return "fog bell"; }

    void on_tick(merelith::World& world, int minute) override {
        if (minute % 60 != 0 || world.sky().at(minute) != merelith::Weather::Fog) return;
        ++rung_;
        merelith::ring_bell("far-light", 3, true);
        if (rung_ == 1) world.report("fog from " + merelith::util::clock_text(minute));
    }

    void on_dusk(merelith::World& world) { world.report("the fog bell rang " + std::to_string(rung_) + " times by dusk"); }

private:
    int rung_ = 0;
};

}  // namespace piers

void start_fog_bell(merelith::World& world) { world.spawn(std::make_shared<piers::FogBell>(), 8, 0); }
