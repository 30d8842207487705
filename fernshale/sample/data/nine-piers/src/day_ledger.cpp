#include <memory>

#include "fares.hpp"
#include "foldmap/map.hpp"
#include "merelith/world.hpp"
#include "passengers.hpp"
#include "queue_board.hpp"

namespace piers {

// Closes the day: the last frame writes the sums.
class DayLedger : public merelith::Actor {
public:
    std::string name() const override { return "day ledger"; }

    void on_tick(merelith::World& world, int minute) override {
        if (minute + merelith::kFrameMinutes < merelith::kDayMinutes) return;
        world.report(std::to_string(landed()) + " passengers, " + std::to_string(till()) + " pence");
        world.report(std::to_string(tides_) + " high waters");
        for (std::size_t pier = 0; pier < world.piers().size(); ++pier) {
            world.report(queue_line(world, static_cast<int>(pier), arrivals_[pier]));
        }
    }

    void arrived(int pier) { ++arrivals_[pier]; }
    void high_water() { ++tides_; }

private:
    int arrivals_[merelith::kMaxPiers] = {};
    int tides_ = 0;
};

}  // namespace piers

void start_day_ledger(merelith::World& world) {
    const auto ledger = std::make_shared<piers::DayLedger>();
    world.events().on_arrival([ledger, &world](int pier, int minute) {
        ledger->arrived(pier);
        world.report(merelith::util::clock_text(minute) + " arrival at " + world.piers()[pier].name);
    });
    world.events().on_high_water([ledger](int) { ledger->high_water(); });
    world.report(foldmap::legend(world));
    world.spawn(ledger, 0, 0);
}
