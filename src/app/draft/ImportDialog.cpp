#include "app/draft/ImportDialog.h"

#include <QtWidgets>

#include "core/base/Text.h"

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

ImportDialog::ImportDialog(const ImportedFile& file, const QString& name, QWidget* parent)
    : QDialog(parent), file_(file), roles_(suggestedRoles(file)) {
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
    QString notes;
    for (const std::string& n : file.notes) notes += (notes.isEmpty() ? "" : "\n") + QString::fromStdString(n);
    if (!notes.isEmpty()) {
        auto* label = new QLabel(notes);
        label->setWordWrap(true);
        label->setProperty("quiet", true);
        column->addWidget(label);
    }
    sum_ = new QLabel;
    column->addWidget(sum_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel);
    accept_ = buttons->addButton("Import", QDialogButtonBox::AcceptRole);
    accept_->setObjectName("import accept");
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    refresh();
}

void ImportDialog::refresh() {
    // Tried on an empty plan: the sum says what will really be made.
    Plan trial;
    std::size_t left_out = 0;
    for (std::size_t i = 0; i < roles_.size(); ++i) {
        left_out += roles_[i] == ShapeRole::leaveOut;
        addShape(trial, file_.shapes[i], roles_[i]);
    }
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
