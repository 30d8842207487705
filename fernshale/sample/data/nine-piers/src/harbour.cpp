#include "harbour.hpp"

#include <stdexcept>

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
        }
        piers::all_speeches.insert(piers::all_speeches.end(), scene.speeches.begin(), scene.speeches.end());
    }
    merelith::flush_piers();
}
