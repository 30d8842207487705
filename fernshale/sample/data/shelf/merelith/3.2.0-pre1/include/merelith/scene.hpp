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

struct Scene {
    std::string name;
    std::vector<Pier> piers;
    std::vector<Speech> speeches;
};

// Reads a `.scene` file: one object a line, `kind key="value" ...`; `#` starts a comment line.
// Throws std::runtime_error with file and line on anything it does not know.
Scene load_scene(const std::string& path);

}  // namespace merelith
