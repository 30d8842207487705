#pragma once

namespace hullmark {

class Wave {
public:
    explicit Wave(int size) : size_(size) {}
    double crest_height() const { return size_ * 0.5; }

private:
    int size_;
};

}  // namespace hullmark
