#pragma once
#include <string>

namespace merelith {

// One pier as the scene describes it.
struct Pier {
    std::string id;
    std::string name;
    std::string keeper;
    int berths = 1;
    int x = 0;
    int y = 0;
};

}  // namespace merelith
