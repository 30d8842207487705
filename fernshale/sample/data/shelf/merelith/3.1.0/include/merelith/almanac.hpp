#pragma once
// When the water is high. Tides come every 745 minutes.

namespace merelith {

class Almanac {
public:
    explicit Almanac(int seed);

    // Minute of the first high water at or after `minute`.
    int tide_after(int minute) const;
    // Minute of the last high water before `minute`; negative when that was yesterday.
    int tide_before(int minute) const;
    // Minute of the day's first high water.
    int first_tide(int day) const;

private:
    int offset_;
};

}  // namespace merelith
