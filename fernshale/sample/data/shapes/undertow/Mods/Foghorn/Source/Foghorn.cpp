#include <hullmark/sound.hpp>

namespace foghorn {

void blow() {
    hullmark::Sound sound("horn");
    sound.play();
}

}  // namespace foghorn
