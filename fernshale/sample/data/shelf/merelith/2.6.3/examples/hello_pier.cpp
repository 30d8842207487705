// The smallest game: one actor that says where it is.
#include <memory>

#include "merelith/world.hpp"

class Buoy : public merelith::Actor {
public:
    std::string name() const override { return "buoy"; }
    void on_tick(merelith::World&, int) override {}
};

void start_buoy(merelith::World& world) { world.spawn(std::make_shared<Buoy>(), 0, 0); }
