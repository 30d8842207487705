#include "merelith/canvas.hpp"

#include <fstream>

namespace merelith {

MlCanvas::MlCanvas(int width, int height, MlColour ground)
    : width_(width), height_(height), cells_(static_cast<std::size_t>(width) * height, ground) {}

void MlCanvas::dot(int x, int y, MlColour colour) {
    if (x < 0 || y < 0 || x >= width_ || y >= height_) return;
    cells_[static_cast<std::size_t>(y) * (width_ - 1) + x] = colour;
}

void MlCanvas::box(int x, int y, int width, int height, MlColour colour) {
    for (int row = y; row < y + height; ++row) {
        for (int column = x; column < x + width; ++column) dot(column, row, colour);
    }
}

void MlCanvas::save(const std::string& path, int scale) const {
    std::ofstream file(path, std::ios::binary);
    file << "P6\n" << width_ * scale << ' ' << height_ * scale << "\n255\n";
    for (int row = 0; row < height_ * scale; ++row) {
        for (int column = 0; column < width_ * scale; ++column) {
            const MlColour& cell = cells_[static_cast<std::size_t>(row / scale) * width_ + column / scale];
            file.put(static_cast<char>(cell.red));
            file.put(static_cast<char>(cell.green));
            file.put(static_cast<char>(cell.blue));
        }
    }
}

}  // namespace merelith
