#include "app/widgets/Theme.h"

#include <QDir>
#include <QFile>
#include <QFontDatabase>
#include <QStandardPaths>

/// Resources of a static library are not there by themselves. Outside of any namespace, as Qt's macro wants it.
static void initResources() {
    Q_INIT_RESOURCE(app);
}

namespace anhinga {

Theme Theme::light() {
    return {false,     "#F5F2E9", "#FFFFFF", "#1C2830", "#4C595F", "#0B7480",
            "#4E7A33", "#B97A00", "#B93A24", "#6B3A6E", "#40459A", "#B0226E"};
}

Theme Theme::dark() {
    return {true,      "#171D21", "#202930", "#E6E3D8", "#93A1A6", "#35B3BF",
            "#8DBB63", "#F0B53C", "#F0705A", "#C48BC7", "#A9ADF2", "#F07AB8"};
}

QColor Theme::hairline() const {
    const double k = night ? 0.25 : 0.2;
    const auto mix = [&](int a, int b) { return static_cast<int>(a * (1 - k) + b * k); };
    return {mix(panel.red(), ink.red()), mix(panel.green(), ink.green()), mix(panel.blue(), ink.blue())};
}

QColor Theme::attentionInk() const {
    return night ? marigold : QColor("#6E4800");
}
QColor Theme::dangerInk() const {
    return night ? vermilion.lighter(115) : QColor("#8E2815");
}
QColor Theme::goodInk() const {
    return night ? reed : QColor("#335320");
}

void prepareFonts() {
    if (qEnvironmentVariableIsSet("FONTCONFIG_FILE") || !QFile::exists("/etc/fonts/fonts.conf")) return;
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation) + "/anhinga-fonts";
    const QString path = folder + "/fonts.conf";
    QDir().mkpath(folder);
    const QByteArray text =
        "<?xml version=\"1.0\"?>\n<fontconfig>\n<include>/etc/fonts/fonts.conf</include>\n"
        "<selectfont><rejectfont><glob>*/B612Mono-*</glob></rejectfont></selectfont>\n</fontconfig>\n";
    QFile file(path);
    if (!file.open(QIODevice::ReadWrite)) return;
    if (file.readAll() != text) {
        file.resize(0);
        file.write(text);
    }
    file.close();
    qputenv("FONTCONFIG_FILE", path.toUtf8());
}

QFont uiFont(double points, bool bold) {
    static const bool has = QFontDatabase::families().contains("B612");
    QFont font = has ? QFont("B612") : QFont();
    font.setPointSizeF(points);
    font.setBold(bold);
    return font;
}

QFont monoFont(double points) {
    static const QString family = [] {
        const int id = QFontDatabase::addApplicationFont("/usr/share/fonts/opentype/b612/B612Mono-Regular.otf");
        const QStringList names = id < 0 ? QStringList() : QFontDatabase::applicationFontFamilies(id);
        return names.contains("B612 Mono") ? QString("B612 Mono") : QString();
    }();
    QFont font = !family.isEmpty() ? QFont(family) : QFontDatabase::systemFont(QFontDatabase::FixedFont);
    font.setPointSizeF(points);
    return font;
}

void beginResources() {
    initResources();
}

QString Theme::styleSheet() const {
    beginResources();
    QString s = R"(
QMainWindow, QWidget { background: @panel; color: @ink; font-family: "@family"; }
QLabel { background: transparent; }
QLabel[quiet="true"] { color: @quiet; }
QLabel[title="true"] { font-weight: bold; }
QLineEdit, QDoubleSpinBox, QSpinBox, QComboBox, QListView, QTreeView, QListWidget, QPlainTextEdit {
  background: @raised; border: 1px solid @line; border-radius: 3px; padding: 2px 5px; selection-background-color: @lagoon; selection-color: @panel; }
QTableView { selection-background-color: @lagoon; selection-color: @panel; gridline-color: @line; }
QLineEdit:focus, QDoubleSpinBox:focus, QComboBox:focus { border: 1px solid @lagoon; }
QLineEdit[inherited="true"] { border-style: dashed; background: @panel; color: @quiet; }
QComboBox::drop-down { border: none; width: 20px; }
QComboBox::down-arrow { image: url(:/pictures/down-@kind.png); width: 9px; height: 6px; }
QComboBox QAbstractItemView { background: @raised; color: @ink; selection-background-color: @lagoon; selection-color: @panel; }
QPushButton, QToolButton { background: @raised; border: 1px solid @line; border-radius: 4px; padding: 4px 10px; }
QPushButton:hover, QToolButton:hover { border-color: @lagoon; }
QPushButton:pressed, QToolButton:pressed { background: @line; }
QPushButton:checked, QToolButton:checked { background: @ink; color: @panel; }
QPushButton:disabled, QToolButton:disabled { color: @quiet; border-style: dashed; }
QPushButton:focus, QToolButton:focus { border-color: @lagoon; }
QPushButton[primary="true"] { background: @lagoon; color: @panel; border-color: @lagoon; font-weight: bold; }
QPushButton[primary="true"]:disabled { background: @panel; color: @quiet; border-color: @line; font-weight: normal; }
QPushButton[danger="true"] { color: @vermilion; border-color: @vermilion; }
QPushButton[chip="true"] { border-radius: 11px; padding: 3px 10px; }
QPushButton[link="true"] { border: none; background: transparent; color: @lagoon; font-weight: bold; text-align: left; padding: 1px 0; }
QPushButton[step="true"] { border: none; background: transparent; border-radius: 15px; padding: 4px 14px; text-align: left; }
QPushButton[step="true"]:checked { background: @ink; color: @panel; }
QFrame[replayBar="true"] { background: @panel; border: 1px solid @line; border-radius: 6px; }
QToolButton[compact="true"] { padding: 3px 7px; }
QFrame[rule="true"] { background: @line; max-height: 1px; min-height: 1px; border: none; }
QFrame[vrule="true"] { background: @line; max-width: 1px; min-width: 1px; border: none; }
QFrame[card="true"] { background: @raised; border: none; }
QScrollArea { border: none; }
QScrollBar:vertical { background: transparent; width: 8px; } QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QProgressBar { background: @raised; border: 1px solid @line; border-radius: 3px; text-align: center; height: 14px; }
QProgressBar::chunk { background: @lagoon; }
QToolTip { background: @ink; color: @panel; border: none; padding: 3px 6px; }
QMenu { background: @raised; border: 1px solid @line; } QMenu::item:selected { background: @lagoon; color: @panel; }
QSlider::groove:horizontal { height: 4px; background: @line; border-radius: 2px; }
QSlider::handle:horizontal { background: @lagoon; width: 14px; margin: -5px 0; border-radius: 7px; }
)";
    const std::pair<const char*, QColor> roles[] = {
        {"@panel", panel},   {"@raised", raised},       {"@ink", ink},        {"@quiet", quiet},
        {"@lagoon", lagoon}, {"@vermilion", vermilion}, {"@line", hairline()}};
    for (const auto& [name, colour] : roles) s.replace(name, colour.name());
    s.replace("@kind", night ? "night" : "paper");
    s.replace("@family", uiFont(9.5).family());
    return s;
}

}  // namespace anhinga
