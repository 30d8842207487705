#pragma once
#include "merelith/canvas.hpp"

namespace piers {

merelith::MlColour water();
merelith::MlColour planks();
merelith::MlColour lamp();

}  // namespace piers
