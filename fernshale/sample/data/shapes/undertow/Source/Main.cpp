#include <cstdio>

#include <hullmark/wave.hpp>

#include "Release.hpp"

int main() {
    hullmark::Wave wave(3);
    std::printf("%s on %s: %.1f\n", UNDERTOW_VERSION, HULLMARK_RELEASE, wave.height());
    return 0;
}
