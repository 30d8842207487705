#pragma once
#include <string>

namespace pierkit {

// What the kit's settings say of a kind of berth; 0 where it has none of that name.
int depth_of(const std::string& berth);

}  // namespace pierkit
