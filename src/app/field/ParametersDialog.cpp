#include "app/field/ParametersDialog.h"

#include <QtWidgets>

#include "app/widgets/Theme.h"
#include "core/base/File.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
enum Column { name, value, standard, unit, range, what, other, columns };
}

ParametersDialog::ParametersDialog(LinkSession* link, QWidget* parent) : QDialog(parent), link_(link) {
    setObjectName("parameters dialog");
    setWindowTitle("Parameters of the aircraft");
    resize(900, 600);
    auto* column = new QVBoxLayout(this);
    auto* top = new QHBoxLayout;
    search_ = new QLineEdit;
    search_->setObjectName("parameter search");
    search_->setPlaceholderText("name or words of what it does");
    search_->setClearButtonEnabled(true);
    changed_ = new QCheckBox("Only those unlike the standard");
    changed_->setObjectName("only changed");
    differing_ = new QCheckBox("Only those that differ from the file");
    differing_->setObjectName("only differing");
    top->addWidget(search_, 1);
    top->addWidget(changed_);
    top->addWidget(differing_);
    column->addLayout(top);
    summary_ = new QLabel;
    summary_->setObjectName("parameter summary");
    column->addWidget(summary_);
    table_ = new QTableWidget;
    table_->setObjectName("parameter table");
    table_->setColumnCount(columns);
    table_->setHorizontalHeaderLabels({"Name", "Value", "Standard", "Unit", "Range", "What it does", "File"});
    table_->horizontalHeader()->setSectionResizeMode(name, QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(value, QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(range, QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(what, QHeaderView::Stretch);
    table_->verticalHeader()->setDefaultSectionSize(24);
    table_->setColumnWidth(standard, 76);
    table_->setColumnWidth(Column::unit, 64);
    table_->verticalHeader()->hide();
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setAlternatingRowColors(false);
    column->addWidget(table_, 1);
    text_ = new QLabel;
    text_->setObjectName("parameter text");
    text_->setWordWrap(true);
    text_->setMinimumHeight(20);
    column->addWidget(text_);
    progress_ = new QProgressBar;
    progress_->setRange(0, 1000);
    column->addWidget(progress_);
    auto* row = new QHBoxLayout;
    const auto button = [&](const QString& text, const QString& object) {
        auto* b = new QPushButton(text);
        b->setObjectName(object);
        b->setAutoDefault(false);
        row->addWidget(b);
        return b;
    };
    read_ = button("Read again", "parameters read");
    send_ = button("Set on the aircraft", "parameters send");
    send_->setProperty("primary", true);
    stop_ = button("Stop", "parameters stop");
    row->addStretch(1);
    save_ = button("Save to file …", "parameters save");
    compare_ = button("Compare with file …", "parameters compare");
    auto* close = button("Close", "parameters close");
    column->addLayout(row);
    connect(search_, &QLineEdit::textChanged, this, &ParametersDialog::refresh);
    connect(changed_, &QCheckBox::toggled, this, &ParametersDialog::refresh);
    connect(differing_, &QCheckBox::toggled, this, &ParametersDialog::refresh);
    connect(table_, &QTableWidget::cellChanged, this, &ParametersDialog::edited);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int r) {
        const auto* cell = table_->item(r, name);
        const ParameterInfo* info = cell != nullptr ? parameterInfo(cell->text().toStdString()) : nullptr;
        text_->setText(info != nullptr ? info->text : cell != nullptr ? "Nothing is known here of this parameter" : "");
    });
    connect(read_, &QPushButton::clicked, this, [this] {
        wanted_.clear();
        link_->readParameters();
    });
    connect(send_, &QPushButton::clicked, this, &ParametersDialog::send);
    connect(stop_, &QPushButton::clicked, link_, &LinkSession::cancel);
    connect(close, &QPushButton::clicked, this, &QDialog::hide);
    connect(save_, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getSaveFileName(this, "Save parameters", "parameters.csv", "Parameters (*.csv)");
        if (!path.isEmpty()) saveTo(path);
    });
    connect(compare_, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "Compare with", {}, "Parameters (*.csv *.txt);;All files (*)");
        if (!path.isEmpty()) compareWith(path);
    });
    connect(link_, &LinkSession::parametersChanged, this, [this] {
        // What was wished for and is held now is no wish any more.
        std::erase_if(wanted_, [this](const auto& w) {
            const auto at = link_->parameters().find(w.first);
            return at == link_->parameters().end() || at->second.value == w.second.value;
        });
        if (isVisible()) refresh();
    });
    connect(link_, &LinkSession::parametersFailed, this, [this](const QString& why) {
        summary_->setText(why);
        emit message(why);
    });
    connect(link_, &LinkSession::stateChanged, this, &ParametersDialog::refreshState);
    refreshState();
}

void ParametersDialog::present() {
    show();
    raise();
    refresh();
    if (link_->parameters().empty()) link_->readParameters();
    search_->setFocus();
}

void ParametersDialog::refreshState() {
    const bool heard = link_->connected() && link_->vehicle().heard;
    progress_->setVisible(link_->busy());
    progress_->setValue(static_cast<int>(link_->progress() * 1000));
    progress_->setFormat(link_->progressText());
    stop_->setVisible(link_->busy());
    read_->setEnabled(heard && !link_->busy());
    send_->setEnabled(heard && !link_->busy() && !wanted_.empty());
    send_->setText(wanted_.empty() ? "Set on the aircraft" : QString("Set %1 on the aircraft").arg(wanted_.size()));
    save_->setEnabled(!link_->parameters().empty());
    compare_->setEnabled(!link_->parameters().empty());
    differing_->setVisible(!other_.empty());
}

