#include "merelith/game.hpp"

void start_harbour(merelith::World&);
void start_timetable(merelith::World&);
void start_fog_bell(merelith::World&);
void start_tide_gauge(merelith::World&);
void start_voices(merelith::World&);
void start_lights(merelith::World&);
void start_passengers(merelith::World&);
void start_day_ledger(merelith::World&);
void start_map_view(merelith::World&);

namespace merelith {

static const StartEntry table[] = {
    {"harbour", start_harbour},
    {"timetable", start_timetable},
    {"fog_bell", start_fog_bell},
    {"tide_gauge", start_tide_gauge},
    {"voices", start_voices},
    {"lights", start_lights},
    {"passengers", start_passengers},
    {"day_ledger", start_day_ledger},
    {"map_view", start_map_view},
};

const StartEntry* start_table(int& count) {
    count = static_cast<int>(sizeof table / sizeof table[0]);
    return table;
}

}  // namespace merelith
