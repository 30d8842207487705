#pragma once
#include <string>

namespace merelith {

class World;

// Number of a berth; no longer mistaken for a pier or a minute.
struct BerthId {
    int value = 0;
    explicit BerthId(int number) : value(number) {}
    operator int() const { return value; }
};

// Something that lives in the world and is called once a frame.
class Actor {
public:
    virtual ~Actor() = default;
    virtual std::string name() const = 0;
    // One line on what this is, for the inspector.
    virtual std::string describe() const = 0;
    virtual void on_tick(World& world, int minute) = 0;
    // Whether it is called between ten at night and five in the morning; those that sleep are not.
    virtual bool wakes_at_night() const { return false; }
    // Called when the day is over. Reserved: override on_settle.
    virtual void settle(World& world) final;
    virtual void on_settle(World& world);
    // Called once a day, when it gets dark.
    virtual void on_nightfall(World& world);
    // Called when the actor has moored.
    virtual void on_moor(World& world, BerthId berth);
};

}  // namespace merelith
