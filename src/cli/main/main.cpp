#include "cli/Program.h"

int main(int argc, char** argv) {
    return anhinga::runCli(argc, argv);
}
