#include "app/draft/ImportDialog.h"

#include <QtWidgets>

#include "core/base/Text.h"
#include "core/exchange/FlownLine.h"

namespace anhinga {

namespace {

QString heightsOf(const ImportedShape& s) {
    std::optional<Height> low, high;
    for (const auto& h : s.heights) {
        if (!h) continue;
        if (!low || h->value_m < low->value_m) low = h;
        if (!high || h->value_m > high->value_m) high = h;
    }
    if (!low) return "the plan's height";
    if (low->value_m == high->value_m) return QString::fromStdString(heightText(*low));
    return QString("%1 to %2").arg(low->value_m, 0, 'f', 0).arg(QString::fromStdString(heightText(*high)));
}

}  // namespace

ImportDialog::ImportDialog(const ImportedFile& file, const QString& name, bool has_home, QWidget* parent)
    : QDialog(parent), file_(file), thin_(file), roles_(suggestedRoles(file)) {
    setObjectName("import");
    setWindowTitle("Import " + name);
    resize(680, 440);
    auto* column = new QVBoxLayout(this);
    auto* head = new QLabel(QString("%1 · %2 things. Choose what each becomes; nothing is changed before Import.")
                                .arg(QString::fromStdString(file.format))
                                .arg(file.shapes.size()));
    head->setWordWrap(true);
    column->addWidget(head);
    table_ = new QTableWidget(static_cast<int>(file.shapes.size()), 5);
    table_->setObjectName("import table");
    table_->setHorizontalHeaderLabels({"Name", "Is a", "Points", "Heights", "Becomes"});
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    for (int i = 0; i < table_->rowCount(); ++i) {
        const ImportedShape& s = file.shapes[static_cast<std::size_t>(i)];
        const QString texts[] = {s.name.empty() ? "–" : QString::fromStdString(s.name), shapeKindText(s.kind),
                                 QString::number(s.points.size()), heightsOf(s)};
        for (int c = 0; c < 4; ++c) table_->setItem(i, c, new QTableWidgetItem(texts[c]));
        auto* box = new QComboBox;
        for (const ShapeRole r : rolesFor(s.kind)) {
            box->addItem(roleText(r), static_cast<int>(r));
            if (r == roles_[static_cast<std::size_t>(i)]) box->setCurrentIndex(box->count() - 1);
        }
        connect(box, &QComboBox::currentIndexChanged, this, [this, i, box] {
            roles_[static_cast<std::size_t>(i)] = static_cast<ShapeRole>(box->currentData().toInt());
            refresh();
        });
        table_->setCellWidget(i, 4, box);
    }
    table_->resizeColumnsToContents();
    table_->setColumnWidth(4, 170);
    column->addWidget(table_, 1);
    if (std::any_of(file.shapes.begin(), file.shapes.end(), isFlown)) {
        auto* row = new QHBoxLayout;
        row->addWidget(new QLabel("Flown lines may be bent by"));
        tolerance_ = new QDoubleSpinBox;
        tolerance_->setObjectName("import tolerance");
        tolerance_->setRange(0, 1000);
        tolerance_->setDecimals(1);
        tolerance_->setSingleStep(0.5);
        tolerance_->setSuffix(" m");
        tolerance_->setButtonSymbols(QAbstractSpinBox::NoButtons);
        tolerance_->setSpecialValueText("nothing: every point stays");
        tolerance_->setToolTip("A flight has a point for every fraction of a second: as few stay as this allows");
        tolerance_->setValue(QSettings().value("import/thin_m", kFlownTolerance_m).toDouble());
        row->addWidget(tolerance_);
        row->addStretch(1);
        home_ = new QCheckBox("Home where the flight began");
        home_->setObjectName("import home");
        home_->setChecked(!has_home);
        home_->setEnabled(!has_home);
        if (has_home) home_->setToolTip("The plan has a home already: it stays");
        row->addWidget(home_);
        column->addLayout(row);
        connect(tolerance_, &QDoubleSpinBox::valueChanged, this, [this](double m) {
            QSettings().setValue("import/thin_m", m);
            thin();
        });
        connect(home_, &QCheckBox::toggled, this, &ImportDialog::refresh);
    }
    notes_ = new QLabel;
    notes_->setObjectName("import notes");
    notes_->setWordWrap(true);
    notes_->setProperty("quiet", true);
    column->addWidget(notes_);
    sum_ = new QLabel;
    column->addWidget(sum_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel);
    accept_ = buttons->addButton("Import", QDialogButtonBox::AcceptRole);
    accept_->setObjectName("import accept");
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    thin();
}

bool ImportDialog::wantsHome() const {
    return home_ != nullptr && home_->isEnabled() && home_->isChecked();
}

void ImportDialog::thin() {
    thin_ = withFlownThinned(file_, tolerance_ != nullptr ? tolerance_->value() : 0);
    for (int i = 0; i < table_->rowCount(); ++i)
        table_->item(i, 2)->setText(QString::number(thin_.shapes[static_cast<std::size_t>(i)].points.size()));
    QString notes;
    for (const std::string& n : thin_.notes) notes += (notes.isEmpty() ? "" : "\n") + QString::fromStdString(n);
    notes_->setText(notes);
    notes_->setVisible(!notes.isEmpty());
    refresh();
}

void ImportDialog::refresh() {
    // Tried on an empty plan: the sum says what will really be made.
    Plan trial;
    std::size_t left_out = 0;
    for (std::size_t i = 0; i < roles_.size(); ++i) {
        left_out += roles_[i] == ShapeRole::leaveOut;
        addShape(trial, thin_.shapes[i], roles_[i]);
    }
    if (wantsHome()) takeHomeOfFlight(trial, file_, roles_);
    sum_->setText(QString("Makes %1 items, %2 fences, %3 rally points, %4 obstacles%5. %6 left out.")
                      .arg(trial.items.size())
                      .arg(trial.fences.size())
                      .arg(trial.rally.size())
                      .arg(trial.obstacles.size())
                      .arg(trial.home ? ", and sets home" : "")
                      .arg(left_out));
    accept_->setEnabled(left_out < roles_.size());
}

}  // namespace anhinga
