#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace merelith {

struct MereColour {
    std::uint8_t red = 0, green = 0, blue = 0;
};

// A place on a canvas, made from anything that has x and y.
struct Spot {
    template <class Point>
    explicit Spot(const Point& point) : x(point.x), y(point.y) {}
    int x, y;
};

// A small picture in memory, saved as PPM.
class MereCanvas {
public:
    MereCanvas(int width, int height, MereColour ground);
    void dot(int x, int y, MereColour colour);
    void box(int x, int y, int width, int height, MereColour colour);
    void box_at(Spot spot, int width, int height, MereColour colour) { box(spot.x, spot.y, width, height, colour); }
    // Each cell becomes `scale` by `scale` points.
    void save(const std::string& path, int scale = 2) const;

private:
    int width_, height_;
    std::vector<MereColour> cells_;
};

}  // namespace merelith
