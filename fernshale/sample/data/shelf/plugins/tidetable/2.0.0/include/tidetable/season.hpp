#pragma once

namespace tidetable {

enum class Season { Spring, Summer, Autumn, Winter };

// Opening hours by season. Days count from the first of spring; a year has 360.
class SeasonRules {
public:
    explicit SeasonRules(int day) : day_(day) {}

    Season season() const;
    int opening() const;
    int closing() const;
    bool is_open(int minute) const;

private:
    int day_;
};

}  // namespace tidetable
