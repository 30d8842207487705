#pragma once
#include <functional>
#include <vector>

namespace merelith {

class Events {
public:
    using ArrivalHandler = std::function<void(int pier, int minute)>;

    void on_arrival(ArrivalHandler handler) { arrival_.push_back(std::move(handler)); }
    void on_high_water(std::function<void(int minute)> handler) { water_.push_back(std::move(handler)); }
    void high_water(int minute) const {
        for (const auto& handler : water_) handler(minute);
    }
    void arrive(int pier, int minute) const {
        for (const auto& handler : arrival_) handler(pier, minute);
    }

private:
    std::vector<std::function<void(int minute)>> water_;
    std::vector<ArrivalHandler> arrival_;
};

}  // namespace merelith
