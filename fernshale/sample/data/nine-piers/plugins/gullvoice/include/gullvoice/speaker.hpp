#pragma once
#include <string>

#include "gullvoice/cast.hpp"
#include "merelith/world.hpp"

namespace gullvoice {

// Speaks a line into the world's report; an empty one is not spoken.
void speak(merelith::World& world, const Cast& cast, const std::string& voice, const std::string& text);

}  // namespace gullvoice
