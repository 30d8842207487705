#include "merelith/canvas.hpp"

#include <memory>

#include "chart_colours.hpp"
#include "merelith/world.hpp"
#include "point.hpp"

namespace piers {

// Draws the chart of the piers in the last frame.
class MapView : public merelith::Actor {
public:
    std::string name() const override { return "map view"; }

    void on_tick(merelith::World& world, int minute) override {
        if (minute + merelith::kFrameMinutes < merelith::kDayMinutes) return;
        merelith::MlCanvas canvas(80, 32, water());
        for (const merelith::Pier& pier : world.piers()) {
            canvas.box_at(geo::Point{pier.x, pier.y}, 2 + pier.berths, 2, planks());
            canvas.dot(pier.x, pier.y, lamp());
        }
        canvas.save(world.out_folder() + "/last-frame.ppm");
    }
};

}  // namespace piers

void start_map_view(merelith::World& world) { world.spawn(std::make_shared<piers::MapView>(), 0, 0); }
