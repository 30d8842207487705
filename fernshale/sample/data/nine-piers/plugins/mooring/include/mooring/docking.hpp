#pragma once

namespace mooring {

// Fathoms of line for a pier with so many berths, and how many fenders.
int line_length(int berths);
int fenders(int berths);

}  // namespace mooring
