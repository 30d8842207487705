#pragma once
#include <string>

namespace lampwork {

// How a lamp glows: its warmth, and how far it reaches in fog.
struct Preset {
    std::string name;
    int warmth = 0;
    int reach = 0;
};

// Reads a `.glow` file: `key=value` lines, `#` starts a comment.
Preset load_preset(const std::string& path);

class Glow {
public:
    explicit Glow(Preset preset);
    // Strength at a minute of the day, 0 to 9.
    int at(int minute) const;
    const Preset& preset() const { return preset_; }

private:
    Preset preset_;
};

}  // namespace lampwork
