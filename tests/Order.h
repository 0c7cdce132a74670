// The order in which the cases of a file run.
#pragma once

#include <catch2/catch.hpp>

#include "world/VirtualClock.h"

namespace anhinga::testing {

/// As they stand in the file; where ANHINGA_SHUFFLE is set, in an order that follows from the seed.
inline void orderBySeed(Catch::Session& session) {
    if (std::getenv("ANHINGA_SHUFFLE") == nullptr) return;
    session.configData().runOrder = Catch::RunTests::InRandomOrder;
    session.configData().rngSeed = testSeed();
}

}  // namespace anhinga::testing
