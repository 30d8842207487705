#include "pursebook/purse.hpp"

#include "merelith/core.hpp"

namespace pursebook {

void Purse::put(int pence) {
    if (pence < 0) merelith::write_warning("pursebook: somebody took money out");
    pence_ += pence;
}

}  // namespace pursebook
