#include "gullvoice/speaker.hpp"

namespace gullvoice {

void speak(merelith::World& world, const Cast& cast, const std::string& voice, const std::string& text) {
    const int pitch = cast.pitch(voice);
    if (text.empty()) return;
    if (pitch == 0) {
        merelith::write_warning("gullvoice: no voice '" + voice + "' in the cast");
        return;
    }
    merelith::write_log("gullvoice: " + voice + " speaks");
    world.report("  " + voice + ", pitch " + std::to_string(pitch) + ": " + text);
}

}  // namespace gullvoice
