#include "lampwork/glow.hpp"

#include <algorithm>
#include <fstream>

#include "merelith/core.hpp"

namespace lampwork {

Preset load_preset(const std::string& path) {
    std::ifstream file(path);
    Preset preset;
    std::string line;
    while (std::getline(file, line)) {
        const auto sign = line.find('=');
        if (line.empty() || line[0] == '#' || sign == std::string::npos) continue;
        const std::string key = line.substr(0, sign);
        if (key == "name") preset.name = line.substr(sign + 1);
        if (key == "warmth") preset.warmth = std::stoi(line.substr(sign + 1));
        if (key == "reach") preset.reach = std::stoi(line.substr(sign + 1));
    }
    if (preset.name.empty()) merelith::write_warning("lampwork: no preset in " + path);
    return preset;
}

Glow::Glow(Preset preset) : preset_(std::move(preset)) {}

int Glow::at(int minute) const {
    const int at = merelith::util::clamp_minutes(minute);
    const int dark = at < 6 * 60 || at >= 20 * 60 ? 3 : 0;
    return std::clamp(preset_.warmth + dark, 0, 9);
}

}  // namespace lampwork
