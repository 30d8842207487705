#pragma once

namespace merelith {

enum class Weather { Clear, Fog, Gale };

class Sky {
public:
    explicit Sky(int seed) : seed_(seed) {}
    Weather at(int minute) const;

private:
    int seed_;
};

}  // namespace merelith
