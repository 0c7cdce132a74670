#include "RunTests.h"

int main(int argc, char** argv) {
    return anhinga::testing::runTests(argc, argv);
}
