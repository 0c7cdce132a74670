// The command line program, run as whoever types runs it.
#pragma once

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "support.h"

namespace anhinga::testing {

using Json = nlohmann::json;

struct Ran {
    int code;
    std::string out, err;
    Json json() const {
        const Json j = Json::parse(out, nullptr, false);
        REQUIRE_FALSE(j.is_discarded());
        return j;
    }
};
inline Ran cli(const std::string& arguments) {
    static TempDir dir;
    const std::string command =
        std::string(BIN_DIR) + "/anhinga-cli " + arguments + " >" + (dir / "out") + " 2>" + (dir / "err");
    const int status = std::system(command.c_str());
    return {WEXITSTATUS(status), slurp(dir / "out"), slurp(dir / "err")};
}
inline const std::string kPatrol = std::string(DEMO_DIR) + "/patrol.anhinga.geojson";

}  // namespace anhinga::testing
