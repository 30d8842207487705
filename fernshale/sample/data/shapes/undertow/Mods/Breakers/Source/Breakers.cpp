#include <hullmark/wave.hpp>

namespace breakers {

double height(const hullmark::Wave& wave) {
    return wave.height() * 2.0;
}

}  // namespace breakers
