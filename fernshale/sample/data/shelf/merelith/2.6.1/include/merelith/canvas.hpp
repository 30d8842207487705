#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace merelith {

struct MlColour {
    std::uint8_t red = 0, green = 0, blue = 0;
};

// A small picture in memory, saved as PPM.
class MlCanvas {
public:
    MlCanvas(int width, int height, MlColour ground);
    void dot(int x, int y, MlColour colour);
    void box(int x, int y, int width, int height, MlColour colour);
    // Each cell becomes `scale` by `scale` points.
    void save(const std::string& path, int scale = 1) const;

private:
    int width_, height_;
    std::vector<MlColour> cells_;
};

}  // namespace merelith
