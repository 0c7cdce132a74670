// anhinga-cli as a program.
#pragma once

namespace anhinga {

/// The whole program: parses, runs, prints; returns the exit code.
int runCli(int argc, char** argv);

}  // namespace anhinga
