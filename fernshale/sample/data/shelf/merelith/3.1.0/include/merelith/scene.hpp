#pragma once
#include <string>
#include <vector>

#include "merelith/pier.hpp"

namespace merelith {

// A spoken line of a scene: which voice says what at which pier.
struct Speech {
    std::string voice;
    std::string pier;
    int minute = 0;
    std::string text;
};

// A lamp on an arm; the angle is counter-clockwise from north, and x is the foot of the arm.
struct Lamp {
    std::string id;
    int x = 0;
    int arm = 0;
    int angle = 0;

    // Where its light is, and where it shines to, with the clock.
    int tip() const { return x + arm; }
    int bearing() const { return (360 - angle) % 360; }
};

struct Scene {
    std::string name;
    std::string backdrop;
    int bell = -1;
    std::vector<Lamp> lamps;
    std::vector<Pier> piers;
    std::vector<Speech> speeches;
};

// Reads a `.scene` file: one object a line, `kind key="value" ...`; `#` starts a comment line.
// Throws std::runtime_error with file and line on anything it does not know.
Scene load_scene(const std::string& path);

}  // namespace merelith
