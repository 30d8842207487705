#pragma once
#include <memory>
#include <string>
#include <vector>

#include "merelith/actor.hpp"
#include "merelith/almanac.hpp"
#include "merelith/berth.hpp"
#include "merelith/core.hpp"
#include "merelith/events.hpp"
#include "merelith/pier.hpp"
#include "merelith/weather.hpp"

namespace merelith {

class World {
public:
    // Where an actor is drawn and in which order it is called.
    enum class Layer { Water, Shore, Fog, Sky };

    explicit World(int seed) : almanac_(seed), sky_(seed) {}

    const Almanac& almanac() const { return almanac_; }
    const Sky& sky() const { return sky_; }
    Events& events() { return events_; }

    std::vector<Pier>& piers() { return piers_; }
    std::vector<Berth>& berths() { return berths_; }

    // Puts an actor at a pier, in a layer; it is called from `minute` on.
    void spawn(std::shared_ptr<Actor> actor, int pier, int minute, Layer layer);
    void moor(Actor& actor, int berth);

    void run_day();

    void report(const std::string& line) { report_.push_back(line); }
    const std::vector<std::string>& report_lines() const { return report_; }
    // How long each frame of the last day took, in milliseconds.
    const std::vector<double>& frame_times() const { return frame_times_; }
    const std::string& out_folder() const { return out_; }
    void set_out_folder(const std::string& folder) { out_ = folder; }

private:
    struct Spawned {
        std::shared_ptr<Actor> actor;
        int pier;
        int from;
        Layer layer;
    };

    Almanac almanac_;
    Sky sky_;
    Events events_;
    std::vector<Pier> piers_;
    std::vector<Berth> berths_;
    std::vector<Spawned> actors_;
    std::vector<std::string> report_;
    std::vector<double> frame_times_;
    std::string out_;
};

}  // namespace merelith
