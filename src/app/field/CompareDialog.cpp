#include "app/field/CompareDialog.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "app/widgets/Theme.h"

namespace anhinga {

namespace {

/// "waypoint 47.31000 -20.12000, 60 m home · hold time 5".
QString inWords(const EntryWords& entry) {
    QString text = QString::fromStdString(entry.what);
    if (entry.goes_back_to)
        return QString("%1 from item %2, %3")
            .arg(text)
            .arg(*entry.goes_back_to)
            .arg(*entry.passes < 0 ? QString("for ever") : QString("%1 times more").arg(*entry.passes));
    if (entry.speed_mps) return text + " " + shownNumber(*entry.speed_mps, "m/s");
    if (entry.place) text += " " + shownCoordinate(*entry.place);
    if (entry.height)
        text += QString(", %1 %2").arg(shownNumber(entry.height->value_m, kHeightUnit), refText(entry.height->ref));
    QStringList numbers;
    for (const auto& [name, value] : entry.numbers)
        numbers << QString("%1 %2").arg(QString::fromStdString(name)).arg(value, 0, 'g', 6);
    return numbers.isEmpty() ? text : text + " · " + numbers.join(", ");
}

/// "height: plan 0, aircraft 5".
QString inWords(const std::vector<HeldRow::Difference>& differences) {
    QStringList out;
    for (const HeldRow::Difference& d : differences)
        out << QString("%1: plan %2, aircraft %3").arg(QString::fromStdString(d.what)).arg(d.plan).arg(d.vehicle);
    return out.join("; ");
}

}  // namespace

CompareDialog::CompareDialog(PlanSession* plan, LinkSession* link, QWidget* parent)
    : QDialog(parent), plan_(plan), link_(link) {
    setObjectName("compare dialog");
    setWindowTitle("Aircraft and plan");
    resize(880, 520);
    auto* column = new QVBoxLayout(this);
    summary_ = new QLabel;
    summary_->setFont(uiFont(10.5, true));
    summary_->setObjectName("compare summary");
    column->addWidget(summary_);
    only_ = new QCheckBox("Only what differs");
    only_->setObjectName("only differences");
    column->addWidget(only_);
    table_ = new QTableWidget;
    table_->setObjectName("compare table");
    table_->setColumnCount(4);
    table_->setHorizontalHeaderLabels({"Item", "Aircraft", "Plan", "State"});
    table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    table_->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Stretch);
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setWordWrap(false);
    table_->verticalHeader()->setDefaultSectionSize(24);
    column->addWidget(table_, 1);
    auto* close = new QDialogButtonBox(QDialogButtonBox::Close);
    close->button(QDialogButtonBox::Close)->setIcon({});
    connect(close, &QDialogButtonBox::rejected, this, &QDialog::hide);
    column->addWidget(close);
    connect(only_, &QCheckBox::toggled, this, &CompareDialog::refresh);
    connect(link_, &LinkSession::stateChanged, this, [this] {
        if (isVisible() && !link_->busy()) refresh();
    });
    connect(plan_, &PlanSession::derivedChanged, this, [this] {
        if (isVisible()) refresh();
    });
}

void CompareDialog::present() {
    refresh();
    show();
    raise();
}

void CompareDialog::refresh() {
    table_->setRowCount(0);
    const PlanView& view = plan_->flownView();
    if (!link_->held()) {
        summary_->setText("Nothing was read from the aircraft yet");
        return;
    }
    const auto states = link_->states(view.program);
    const char* lists[] = {"route", "fence", "rally"};
    int counts[3] = {}, differing = 0;
    for (const HeldRow& r : link_->held()->beside(view.toSend(*plan_->plan()))) {
        counts[r.list] += r.planned.has_value();
        differing += !r.same;
        if (r.same && only_->isChecked()) continue;
        const int row = table_->rowCount();
        table_->insertRow(row);
        QString state = "confirmed";
        if (!r.held || !r.planned)
            state = r.held ? "only on the aircraft" : "only in the plan";
        else if (!r.same)
            state = inWords(r.differences);
        else if (r.own_home)
            state = "its own home";
        else if (r.list == HeldRow::route && static_cast<std::size_t>(r.number) < states.size())
            state = holdText(states[static_cast<std::size_t>(r.number)]);
        const QString texts[] = {QString("%1 %2").arg(lists[r.list]).arg(r.number),
                                 r.held ? inWords(*r.held) : QString("–"),
                                 r.planned ? inWords(*r.planned) : QString("–"), state};
        for (int c = 0; c < 4; ++c) {
            auto* cell = new QTableWidgetItem(texts[c]);
            cell->setToolTip(texts[c]);
            if (!r.same) {
                cell->setForeground(QColor("#b3361b"));
                QFont bold = cell->font();
                bold.setBold(true);
                cell->setFont(bold);
            }
            table_->setItem(row, c, cell);
        }
    }
    table_->resizeColumnToContents(0);
    table_->resizeColumnToContents(3);
    summary_->setText(differing == 0 ? QString("Aircraft and plan agree: %1 route, %2 fence, %3 rally items")
                                           .arg(counts[HeldRow::route])
                                           .arg(counts[HeldRow::fence])
                                           .arg(counts[HeldRow::rally])
                      : differing == 1 ? QString("1 item differs")
                                       : QString("%1 items differ").arg(differing));
}

}  // namespace anhinga
