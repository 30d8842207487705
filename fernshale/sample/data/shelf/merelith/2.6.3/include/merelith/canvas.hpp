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
    // The same at a point, of whatever kind, that has x and y.
    template <class Point>
    void box_at(const Point& point, int width, int height, MlColour colour) {
        box(point.x, point.y, width, height, colour);
    }
    // Each cell becomes `scale` by `scale` points.
    void save(const std::string& path, int scale = 1) const;

private:
    int width_, height_;
    std::vector<MlColour> cells_;
};

}  // namespace merelith
