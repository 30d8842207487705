#pragma once
// Compiled tables of sums. tools/build_plugin.py makes them from a plugin's `.sums` files, for one release each.
#include <map>
#include <string>

namespace merelith {

class Sums {
public:
    // The part a plugin was built with for this very release. Throws when there is none, or it is another release's.
    static Sums load(const std::string& plugin, const std::string& part);
    // The sum called `name` for `amount`; throws when the part has none of that name.
    int of(const std::string& name, int amount) const;

private:
    struct Sum {
        int factor = 0;
        int base = 0;
    };
    std::map<std::string, Sum> sums_;
};

}  // namespace merelith
