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

// Who wants to hear of high water stands here, whatever world it is in.
class TideRegistry {
public:
    using Handler = std::function<void(int minute)>;

    void add(Handler handler) { handlers_.push_back(std::move(handler)); }
    void tell(int minute) const {
        for (const auto& handler : handlers_) handler(minute);
    }

private:
    std::vector<Handler> handlers_;
};

inline TideRegistry& tide_registry() {
    static TideRegistry registry;
    return registry;
}

}  // namespace merelith
