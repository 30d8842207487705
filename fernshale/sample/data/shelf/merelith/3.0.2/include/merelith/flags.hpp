// Kept for sources that include it once; the one for everybody is merelith/signals/flags.hpp.
#include <string>

namespace merelith {

// A flag that is hoisted at a pier.
struct Flag {
    std::string name;
    int colour = 0;
};

}  // namespace merelith
