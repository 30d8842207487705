#pragma once

// From a small library of somebody else's, as it is handed round.
namespace geo {

struct Point {
    int x = 0;
    int y = 0;
};

}  // namespace geo
