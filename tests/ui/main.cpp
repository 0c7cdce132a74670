// Catch2 with a QApplication around it; settings and data go to a folder of their own.
#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

#include <QtWidgets/QtWidgets>

#include "support.h"

int main(int argc, char** argv) {
    const anhinga::testing::TempDir home;
    qputenv("XDG_CONFIG_HOME", QByteArray::fromStdString(home / "config"));
    qputenv("XDG_CACHE_HOME", QByteArray::fromStdString(home / "cache"));
    qputenv("XDG_DATA_HOME", QByteArray::fromStdString(home / "data"));
    // The build lists the tests, perhaps where there is no display; running them needs one.
    for (int i = 1; i < argc; ++i)
        if (QByteArray(argv[i]).startsWith("--list")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    QApplication::setApplicationName("anhinga-tests");
    return Catch::Session().run(argc, argv);
}
