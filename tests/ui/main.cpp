// Catch2 with a QApplication around it; settings and data go to a folder of their own.
#include <QtWidgets/QtWidgets>

#include "RunTests.h"
#include "app/widgets/Theme.h"
#include "support.h"

#ifdef ANHINGA_KEEP_LIBRARIES
// What a graphics driver keeps is told from a leak by the driver's name, which is gone once the driver is unloaded.
extern "C" int dlclose(void*) {
    return 0;
}
#endif

int main(int argc, char** argv) {
    const anhinga::testing::TempDir home;
    for (const char* kind : {"config", "cache", "data"})
        qputenv(QString("XDG_%1_HOME").arg(QString(kind).toUpper()).toUtf8(), QByteArray::fromStdString(home / kind));
    // The build lists the tests, perhaps where there is no display; running them needs one.
    for (int i = 1; i < argc; ++i)
        if (QByteArray(argv[i]).startsWith("--list")) qputenv("QT_QPA_PLATFORM", "offscreen");
    anhinga::prepareFonts();  // as the program itself does
    QApplication app(argc, argv);
    QApplication::setApplicationName("anhinga-tests");
    return anhinga::testing::runTests(argc, argv);
}
