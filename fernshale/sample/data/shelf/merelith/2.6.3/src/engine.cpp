#include <cstdio>
#include <cstdlib>

#include "merelith/actor.hpp"
#include "merelith/almanac.hpp"
#include "merelith/core.hpp"
#include "merelith/weather.hpp"

namespace merelith {

namespace {
constexpr int kTidePeriod = 745;
int log_minute = 0;

void write(const char* level, const std::string& text) {
    std::printf("[%s] %s %s\n", util::clock_text(log_minute).c_str(), level, text.c_str());
}
}  // namespace

void set_log_minute(int minute) { log_minute = minute; }
void write_log(const std::string& text) { write("info", text); }
void ring_bell(const std::string& pier, int loudness, bool) {
    write("info", "bell of " + pier + " rings, loudness " + std::to_string(loudness));
}
void write_warning(const std::string& text) { write("warning", text); }
void flush_piers() {}

namespace util {
int clamp_minutes(int minutes) {
    if (minutes < 0) return 0;
    return minutes >= kDayMinutes ? kDayMinutes - 1 : minutes;
}

std::string clock_text(int minutes) {
    char text[32];
    std::snprintf(text, sizeof text, "%02d:%02d", minutes / 60, minutes % 60);
    return text;
}
}  // namespace util

Almanac::Almanac(int seed) : offset_(180 + seed % 7 * 20) {}

int Almanac::next_tide(int minute) const {
    int tide = offset_;
    while (tide < minute) tide += kTidePeriod;
    return tide;
}

int Almanac::last_tide(int minute) const { return next_tide(minute) - kTidePeriod; }

int Almanac::first_tide(int day) const { return (offset_ + day % 14 * 50) % kTidePeriod / 60; }

Weather Sky::at(int minute) const {
    const int mood = (minute / 60 * 7 + seed_ * 3) % 11;
    if (mood < 2) return Weather::Fog;
    return mood == 9 ? Weather::Gale : Weather::Clear;
}

void Actor::settle(World&) {}

void Actor::on_dusk(World&) {}

void Actor::on_moor(World&, int) {}

}  // namespace merelith
