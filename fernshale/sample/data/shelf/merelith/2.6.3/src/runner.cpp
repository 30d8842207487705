// The headless runner: starts the game's modules, runs one day, writes report and frame times.
#include <chrono>
#include <cstdio>
#include <exception>
#include <fstream>
#include <string>

#include "merelith/game.hpp"

int main(int argc, char** argv) {
    using Clock = std::chrono::steady_clock;
    std::string out = ".";
    for (int index = 1; index + 1 < argc; ++index) {
        if (std::string(argv[index]) == "--out") out = argv[index + 1];
    }
    merelith::World world(4);
    world.set_out_folder(out);
    merelith::write_log(std::string("Merelith ") + merelith::kRelease);
    try {
        int count = 0;
        const merelith::StartEntry* table = merelith::start_table(count);
        for (int index = 0; index < count; ++index) {
            merelith::write_log(std::string("start ") + table[index].name);
            table[index].start(world);
        }
        const auto before = Clock::now();
        world.run_day();
        const std::chrono::duration<double, std::milli> spent = Clock::now() - before;
        std::ofstream times(out + "/frame-times.csv");
        times << "frames,milliseconds\n" << merelith::kDayMinutes / merelith::kFrameMinutes << ',' << spent.count() << '\n';
    } catch (const std::exception& error) {
        merelith::write_warning(std::string("stopped: ") + error.what());
        return 1;
    }
    std::ofstream report(out + "/day-report.txt");
    for (const std::string& line : world.report_lines()) report << line << '\n';
    merelith::write_log("day finished");
    return 0;
}
