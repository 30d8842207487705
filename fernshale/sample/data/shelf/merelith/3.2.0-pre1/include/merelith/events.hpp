#pragma once
#include <functional>
#include <vector>

namespace merelith {

// What is known of an arrival.
struct Arrival {
    int pier = 0;
    int minute = 0;
};

class Events {
public:
    using ArrivalHandler = std::function<void(const Arrival&)>;

    void on_arrival(ArrivalHandler handler) { arrival_.push_back(std::move(handler)); }
    void arrive(int pier, int minute) const {
        for (const auto& handler : arrival_) handler(Arrival{pier, minute});
    }

private:
    std::vector<ArrivalHandler> arrival_;
};

}  // namespace merelith
