#include "app/field/PilotSticks.h"

#include <QPainter>

namespace anhinga {

PilotSticks::PilotSticks(QWidget* parent) : QWidget(parent) {
    setObjectName("pilot sticks");
    setFixedHeight(54);
    setToolTip("What the aircraft hears of the pilot's transmitter: left yaw and throttle, right roll and pitch");
}

void PilotSticks::setTheme(const Theme& theme) {
    theme_ = theme;
    update();
}

void PilotSticks::show(const PilotInput& input) {
    input_ = input;
    setAccessibleDescription(text());
    update();
}

QString PilotSticks::text() const {
    if (!input_.heard) return "Pilot's transmitter: not heard";
    QString line = "Pilot's transmitter";
    if (input_.rssi_percent) line += QString(" · signal %1 %").arg(*input_.rssi_percent);
    if (!input_.mode_position) return line + QString("\nmode switch: channel %1 is not heard").arg(input_.mode_channel);
    line += QString("\nmode switch: position %1").arg(*input_.mode_position);
    if (!input_.mode.empty()) line += ", " + QString::fromStdString(input_.mode);
    if (!input_.mode_channel_known) line += QString(" (channel %1, if it is the usual one)").arg(input_.mode_channel);
    return line;
}

void PilotSticks::paintStick(QPainter& p, const QRectF& box, std::optional<double> across,
                             std::optional<double> along) const {
    p.setPen(QPen(theme_.hairline(), 1));
    p.setBrush(theme_.raised);
    p.drawRoundedRect(box, 3, 3);
    p.drawLine(QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom()));
    p.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()));
    if (!across || !along) return;
    const double reach = box.width() / 2 - 6;
    const QPointF at = box.center() + QPointF(*across * reach, -*along * reach);
    p.setPen(QPen(theme_.ink, 1.5));
    p.drawLine(box.center(), at);
    p.setBrush(input_.sticksMoved() ? theme_.marigold : theme_.ink);
    p.drawEllipse(at, 4.5, 4.5);
}

void PilotSticks::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const double side = height() - 6;
    const auto throttle = input_.throttle ? std::optional(2 * *input_.throttle - 1) : std::nullopt;
    if (!input_.heard) p.setOpacity(0.5);
    paintStick(p, {1, 3, side, side}, input_.yaw, throttle);
    paintStick(p, {side + 7, 3, side, side}, input_.roll, input_.pitch ? std::optional(-*input_.pitch) : std::nullopt);
    p.setOpacity(1);
    p.setPen(input_.heard ? theme_.ink : theme_.quiet);
    p.setFont(uiFont(8.5));
    p.drawText(QRectF(2 * side + 18, 0, width() - 2 * side - 18, height()),
               Qt::AlignVCenter | Qt::AlignLeft | Qt::TextWordWrap, text());
}

}  // namespace anhinga
