#include <clocale>
#include <cstdio>
#include <cstdlib>

#include "RunTests.h"

/// ANHINGA_TEST_LOCALE: all is to be the same in that locale, which must be there.
int main(int argc, char** argv) {
    if (const char* locale = std::getenv("ANHINGA_TEST_LOCALE");
        locale != nullptr && std::setlocale(LC_ALL, locale) == nullptr) {
        std::fprintf(stderr, "there is no locale %s\n", locale);
        return 1;
    }
    std::setlocale(LC_MESSAGES, "C");  // what the system says is compared in some tests
    return anhinga::testing::runTests(argc, argv);
}
