#pragma once
#include <string>

namespace merelith {

// A flag that is hoisted at a pier.
struct Flag {
    std::string name;
    int colour = 0;
};

}  // namespace merelith
