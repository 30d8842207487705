#pragma once
#include <string>
#include <utility>

namespace merelith {

// One pier as the scene describes it. Keepers change with the watch, so the keeper is asked for.
class Pier {
public:
    std::string id;
    std::string name;
    int berths = 1;
    int x = 0;
    int y = 0;

    const std::string& keeper() const { return keeper_; }
    void set_keeper(std::string keeper) { keeper_ = std::move(keeper); }

private:
    std::string keeper_;
};

}  // namespace merelith
