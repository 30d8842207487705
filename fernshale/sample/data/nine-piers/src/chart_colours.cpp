#include "chart_colours.hpp"

namespace piers {

merelith::MlColour water() { return {38, 66, 74}; }
merelith::MlColour planks() { return {150, 120, 84}; }
merelith::MlColour lamp() { return {240, 214, 130}; }

}  // namespace piers
