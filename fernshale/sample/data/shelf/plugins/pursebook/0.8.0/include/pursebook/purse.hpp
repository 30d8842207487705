#pragma once

namespace pursebook {

// The day's takings, in pence.
class Purse {
public:
    void put(int pence);
    int pence() const { return pence_; }

private:
    int pence_ = 0;
};

}  // namespace pursebook
