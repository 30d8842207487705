#pragma once
#include <string>
#include <utility>

namespace merelith {

// A place to moor. A berth is taken until a minute and free again from then on.
class Berth {
public:
    // Throws std::invalid_argument when there is no place at all.
    static Berth make(std::string pier, int places);

    const std::string& pier() const { return pier_; }
    int places() const { return places_; }
    bool is_free(int minute) const { return minute >= taken_until_; }
    void take(int until_minute) { taken_until_ = until_minute; }
    int free_at() const { return taken_until_; }

private:
    Berth(std::string pier, int places) : pier_(std::move(pier)), places_(places) {}

    std::string pier_;
    int places_;
    int taken_until_ = 0;
};

}  // namespace merelith
