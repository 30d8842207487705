#include "merelith/sums.hpp"

#include <fstream>
#include <stdexcept>

#include "merelith/core.hpp"

namespace merelith {

Sums Sums::load(const std::string& plugin, const std::string& part) {
    const std::string path = "plugins/" + plugin + "/built/" + kRelease + "/" + part + ".tab";
    std::ifstream file(path);
    std::string word, release;
    if (!(file >> word >> release)) throw std::runtime_error(plugin + " was not built for " + kRelease + ": no " + path);
    if (word != "merelith" || release != kRelease) throw std::runtime_error(path + " was built for " + release);
    Sums sums;
    Sum sum;
    while (file >> word >> sum.factor >> sum.base) sums.sums_[word] = sum;
    return sums;
}

int Sums::of(const std::string& name, int amount) const {
    const auto found = sums_.find(name);
    if (found == sums_.end()) throw std::runtime_error("no sum '" + name + "'");
    return found->second.factor * amount + found->second.base;
}

}  // namespace merelith
