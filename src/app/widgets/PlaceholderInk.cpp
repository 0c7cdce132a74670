#include "app/widgets/PlaceholderInk.h"

#include <QtWidgets>

namespace anhinga {

PlaceholderInk::PlaceholderInk(QObject* parent) : QObject(parent) {
    qApp->installEventFilter(this);
}

void PlaceholderInk::setInk(const QColor& ink) {
    ink_ = ink;
    for (QWidget* w : QApplication::allWidgets()) colour(w);
}

void PlaceholderInk::colour(QObject* field) const {
    auto* widget = qobject_cast<QWidget*>(field);
    if (widget == nullptr || !ink_.isValid() ||
        (qobject_cast<QLineEdit*>(widget) == nullptr && qobject_cast<QPlainTextEdit*>(widget) == nullptr))
        return;
    QPalette palette = widget->palette();
    if (palette.color(QPalette::PlaceholderText) == ink_) return;
    palette.setColor(QPalette::PlaceholderText, ink_);
    widget->setPalette(palette);
}

bool PlaceholderInk::eventFilter(QObject* watched, QEvent* event) {
    // Not within the event: the style sheet sets the palette when it is through.
    if ((event->type() == QEvent::Show || event->type() == QEvent::StyleChange) &&
        (qobject_cast<QLineEdit*>(watched) != nullptr || qobject_cast<QPlainTextEdit*>(watched) != nullptr))
        QMetaObject::invokeMethod(
            this, [this, field = QPointer<QObject>(watched)] { colour(field); }, Qt::QueuedConnection);
    return false;
}

}  // namespace anhinga
