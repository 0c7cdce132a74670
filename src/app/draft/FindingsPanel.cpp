#include "app/draft/FindingsPanel.h"

#include <QtWidgets>
#include "app/widgets/Quantity.h"

namespace anhinga {

FindingsPanel::FindingsPanel(PlanSession* session, QWidget* parent) : QScrollArea(parent), session_(session) {
    setObjectName("findings");
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    connect(session_, &PlanSession::derivedChanged, this, &FindingsPanel::refresh);
    connect(session_, &PlanSession::aircraftFindingsChanged, this, &FindingsPanel::refresh);
    rebuild();
}

void FindingsPanel::setTheme(const Theme& theme) {
    theme_ = theme;
    rebuild();
}

void FindingsPanel::refresh() {
    QString now = QString::number(session_->derived()->plan->items.empty());
    int said = 0;
    const auto findings = session_->findings();
    for (const Finding& f : findings) {
        if (++said > kMostCards + 1) break;
        now += QString::fromStdString(f.rule + f.message + (f.corrections.empty() ? "" : f.corrections.front().text));
    }
    now += QString::number(findings.size());
    if (now == shown_) return;
    shown_ = now;
    rebuild();
}

void FindingsPanel::rebuild() {
    const auto findings = session_->findings();
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(14, 8, 14, 8);
    column->setSpacing(7);
    auto* title = new QLabel("Findings");
    title->setFont(uiFont(10, true));
    column->addWidget(title);
    if (findings.empty()) {
        const Derived& d = *session_->derived();
        // Never more than is known: what was looked at, and what could not be.
        QString text = "Nothing drawn yet";
        if (!d.plan->items.empty()) {
            text = d.plan->obstacles.empty()
                       ? "Terrain and fences clear. Obstacles are not drawn: masts, trees and wires are not known."
                       : "Terrain, fences and the drawn obstacles clear. Masts, trees and wires that are not drawn are "
                         "not known.";
            if (d.plan->zones.empty() && d.plan->covers.empty()) text += " Airspace is unknown: no data is imported.";
        }
        auto* none = new QLabel(text);
        none->setWordWrap(true);
        none->setProperty("quiet", true);
        column->addWidget(none);
    }
    int shown = 0;
    for (const Finding& f : findings) {
        if (++shown > kMostCards) break;
        auto* card = new QFrame;
        card->setProperty("card", true);
        const QColor edge = f.severity == Severity::stop   ? theme_.vermilion
                            : f.severity == Severity::warn ? theme_.marigold
                                                           : theme_.quiet;
        card->setStyleSheet(QString("QFrame { background: %1; border-left: 4px solid %2; } QLabel, QPushButton { "
                                    "border: none; background: transparent; }")
                                .arg(theme_.raised.name(), edge.name()));
        auto* inner = new QVBoxLayout(card);
        inner->setContentsMargins(10, 7, 8, 7);
        inner->setSpacing(3);
        auto* go =
            new QLabel(QString("<b>%1</b> %2").arg(severityText(f.severity), inUnits(f.message).toHtmlEscaped()));
        go->setWordWrap(true);
        inner->addWidget(go);
        // One beside the other as long as there is room, then below.
        constexpr int kRoom = 290, kBetween = 14;
        QHBoxLayout* row = nullptr;
        int used = 0;
        const auto put = [&](QPushButton* b) {
            const int width = b->sizeHint().width();
            if (row == nullptr || used + width > kRoom) {
                if (row != nullptr) row->addStretch();
                row = new QHBoxLayout;
                row->setSpacing(kBetween);
                inner->addLayout(row);
                used = 0;
            }
            row->addWidget(b);
            used += width + kBetween;
        };
        if (f.place || f.item != 0) {
            auto* show = new QPushButton("Show");
            show->setProperty("link", true);
            show->setStyleSheet(QString("color: %1; font-weight: bold;").arg(theme_.lagoon.name()));
            connect(show, &QPushButton::clicked, this, [this, f] { emit goTo(f.item, f.place); });
            put(show);
        }
        for (const Correction& correction : f.corrections) {
            auto* fix = new QPushButton(inUnits(correction.text));
            fix->setObjectName("correct " + QString::fromStdString(f.rule));
            fix->setProperty("link", true);
            fix->setStyleSheet(QString("color: %1; font-weight: bold; text-align: left;").arg(theme_.lagoon.name()));
            connect(fix, &QPushButton::clicked, this, [this, correction] {
                if (!correction.look_for.empty())
                    emit lookForFile(QString::fromStdString(correction.look_for));
                else if (correction.cut_into_sorties)
                    session_->cutIntoSorties();
                else
                    session_->edit(QString::fromStdString(correction.text), correction.apply);
            });
            constexpr int kLongest = 270;
            const QString whole = fix->text();
            fix->setText(fix->fontMetrics().elidedText(whole, Qt::ElideRight, kLongest));
            if (fix->text() != whole) fix->setToolTip(whole);
            put(fix);
        }
        if (f.can_be_set) {
            auto* set = new QPushButton("Set on the aircraft");
            set->setObjectName("set " + QString::fromStdString(f.rule));
            set->setProperty("link", true);
            set->setStyleSheet(QString("color: %1; font-weight: bold;").arg(theme_.lagoon.name()));
            connect(set, &QPushButton::clicked, this, [this, f] { emit setOnAircraftWanted(f); });
            put(set);
        }
        if (!f.line.empty()) {
            auto* list = new QPushButton("Checklist");
            list->setProperty("link", true);
            list->setStyleSheet(QString("color: %1; font-weight: bold;").arg(theme_.lagoon.name()));
            connect(list, &QPushButton::clicked, this, &FindingsPanel::checklistWanted);
            put(list);
        }
        if (row != nullptr) row->addStretch();
        column->addWidget(card);
    }
    column->addStretch();
    // What was pressed may have led here.
    if (QWidget* old = takeWidget()) old->deleteLater();
    setWidget(page);
}

}  // namespace anhinga
