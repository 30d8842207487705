#pragma once

namespace merelith {

class Sky {
public:
    enum class Weather { Clear, Fog, Gale };

    explicit Sky(int seed) : seed_(seed) {}
    Weather at(int minute) const;

private:
    int seed_;
};

}  // namespace merelith
