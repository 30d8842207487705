#include "mooring/docking.hpp"

#include "merelith/sums.hpp"

namespace mooring {

namespace {

// Read when it is first needed; the table is made by Merelith's plugin build tool.
const merelith::Sums& sums() {
    static const merelith::Sums loaded = merelith::Sums::load("mooring", "docking");
    return loaded;
}

}  // namespace

int line_length(int berths) { return sums().of("line_length", berths); }
int fenders(int berths) { return sums().of("fenders", berths); }

}  // namespace mooring
