#include <memory>

#include "gullvoice/speaker.hpp"
#include "harbour.hpp"

namespace piers {

// Lets the scenes' speeches be heard at their minute.
class Voices : public merelith::Actor {
public:
    explicit Voices(gullvoice::Cast cast) : cast_(std::move(cast)) {}

    std::string name() const override { return "voices"; }

    void on_tick(merelith::World& world, int minute) override {
        for (const merelith::Speech& speech : speeches()) {
            if (speech.minute < minute || speech.minute >= minute + merelith::kFrameMinutes) continue;
            const merelith::Pier& pier = world.piers()[pier_index(world, speech.pier)];
            world.report(merelith::util::clock_text(speech.minute) + " at " + pier.name + ", " + pier.keeper + " listening");
            gullvoice::speak(world, cast_, speech.voice, speech.text);
        }
    }

private:
    gullvoice::Cast cast_;
};

}  // namespace piers

void start_voices(merelith::World& world) {
    gullvoice::Cast cast;
    cast.load("plugins/gullvoice/data/cast.json");
    merelith::write_log(std::to_string(cast.size()) + " voices");
    world.spawn(std::make_shared<piers::Voices>(std::move(cast)), 0, 0);
}
