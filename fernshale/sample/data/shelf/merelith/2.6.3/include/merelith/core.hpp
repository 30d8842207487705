#pragma once
// Constants, the log and small time helpers. All times in Merelith are minutes of the day unless a name says otherwise.
#include <string>

namespace merelith {

inline constexpr const char* kRelease = "2.6.3";
inline constexpr int kDayMinutes = 24 * 60;
inline constexpr int kFrameMinutes = 10;
inline constexpr int kMaxPiers = 12;

void write_log(const std::string& text);
// Rings the bell of a pier, and tells the log.
void ring_bell(const std::string& pier, int loudness, bool echo);
void write_warning(const std::string& text);
void set_log_minute(int minute);

// Forces pending pier updates out. Only needed after changing berths by hand.
void flush_piers();

namespace util {
int clamp_minutes(int minutes);
std::string clock_text(int minutes);
}  // namespace util

}  // namespace merelith
