#include "app/field/CompareDialog.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "app/widgets/Theme.h"

namespace anhinga {

QString itemInWords(const MissionItem& i) {
    QString text = QString::fromStdString(commandText(i.command));
    if (i.command == cmd::jump)
        return QString("repeat from item %1, %2")
            .arg(i.param1)
            .arg(i.param2 < 0 ? QString("for ever") : QString("%1 times more").arg(i.param2));
    if (i.command == cmd::changeSpeed)
        return QString("speed %1").arg(shownNumber(static_cast<double>(i.param2), "m/s"));
    if (i.command == cmd::fenceCircleIn || i.command == cmd::fenceCircleOut) text = "fence circle";
    if (i.command == cmd::fenceKeepIn) text = "keep-in corner";
    if (i.command == cmd::fenceKeepOut) text = "keep-out corner";
    if (hasPlace(i) || i.command >= cmd::fenceKeepIn) {
        if (i.x != 0 || i.y != 0) text += " " + shownCoordinate({i.x * 1e-7, i.y * 1e-7});
        if (i.command < cmd::fenceKeepIn || i.command == cmd::rally)
            text += QString(", %1 %2").arg(shownNumber(static_cast<double>(i.z), kHeightUnit), refText(refOf(i.frame)));
    }
    if (i.command == cmd::takeOff)
        text += QString(" to %1 %2").arg(shownNumber(static_cast<double>(i.z), kHeightUnit), refText(refOf(i.frame)));
    QStringList parameters;
    const float values[] = {i.param1, i.param2, i.param3, i.param4};
    for (int n = 0; n < 4; ++n)
        if (!std::isnan(values[n]) && values[n] != 0)
            parameters << QString("p%1 %2").arg(n + 1).arg(static_cast<double>(values[n]), 0, 'g', 6);
    if (!parameters.isEmpty()) text += " · " + parameters.join(", ");
    return text;
}

namespace {
/// "z: plan 0, aircraft 5".
QString inWords(std::uint16_t command, const std::vector<MissionDifference>& differences) {
    QStringList out;
    for (const MissionDifference& d : differences)
        out << QString("%1: plan %2, aircraft %3")
                   .arg(QString::fromStdString(fieldWords(command, d.field)))
                   .arg(d.plan)
                   .arg(d.vehicle);
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
    const bool item0 = plan_->plan()->traits.item0_is_home;
    const MissionSet ours = view.mission ? view.toSend() : MissionSet{{}, view.fence, view.rally};
    const MissionSet& theirs = *link_->held();
    const auto states = link_->states(ours, item0);
    int differing = 0;
    const auto list = [&](const char* name, const std::vector<MissionItem>& a, const std::vector<MissionItem>& p,
                          bool skip0) {
        for (std::size_t i = 0; i < std::max(a.size(), p.size()); ++i) {
            const bool both = i < a.size() && i < p.size();
            const bool own_home = i == 0 && skip0;
            const auto differences =
                both && !own_home ? compareMissions("", {p[i]}, {a[i]}, false) : std::vector<MissionDifference>();
            const bool same = both && differences.empty();
            differing += !same;
            if (same && only_->isChecked()) continue;
            const int row = table_->rowCount();
            table_->insertRow(row);
            const bool route = &p == &ours.mission;
            QString state = "confirmed";
            if (!both)
                state = i < a.size() ? "only on the aircraft" : "only in the plan";
            else if (!same)
                state = inWords(p[i].command, differences);
            else if (own_home)
                state = "its own home";
            else if (route && i < states.size())
                state = holdText(states[i]);
            const QString texts[] = {QString("%1 %2").arg(name).arg(i), i < a.size() ? itemInWords(a[i]) : QString("–"),
                                     i < p.size() ? itemInWords(p[i]) : QString("–"), state};
            for (int c = 0; c < 4; ++c) {
                auto* cell = new QTableWidgetItem(texts[c]);
                cell->setToolTip(texts[c]);
                if (!same) {
                    cell->setForeground(QColor("#b3361b"));
                    QFont bold = cell->font();
                    bold.setBold(true);
                    cell->setFont(bold);
                }
                table_->setItem(row, c, cell);
            }
        }
    };
    list("route", theirs.mission, ours.mission, item0);
    list("fence", theirs.fence, ours.fence, false);
    list("rally", theirs.rally, ours.rally, false);
    table_->resizeColumnToContents(0);
    table_->resizeColumnToContents(3);
    summary_->setText(differing == 0 ? QString("Aircraft and plan agree: %1 route, %2 fence, %3 rally items")
                                           .arg(ours.mission.size())
                                           .arg(ours.fence.size())
                                           .arg(ours.rally.size())
                      : differing == 1 ? QString("1 item differs")
                                       : QString("%1 items differ").arg(differing));
}

}  // namespace anhinga
