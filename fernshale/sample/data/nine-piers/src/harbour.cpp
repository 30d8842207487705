#include "harbour.hpp"

#include <fstream>
#include <stdexcept>

#include "mooring/docking.hpp"
#include "pierkit/kit.hpp"

namespace piers {

namespace {
std::vector<merelith::Speech> all_speeches;
}

const std::vector<merelith::Speech>& speeches() { return all_speeches; }

int pier_index(const merelith::World& world, const std::string& id) {
    const auto& piers = const_cast<merelith::World&>(world).piers();
    for (std::size_t index = 0; index < piers.size(); ++index) {
        if (piers[index].id == id) return static_cast<int>(index);
    }
    throw std::runtime_error("no pier '" + id + "'");
}

}  // namespace piers

void start_harbour(merelith::World& world) {
    int lines = 0;
    for (const char* path : {"scenes/west.scene", "scenes/east.scene"}) {
        const merelith::Scene scene = merelith::load_scene(path);
        for (const merelith::Pier& pier : scene.piers) {
            if (world.piers().size() >= merelith::kMaxPiers) {
                merelith::write_warning("too many piers");
                break;
            }
            merelith::write_log("pier " + pier.name + ", kept by " + pier.keeper);
            world.piers().push_back(pier);
            merelith::Berth berth(pier.id, pier.berths);
            world.berths().push_back(berth);
            lines += mooring::line_length(pier.berths);
        }
        for (const merelith::Lamp& lamp : scene.lamps) {
            world.report("lamp " + lamp.id + " at " + std::to_string(lamp.tip()) + ", shining " + std::to_string(lamp.bearing()));
        }
        world.report("evening bell of the " + scene.name + " at " + merelith::util::clock_text(scene.bell));
        if (!std::ifstream(scene.backdrop)) merelith::write_warning("no picture " + scene.backdrop);
        piers::all_speeches.insert(piers::all_speeches.end(), scene.speeches.begin(), scene.speeches.end());
    }
    merelith::write_log("salt stairs, depth " + std::to_string(pierkit::depth_of("salt-stairs")));
    merelith::ring_bell("salt-stairs", 1, false);
    merelith::write_log(std::to_string(lines) + " fathoms of line lie ready");
    merelith::flush_piers();
}
