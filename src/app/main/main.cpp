// anhinga [FILE...]: the application.
#include <QApplication>
#include <QCommandLineParser>
#include <QTimer>
#include <cstdio>

#include "app/map/MapView.h"
#include "app/shell/MainWindow.h"
#include "core/base/File.h"
#include "core/base/Memory.h"
#include "core/base/Text.h"

namespace {
/// What nobody expected in the answer to a click or key ends that answer, not the program: what is open is kept.
class Application : public QApplication {
  public:
    using QApplication::QApplication;
    anhinga::MainWindow* window = nullptr;
    bool notify(QObject* receiver, QEvent* event) override {
        try {
            return QApplication::notify(receiver, event);
        } catch (const std::exception& e) {
            std::fprintf(stderr, "anhinga: this went wrong: %s\n", e.what());
            if (window != nullptr) {
                window->autosave();
                window->say(QString("This went wrong inside the program: %1. What is open is kept; save it and start "
                                    "anew")
                                .arg(e.what()));
            }
            return false;
        }
    }
};
}  // namespace

int main(int argc, char** argv) try {
    const double start = anhinga::monotonicMs();
    anhinga::writeErrorsNotSignals();
    anhinga::keepFreedMemory();
    anhinga::prepareFonts();
    Application app(argc, argv);
    QApplication::setApplicationName("anhinga");
    QApplication::setApplicationVersion("0.1.0");
    QCommandLineParser parser;
    parser.setApplicationDescription("Plan, rehearse, fly and review drone missions");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("FILE", "plans and logs to open", "[FILE...]");
    parser.addOption({"timing", "print milliseconds from start to a usable window"});
    parser.addOption({"connect", "connect to this link at once", "ADDRESS"});
    parser.addOption({"workspace", "draft, rehearse, field or debrief", "NAME"});
    parser.addOption({"theme", "light or night", "NAME"});
    parser.process(app);

    anhinga::MainWindow window;
    app.window = &window;
    if (parser.isSet("theme")) window.setNight(parser.value("theme") == "night");
    if (parser.positionalArguments().isEmpty() && !parser.isSet("workspace")) window.showStart();
    window.show();
    const bool timing = parser.isSet("timing");
    for (const QString& file : parser.positionalArguments()) window.openFile(file);
    if (timing)
        QTimer::singleShot(0, &window, [&] {
            window.map().repaint();
            std::printf("usable window after %.0f ms\n", anhinga::monotonicMs() - start);
            std::fflush(stdout);
        });
    if (parser.isSet("connect"))
        if (const auto ok = window.link().connectTo(parser.value("connect")); !ok)
            std::fprintf(stderr, "%s\n", ok.error().message.c_str());
    const QStringList names{"draft", "rehearse", "field", "debrief"};
    if (const auto i = names.indexOf(parser.value("workspace")); i >= 0)
        window.setWorkspace(static_cast<anhinga::Workspace>(i));
    QTimer::singleShot(0, &window, [&] { window.recover(); });
    const int code = QApplication::exec();
    app.window = nullptr;
    return code;
} catch (const std::exception& e) {
    std::fprintf(stderr, "anhinga: this cannot go on: %s\n", e.what());
    return 1;
}
