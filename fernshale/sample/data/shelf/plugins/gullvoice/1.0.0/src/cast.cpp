#include "gullvoice/cast.hpp"

#include <fstream>
#include <stdexcept>

namespace gullvoice {

void Cast::load(const std::string& path) {
    std::ifstream file(path);
    if (!file) throw std::runtime_error(path + ": cannot be read");
    std::string line;
    while (std::getline(file, line)) {
        const auto id = line.find("\"id\": \"");
        const auto pitch = line.find("\"pitch\": ");
        if (id == std::string::npos || pitch == std::string::npos) continue;
        const auto end = line.find('"', id + 7);
        pitches_[line.substr(id + 7, end - id - 7)] = std::stoi(line.substr(pitch + 9));
    }
}

int Cast::pitch(const std::string& voice) const {
    const auto found = pitches_.find(voice);
    return found == pitches_.end() ? 0 : found->second;
}

}  // namespace gullvoice
