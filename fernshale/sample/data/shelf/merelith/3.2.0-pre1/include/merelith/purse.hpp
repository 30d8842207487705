#pragma once

namespace merelith {

// Money taken in during the day, in pence.
class Purse {
public:
    void put(int pence) { pence_ += pence; }
    int pence() const { return pence_; }

private:
    int pence_ = 0;
};

}  // namespace merelith
