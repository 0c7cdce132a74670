#include "app/rehearse/SortieChooser.h"

#include <QtWidgets>

#include "app/widgets/Theme.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
/// "2 · Quarry, lines 5 to 9 · 11:20 · 34 %".
QString lineOf(const FlownSortie& s) {
    QString text = QString("%1 · %2").arg(s.sortie.number).arg(QString::fromStdString(s.sortie.text));
    if (s.rehearsal)
        text += QString(" · %1 · %2 %")
                    .arg(QString::fromStdString(durationText(s.rehearsal->duration_s)))
                    .arg(s.rehearsal->energy_left_percent, 0, 'f', 0);
    return text;
}
}  // namespace

SortieChooser::SortieChooser(PlanSession* session, bool with_cutting, QWidget* parent)
    : QWidget(parent), session_(session), with_cutting_(with_cutting) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    line_ = new QLabel;
    line_->setFont(uiFont(10, true));
    line_->setObjectName("sorties");
    column->addWidget(line_);
    choice_ = new QComboBox;
    choice_->setObjectName("sortie");
    choice_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    column->addWidget(choice_);
    cut_ = new QPushButton("Cut into sorties");
    cut_->setObjectName("cut into sorties");
    cut_->setToolTip("As few as the battery and the autopilot's list of items allow, cut at line ends");
    join_ = new QPushButton("Join to one");
    join_->setObjectName("join sorties");
    stop_ = new QPushButton("Cancel");
    stop_->setObjectName("stop cutting");
    progress_ = new QProgressBar;
    progress_->setRange(0, 1000);
    column->addWidget(progress_);
    auto* row = new QHBoxLayout;
    for (QPushButton* b : {cut_, join_, stop_}) row->addWidget(b);
    row->addStretch();
    column->addLayout(row);
    connect(choice_, &QComboBox::activated, session_, &PlanSession::chooseSortie);
    connect(cut_, &QPushButton::clicked, session_, &PlanSession::cutIntoSorties);
    connect(join_, &QPushButton::clicked, this,
            [this] { session_->edit("Join sorties", [](Plan& p) { p.cuts.clear(); }); });
    connect(stop_, &QPushButton::clicked, session_, &PlanSession::stopCutting);
    connect(session_, &PlanSession::derivedChanged, this, &SortieChooser::refresh);
    connect(session_, &PlanSession::planChanged, this, &SortieChooser::refresh);
    connect(session_, &PlanSession::cuttingChanged, this, &SortieChooser::refresh);
    refresh();
}

void SortieChooser::refresh() {
    const auto& sorties = session_->derived()->sorties;
    const bool cut = !sorties.empty(), cutting = session_->cutting();
    setVisible(with_cutting_ || cut);
    choice_->setVisible(cut);
    QStringList lines;
    if (cut) {
        lines << "Whole plan in one";
        for (const FlownSortiePtr& s : sorties) lines << lineOf(*s);
    }
    QStringList shown;
    for (int i = 0; i < choice_->count(); ++i) shown << choice_->itemText(i);
    if (shown != lines) {
        choice_->clear();
        choice_->addItems(lines);
        for (int i = 0; i < lines.size(); ++i) choice_->setItemData(i, lines[i], Qt::ToolTipRole);
        // The list is as wide as its longest line, the closed box as wide as there is room.
        choice_->view()->setMinimumWidth(choice_->view()->sizeHintForColumn(0) + 24);
    }
    if (cut) {
        choice_->setCurrentIndex(session_->sortie());
        choice_->setToolTip(choice_->currentText());
    }
    line_->setText(cutting                   ? "Looking for the fewest sorties …"
                   : !cut                    ? "Flown in one"
                   : session_->sortie() == 0 ? QString("%1 sorties, the whole plan chosen").arg(sorties.size())
                                             : QString("Sortie %1 of %2").arg(session_->sortie()).arg(sorties.size()));
    progress_->setVisible(cutting && with_cutting_);
    progress_->setValue(static_cast<int>(session_->cuttingShare() * 1000));
    stop_->setVisible(cutting && with_cutting_);
    cut_->setVisible(!cutting && with_cutting_);
    cut_->setText(cut ? "Cut anew" : "Cut into sorties");
    join_->setVisible(!cutting && with_cutting_ && !session_->plan()->cuts.empty());
}

}  // namespace anhinga
