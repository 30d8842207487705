#pragma once
#include <string>

namespace merelith {

class World;

// Something that lives in the world and is called once a frame.
class Actor {
public:
    virtual ~Actor() = default;
    virtual std::string name() const = 0;
    virtual void on_tick(World& world, int minute) = 0;
    // Called when the day is over.
    virtual void settle(World& world);
    // Called once a day, when it gets dark.
    virtual void on_dusk(World& world);
    // Called when the actor has moored.
    virtual void on_moor(World& world, int berth);
};

}  // namespace merelith
