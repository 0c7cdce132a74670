// Colours and style sheet of the two themes. Roles, not colours, are used everywhere else.
#pragma once

#include <QColor>
#include <QFont>
#include <QString>

namespace anhinga {

struct Theme {
    bool night = false;
    QColor panel, raised, ink, quiet, lagoon, reed, marigold, vermilion, plum;
    QColor iris;     // the battery
    QColor fuchsia;  // the shared cursor, and what is pointed at

    static Theme light();
    static Theme dark();
    /// Hairlines and borders: ink thinned on the panel.
    QColor hairline() const;
    /// For figures and warnings in words: readable in sunlight (7:1 on the light panel).
    QColor attentionInk() const;
    QColor dangerInk() const;
    QColor goodInk() const;
    QString styleSheet() const;
};

/// To be called before the application object: the B612 package's mono faces also call themselves "B612"; a font
/// configuration of our own leaves them out (monoFont() loads what it needs by hand).
void prepareFonts();
/// Makes the program's own files (":/world/...", ":/pictures/...") readable; any number of times, from any thread.
void beginResources();
/// B612, or the system's font where it is missing.
QFont uiFont(double points, bool bold = false);
/// B612 Mono for coordinates and axes.
QFont monoFont(double points);

}  // namespace anhinga
