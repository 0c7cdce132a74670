// The cases of a test program, run as its command line says.
#pragma once

namespace anhinga::testing {

/// In the order in which they stand in their file; where ANHINGA_SHUFFLE is set, in an order that follows from the
/// seed.
/// @returns what main() returns.
int runTests(int argc, char** argv);

}  // namespace anhinga::testing
