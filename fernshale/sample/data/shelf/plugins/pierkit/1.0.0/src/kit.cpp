#include "pierkit/kit.hpp"

#include <fstream>

namespace pierkit {

int depth_of(const std::string& berth) {
    std::ifstream file("plugins/pierkit/settings/berths.json");
    std::string line;
    while (std::getline(file, line)) {
        const auto depth = line.find("\"depth\": ");
        if (line.find("\"id\": \"" + berth + "\"") == std::string::npos || depth == std::string::npos) continue;
        return std::stoi(line.substr(depth + 9));
    }
    return 0;
}

}  // namespace pierkit
