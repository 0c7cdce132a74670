#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

#include "Order.h"

int main(int argc, char** argv) {
    Catch::Session session;
    anhinga::testing::orderBySeed(session);
    return session.run(argc, argv);
}
