#include "merelith/scene.hpp"

#include <fstream>
#include <map>
#include <stdexcept>

namespace merelith {

namespace {

using Fields = std::map<std::string, std::string>;

[[noreturn]] void fail(const std::string& path, int line, const std::string& what) {
    throw std::runtime_error(path + ":" + std::to_string(line) + ": error: " + what);
}

// Reads `key="value"` pairs from `text`, starting at `at`.
Fields read_fields(const std::string& text, std::size_t at, const std::string& path, int line) {
    Fields fields;
    while ((at = text.find_first_not_of(' ', at)) != std::string::npos) {
        const auto equals = text.find("=\"", at);
        if (equals == std::string::npos) fail(path, line, "expected key=\"value\"");
        const auto end = text.find('"', equals + 2);
        if (end == std::string::npos) fail(path, line, "a value is not closed");
        fields[text.substr(at, equals - at)] = text.substr(equals + 2, end - equals - 2);
        at = end + 1;
    }
    return fields;
}

int number(const Fields& fields, const std::string& key) {
    const auto found = fields.find(key);
    return found == fields.end() ? 0 : std::stoi(found->second);
}

}  // namespace

Scene load_scene(const std::string& path) {
    std::ifstream file(path);
    if (!file) throw std::runtime_error(path + ": cannot be read");
    Scene scene;
    std::string text;
    for (int line = 1; std::getline(file, text); ++line) {
        if (text.empty() || text[0] == '#') continue;
        const auto space = text.find(' ');
        const std::string kind = text.substr(0, space);
        Fields fields = read_fields(text, space == std::string::npos ? text.size() : space, path, line);
        if (kind == "scene") {
            scene.name = fields["name"];
        } else if (kind == "pier") {
            Pier pier;
            pier.id = fields["id"];
            pier.name = fields["name"];
            pier.keeper = fields["keeper"];
            pier.berths = number(fields, "berths");
            pier.x = number(fields, "x");
            pier.y = number(fields, "y");
            scene.piers.push_back(pier);
        } else if (kind == "speech") {
            scene.speeches.push_back({fields["voice"], fields["pier"], number(fields, "minute"), fields["text"]});
        } else if (kind == "backdrop") {
            scene.backdrop = fields["picture"];
        } else if (kind == "lamp") {
            scene.lamps.push_back({fields["id"], number(fields, "x"), number(fields, "arm"), number(fields, "angle")});
        } else if (kind == "bell") {
            scene.bell = number(fields, "minute");
        } else {
            fail(path, line, "unknown object '" + kind + "'");
        }
    }
    return scene;
}

}  // namespace merelith
