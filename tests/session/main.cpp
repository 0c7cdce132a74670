// Catch2 with an application around it that has no window and needs no display; settings and data go to a folder of
// their own.
#include <QtGui/QGuiApplication>

#include "RunTests.h"
#include "support.h"

int main(int argc, char** argv) {
    const anhinga::testing::TempDir home;
    for (const char* kind : {"config", "cache", "data"})
        qputenv(QString("XDG_%1_HOME").arg(QString(kind).toUpper()).toUtf8(), QByteArray::fromStdString(home / kind));
    qputenv("QT_QPA_PLATFORM", "offscreen");
    const QGuiApplication app(argc, argv);
    QGuiApplication::setApplicationName("anhinga-tests");
    return anhinga::testing::runTests(argc, argv);
}
