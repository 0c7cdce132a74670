// anhinga-tiles: the small map tile server as a program.
#include <CLI/CLI.hpp>
#include <atomic>
#include <csignal>
#include <iostream>
#include <thread>

#include "core/base/Text.h"
#include "standin/TileServer.h"

using namespace anhinga;

namespace {
std::atomic<bool> stop_asked{false};
}

int main(int argc, char** argv) try {
    CLI::App app{"Small map tile server on 127.0.0.1: cuts tiles out of a georeferenced picture"};
    TileServerOptions options;
    options.port = 8077;
    double run_for_s = 0;
    app.add_option("PICTURE", options.picture, "georeferenced picture")->required();
    app.add_option("--port", options.port, "TCP port; 0: any that is free")->check(CLI::Range(0, 65535));
    app.add_option("--delay", options.delay_ms, "milliseconds before each answer")->check(CLI::Range(0, 60000));
    app.add_option("--fail-after", options.fail_after, "answer with errors after so many tiles");
    app.add_option("--run-for", run_for_s, "end by itself after so many seconds; 0: never")
        ->check(CLI::Range(0.0, 1e6));
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        return app.exit(e) == 0 ? 0 : 2;
    }
    const auto server = TileServer::start(options);
    if (!server) {
        std::cerr << "anhinga-tiles: " << server.error().message << "\n";
        return 2;
    }
    std::signal(SIGTERM, [](int) { stop_asked = true; });
    std::signal(SIGINT, [](int) { stop_asked = true; });
    std::cout << "serving " << (*server)->pattern() << std::endl;
    const double start_ms = monotonicMs();
    while (!stop_asked && (run_for_s <= 0 || monotonicMs() - start_ms < run_for_s * 1000))
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
    std::cout << (*server)->served() << " tiles served" << std::endl;
    return 0;
} catch (const std::exception& e) {
    std::cerr << "anhinga-tiles: this cannot go on: " << e.what() << "\n";
    return 1;
}
