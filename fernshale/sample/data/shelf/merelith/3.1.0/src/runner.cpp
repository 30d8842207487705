// The headless runner: starts the game's modules, runs one day, writes report and frame times.
#include <cstdio>
#include <exception>
#include <fstream>
#include <string>

#include "merelith/game.hpp"

int main(int argc, char** argv) {
    std::string out = ".";
    for (int index = 1; index + 1 < argc; ++index) {
        if (std::string(argv[index]) == "--out") out = argv[index + 1];
    }
    merelith::World world(4);
    world.set_out_folder(out);
    merelith::log_info(std::string("Merelith ") + merelith::kRelease);
    try {
        for (const merelith::StartEntry& entry : merelith::start_entries()) {
            merelith::log_info(std::string("start ") + entry.name);
            entry.start(world);
        }
        world.run_day();
        std::ofstream times(out + "/frame-times.csv");
        times << "frame,milliseconds\n";
        for (std::size_t frame = 0; frame < world.frame_times().size(); ++frame) {
            times << frame << ',' << world.frame_times()[frame] << '\n';
        }
    } catch (const std::exception& error) {
        merelith::log_warning(std::string("stopped: ") + error.what());
        return 1;
    }
    std::ofstream report(out + "/day-report.txt");
    for (const std::string& line : world.report_lines()) report << line << '\n';
    report << "end of day, all moored\n";
    merelith::log_info("day finished");
    return 0;
}
