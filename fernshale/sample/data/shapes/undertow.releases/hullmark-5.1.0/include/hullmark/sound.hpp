#pragma once

#include <string>

namespace hullmark {

class Sound {
public:
    explicit Sound(const std::string& name) : name_(name) {}
    void play() {}

private:
    std::string name_;
};

}  // namespace hullmark