void ParametersDialog::refresh() {
    filling_ = true;
    const QString words = search_->text().trimmed();
    const ParameterSet& set = link_->parameters();
    std::vector<std::string> shown;
    int unlike = 0, differ = 0;
    for (const auto& [key, p] : set) {
        const ParameterInfo* info = parameterInfo(key);
        const bool is_unlike = info != nullptr && static_cast<float>(info->standard) != static_cast<float>(p.value);
        const auto in_file = other_.find(key);
        const bool differs = !other_.empty() && (in_file == other_.end() || static_cast<float>(in_file->second.value) !=
                                                                                static_cast<float>(p.value));
        unlike += is_unlike;
        differ += differs;
        const QString hay = QString::fromStdString(key) + " " + (info != nullptr ? info->text : "");
        bool found = true;
        for (const QString& word : words.split(' ', Qt::SkipEmptyParts))
            found = found && hay.contains(word, Qt::CaseInsensitive);
        if (found && (!changed_->isChecked() || is_unlike) && (!differing_->isChecked() || differs))
            shown.push_back(key);
    }
    table_->setColumnHidden(other, other_.empty());
    table_->setHorizontalHeaderItem(other, new QTableWidgetItem(other_name_));
    table_->setRowCount(static_cast<int>(shown.size()));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const std::string& key = shown[static_cast<std::size_t>(r)];
        const Parameter& p = set.at(key);
        const ParameterInfo* info = parameterInfo(key);
        const auto wish = wanted_.find(key);
        const bool is_unlike = info != nullptr && static_cast<float>(info->standard) != static_cast<float>(p.value);
        const auto in_file = other_.find(key);
        const bool differs = !other_.empty() && (in_file == other_.end() || static_cast<float>(in_file->second.value) !=
                                                                                static_cast<float>(p.value));
        const auto text = [](double v) { return QString::fromStdString(parameterText(v)); };
        const QString texts[columns] = {
            QString::fromStdString(key),
            wish != wanted_.end() ? text(wish->second.value) : text(p.value),
            info != nullptr ? text(info->standard) : QString("unknown"),
            info != nullptr ? QString(info->unit) : QString(),
            info != nullptr ? QString("%1 to %2").arg(text(info->low), text(info->high)) : QString(),
            info != nullptr ? QString(info->text) : QString(),
            in_file != other_.end() ? text(in_file->second.value)
            : other_.empty()        ? QString()
                                    : QString("not in it")};
        for (int c = 0; c < columns; ++c) {
            auto* cell = new QTableWidgetItem(texts[c]);
            cell->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable |
                           (c == value ? Qt::ItemIsEditable : Qt::NoItemFlags));
            QFont font = cell->font();
            font.setBold((c == value && (wish != wanted_.end() || is_unlike)) || (c == other && differs));
            cell->setFont(font);
            if (c == value && wish != wanted_.end()) {
                cell->setForeground(QColor("#b3361b"));
                cell->setToolTip("Not set yet; the aircraft holds " + text(p.value));
            }
            if (c == name && info != nullptr) cell->setToolTip(info->text);
            table_->setItem(r, c, cell);
        }
    }
    filling_ = false;
    QString summary =
        set.empty()
            ? QString("Not read yet")
            : QString("%1 parameters, %2 shown · %3 unlike the standard").arg(set.size()).arg(shown.size()).arg(unlike);
    if (!other_.empty()) summary += QString(" · %1 differ from %2").arg(differ).arg(other_name_);
    summary_->setText(summary);
    refreshState();
}

void ParametersDialog::edited(int row, int column) {
    if (filling_ || column != value) return;
    const std::string key = table_->item(row, name)->text().toStdString();
    const auto held = link_->parameters().find(key);
    if (held == link_->parameters().end()) return;
    const auto typed = parseNumber(table_->item(row, value)->text().trimmed().replace(',', '.').toStdString());
    const ParameterInfo* info = parameterInfo(key);
    QString wrong;
    if (!typed)
        wrong = "a number is needed";
    else if (info != nullptr && (*typed < info->low || *typed > info->high))
        wrong = QString("from %1 to %2 is possible").arg(info->low).arg(info->high);
    if (!wrong.isEmpty()) {
        text_->setText(QString::fromStdString(key) + ": " + wrong);
    } else if (static_cast<float>(*typed) == static_cast<float>(held->second.value)) {
        wanted_.erase(key);
    } else {
        wanted_[key] = {*typed, held->second.type};
    }
    // Not from within the cell's own signal.
    QMetaObject::invokeMethod(this, &ParametersDialog::refresh, Qt::QueuedConnection);
}

void ParametersDialog::send() {
    if (link_->vehicle().armed) {
        const auto answer = QMessageBox::warning(this, "The aircraft is armed",
                                                 "A parameter set now acts at once.\n\nSet it all the same?",
                                                 QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
        if (answer != QMessageBox::Yes) return;
    }
    link_->setParameters(wanted_);
}

bool ParametersDialog::saveTo(const QString& path) {
    const std::string text =
        writeParameters(link_->parameters(),
                        fmt::format("parameters of vehicle {}, read {}", link_->vehicle().system, isoUtc(unixNow())));
    if (const auto ok = writeFileAtomic(path.toStdString(), text); !ok) {
        summary_->setText(QString::fromStdString(ok.error().message));
        return false;
    }
    summary_->setText(QString("%1 parameters saved to %2").arg(link_->parameters().size()).arg(path));
    return true;
}

bool ParametersDialog::compareWith(const QString& path) {
    const auto text = readFile(path.toStdString());
    const auto set = text ? parseParameters(*text, path.toStdString()) : tl::unexpected(text.error());
    if (!set) {
        summary_->setText(QString::fromStdString(set.error().message));
        return false;
    }
    other_ = *set;
    other_name_ = QFileInfo(path).fileName();
    refresh();
    return true;
}

}  // namespace anhinga
