#pragma once
// Constants, the log and small time helpers. All times in Merelith are minutes of the day unless a name says otherwise.
#include <string>

namespace merelith {

inline constexpr const char* kRelease = "3.0.2";
inline constexpr int kDayMinutes = 24 * 60;
inline constexpr int kFrameMinutes = 10;
inline constexpr int kPierLimit = 12;

void log_info(const std::string& text);
// Rings the bell of a pier, and tells the log.
void ring_bell(const std::string& pier, int loudness);
void write_warning(const std::string& text);
void set_log_minute(int minute);

namespace timing {
int clamp_minutes(int minutes);
std::string clock_text(int minutes);
}  // namespace timing

}  // namespace merelith
