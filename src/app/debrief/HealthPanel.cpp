#include "app/debrief/HealthPanel.h"

#include <QtWidgets>

namespace anhinga {

namespace {
QString text(const std::string& s) {
    return QString::fromStdString(s).toHtmlEscaped();
}
}  // namespace

HealthPanel::HealthPanel(ReviewSession* review, QWidget* parent) : QWidget(parent), review_(review) {
    setObjectName("health report");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 8, 0, 0);
    column->setSpacing(4);
    summary_ = new QLabel;
    summary_->setObjectName("health summary");
    summary_->setWordWrap(true);
    summary_->setFont(uiFont(10, true));
    column->addWidget(summary_);
    begin_ = new QPushButton("Work it out");
    begin_->setObjectName("begin diagnosis");
    connect(begin_, &QPushButton::clicked, this, &HealthPanel::diagnosisWanted);
    column->addWidget(begin_);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    inner_ = new QWidget;
    cards_ = new QVBoxLayout(inner_);
    cards_->setContentsMargins(0, 2, 10, 10);
    cards_->setSpacing(6);
    cards_->addStretch(1);
    scroll->setWidget(inner_);
    column->addWidget(scroll, 1);
    connect(review_, &ReviewSession::healthChanged, this, &HealthPanel::refresh);
    refresh();
}

void HealthPanel::setTheme(const Theme& theme) {
    theme_ = theme;
    refresh();
}

QString HealthPanel::summary() const {
    if (!review_->log()) return "No log open";
    if (review_->diagnosing()) return "Health report: working it out …";
    if (review_->waitsForDiagnosis()) return "A large log: the health report reads all of it";
    const auto& answers = review_->health();
    const int bad = count(answers, Verdict::bad), attention = count(answers, Verdict::attention),
              unknown = count(answers, Verdict::unknown);
    if (answers.empty()) return "No health report";
    QStringList parts;
    if (bad > 0) parts << QString("%1 bad").arg(bad);
    if (attention > 0) parts << QString("%1 attention").arg(attention);
    if (parts.isEmpty()) parts << "Nothing stands out";
    if (unknown > 0) parts << QString("%1 of %2 unknown").arg(unknown).arg(answers.size());
    return parts.join(" · ");
}

void HealthPanel::refresh() {
    summary_->setText(summary());
    begin_->setVisible(review_->waitsForDiagnosis());
    while (cards_->count() > 1) {
        QLayoutItem* item = cards_->takeAt(0);
        if (item->widget() != nullptr) item->widget()->deleteLater();
        delete item;
    }
    for (std::size_t i = 0; i < review_->health().size(); ++i)
        cards_->insertWidget(static_cast<int>(i), card(review_->health()[i], static_cast<int>(i)));
}

QWidget* HealthPanel::card(const Answer& a, int number) {
    const QColor colour = a.verdict == Verdict::bad         ? theme_.vermilion
                          : a.verdict == Verdict::attention ? theme_.marigold
                          : a.verdict == Verdict::ok        ? theme_.reed
                                                            : theme_.quiet;
    auto* frame = new QFrame;
    frame->setObjectName("health card " + QString::fromStdString(a.id));
    frame->setProperty("healthCard", true);
    frame->setStyleSheet(
        QString("QFrame[healthCard=\"true\"] { background: %1; border: none; border-left: 4px solid %2; }")
            .arg(theme_.raised.name(), colour.name()));
    frame->setToolTip(QString::fromStdString(a.question));
    auto* column = new QVBoxLayout(frame);
    column->setContentsMargins(10, 6, 8, 6);
    column->setSpacing(3);
    auto* title = new QLabel(QString("<b>%1: %2</b>").arg(text(a.title), verdictText(a.verdict)));
    title->setFont(uiFont(9.5));
    column->addWidget(title);
    auto* evidence = new QLabel(QString::fromStdString(a.evidence));
    evidence->setTextFormat(Qt::PlainText);
    evidence->setWordWrap(true);
    evidence->setFont(uiFont(9));
    evidence->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(evidence);
    if (a.verdict == Verdict::unknown) {
        evidence->setProperty("quiet", true);
        return frame;
    }
    auto* links = new QLabel;
    links->setObjectName("health links");
    links->setFont(uiFont(9, true));
    const QString link = QString("<a style='color:%1;text-decoration:none' href='%2'>%3</a>").arg(theme_.lagoon.name());
    links->setText(link.arg("show", "show") + " · " + link.arg("more", "why, and what next"));
    links->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    column->addWidget(links);
    // What it rests on; out of the way until it is asked for, but what to try of a bad one stands there at once.
    QString details;
    const auto list = [&](const char* head, const std::vector<std::string>& all) {
        for (const std::string& s : all) details += QString("<div><i>%1</i> %2</div>").arg(head, text(s));
    };
    list("ruled out:", a.ruled_out);
    list("but:", a.held_back);
    details += QString("<div><i>confidence:</i> %1</div>").arg(confidenceText(a.confidence));
    if (!a.next_flight.empty()) details += QString("<div><i>next flight:</i> %1</div>").arg(text(a.next_flight));
    if (!a.advice.empty()) {
        auto* advice = new QLabel("Try: " + text(a.advice));
        advice->setWordWrap(true);
        advice->setFont(uiFont(9));
        column->addWidget(advice);
    }
    auto* more = new QLabel(details);
    more->setObjectName("health details");
    more->setWordWrap(true);
    more->setFont(uiFont(8.5));
    more->setProperty("quiet", true);
    more->hide();
    column->addWidget(more);
    connect(links, &QLabel::linkActivated, this, [this, number, more](const QString& which) {
        if (which == "more") return more->setVisible(more->isHidden());
        if (number < static_cast<int>(review_->health().size()))
            emit showWanted(review_->health()[static_cast<std::size_t>(number)]);
    });
    return frame;
}

}  // namespace anhinga
