#pragma once

namespace tidetable {

// Ours: whether the piers lie in fog when the boats should start.
bool is_fog_morning(int day);

}  // namespace tidetable
