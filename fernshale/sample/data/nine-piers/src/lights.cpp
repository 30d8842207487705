#include <memory>

#include "lampwork/glow.hpp"
#include "merelith/world.hpp"

namespace piers {

// A pier's lamp, lit in the dark and in fog.
class Light : public merelith::Actor {
public:
    Light(int pier, lampwork::Glow glow) : pier_(pier), glow_(std::move(glow)) {}

    std::string name() const override { return "light " + std::to_string(pier_); }

    void on_tick(merelith::World& world, int minute) override {
        const bool dark = minute < 6 * 60 || minute >= 20 * 60;
        const bool lit = dark || world.sky().at(minute) == merelith::Weather::Fog;
        if (lit == lit_) return;
        lit_ = lit;
        if (pier_ == 0) merelith::write_log(lit ? "lights on, glow " + std::to_string(glow_.at(minute)) : "lights off");
    }

    void on_moor(merelith::World& world, int berth) override {
        (void)world;
        merelith::write_warning("a light cannot moor at " + std::to_string(berth));
    }

    void settle(merelith::World& world) override {
        if (pier_ == 0) world.report("the lamps burn low");
    }

private:
    int pier_;
    lampwork::Glow glow_;
    bool lit_ = false;
};

}  // namespace piers

void start_lights(merelith::World& world) {
    const lampwork::Glow glow(lampwork::load_preset("plugins/lampwork-presets/presets/fog-amber.glow"));
    for (std::size_t pier = 0; pier < world.piers().size() && pier < merelith::kMaxPiers; ++pier) {
        world.spawn(std::make_shared<piers::Light>(static_cast<int>(pier), glow), static_cast<int>(pier), 0);
    }
    merelith::flush_piers();
}
