#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace merelith {

struct MereColour {
    std::uint8_t red = 0, green = 0, blue = 0;
};

// A small picture in memory, saved as PPM.
class MereCanvas {
public:
    MereCanvas(int width, int height, MereColour ground);
    void dot(int x, int y, MereColour colour);
    void box(int x, int y, int width, int height, MereColour colour);
    // Each cell becomes `scale` by `scale` points.
    void save(const std::string& path, int scale = 1) const;

private:
    int width_, height_;
    std::vector<MereColour> cells_;
};

}  // namespace merelith
