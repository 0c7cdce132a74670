#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

#include "RunTests.h"
#include "world/VirtualClock.h"

namespace anhinga::testing {

int runTests(int argc, char** argv) {
    Catch::Session session;
    if (std::getenv("ANHINGA_SHUFFLE") != nullptr) {
        session.configData().runOrder = Catch::RunTests::InRandomOrder;
        session.configData().rngSeed = testSeed();
    }
    return session.run(argc, argv);
}

}  // namespace anhinga::testing
