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

void MlCanvas::save(const std::string& path) const {
    std::ofstream file(path, std::ios::binary);
    file << "P6\n" << width_ << ' ' << height_ << "\n255\n";
    for (const MlColour& cell : cells_) {
        file.put(static_cast<char>(cell.red));
        file.put(static_cast<char>(cell.green));
        file.put(static_cast<char>(cell.blue));
    }
}

}  // namespace merelith
