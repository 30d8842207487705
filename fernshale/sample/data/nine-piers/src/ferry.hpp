#pragma once
#include <string>
#include <vector>

#include "merelith/flags.hpp"
#include "merelith/world.hpp"

namespace piers {

// A boat that goes from pier to pier, one leg a departure.
class Ferry : public merelith::Actor {
public:
    merelith::Flag flag() const { return {name_, 1}; }
    Ferry(std::string name, std::vector<int> route, std::vector<int> departures);

    std::string name() const override { return name_; }
    void on_tick(merelith::World& world, int minute) override;
    void on_moor(merelith::World& world, int berth) override;

private:
    int crossing_minutes(const merelith::World& world, int minute) const;

    std::string name_;
    std::vector<int> route_;
    std::vector<int> departures_;
    std::size_t next_ = 0;
    int under_way_until_ = -1;
    int moored_ = 0;
};

}  // namespace piers
