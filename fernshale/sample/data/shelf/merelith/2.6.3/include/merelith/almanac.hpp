#pragma once
// When the water is high. Tides come every 745 minutes.

namespace merelith {

class Almanac {
public:
    explicit Almanac(int seed);

    // Minute of the first high water at or after `minute`.
    int next_tide(int minute) const;
    // Minute of the last high water before `minute`; negative when that was yesterday.
    int last_tide(int minute) const;
    // Hour of the day's first high water.
    int first_tide(int day) const;

private:
    int offset_;
};

}  // namespace merelith
