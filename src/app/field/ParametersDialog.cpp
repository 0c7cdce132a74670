#include "app/field/ParametersDialog.h"

#include <QtWidgets>

#include "app/widgets/Theme.h"
#include "core/base/File.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
enum Column { does, holds, usual, file, raw, columns };
constexpr int kKey = Qt::UserRole;
constexpr const char* kNoSubject = "Not described here";

QString valueText(double v, const ParameterInfo* info) {
    const QString number = QString::fromStdString(parameterText(v));
    const QString unit = info != nullptr ? QString::fromStdString(info->unit) : QString();
    return unit.isEmpty() || unit == "1" ? number : number + " " + unit;
}
/// What may be typed, in words; empty when it is not known.
QString rangeText(const ParameterInfo& info) {
    if (!std::isfinite(info.low) || !std::isfinite(info.high)) return {};
    return QString("%1 to %2").arg(valueText(info.low, &info), valueText(info.high, &info));
}

/// While a value is edited its range stands beside what is typed.
class ValueEditor : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QWidget* createEditor(QWidget* parent, const QStyleOptionViewItem&, const QModelIndex& index) const override {
        const std::string key = index.sibling(index.row(), 0).data(kKey).toString().toStdString();
        if (key.empty()) return nullptr;
        auto* edit = new QLineEdit(parent);
        edit->setObjectName("parameter value");
        edit->setFrame(false);
        const auto info = parameterInfo(key);
        if (info && !rangeText(*info).isEmpty()) edit->setPlaceholderText(rangeText(*info));
        return edit;
    }
    void setEditorData(QWidget* editor, const QModelIndex& index) const override {
        auto* edit = static_cast<QLineEdit*>(editor);
        edit->setText(index.data().toString().section(' ', 0, 0));
        edit->selectAll();
    }
};
}  // namespace

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
    unusual_ = new QCheckBox("Only what is not as usual");
    unusual_->setObjectName("only changed");
    differing_ = new QCheckBox("Only those that differ from the file");
    differing_->setObjectName("only differing");
    top->addWidget(search_, 1);
    top->addWidget(unusual_);
    top->addWidget(differing_);
    column->addLayout(top);
    summary_ = new QLabel;
    summary_->setObjectName("parameter summary");
    column->addWidget(summary_);
    table_ = new QTreeWidget;
    table_->setObjectName("parameter table");
    table_->setColumnCount(columns);
    table_->setHeaderLabels({"What it does", "The aircraft holds", "Usual", "File", "Name aboard"});
    table_->setRootIsDecorated(true);
    table_->setIndentation(14);
    table_->setUniformRowHeights(true);
    table_->header()->setStretchLastSection(false);
    table_->header()->setSectionResizeMode(does, QHeaderView::Stretch);
    for (const auto& [c, width] : {std::pair{holds, 124}, {usual, 92}, {file, 110}, {raw, 138}})
        table_->setColumnWidth(c, width);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setItemDelegateForColumn(holds, new ValueEditor(table_));
    table_->setToolTip("Return or a double click changes the value");
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
    connect(unusual_, &QCheckBox::toggled, this, &ParametersDialog::refresh);
    connect(differing_, &QCheckBox::toggled, this, &ParametersDialog::refresh);
    connect(table_, &QTreeWidget::itemChanged, this, &ParametersDialog::edited);
    connect(table_, &QTreeWidget::currentItemChanged, this, &ParametersDialog::describe);
    connect(table_, &QTreeWidget::itemActivated, this, [this](QTreeWidgetItem* clicked) {
        if (clicked->data(0, kKey).toString().isEmpty()) return clicked->setExpanded(!clicked->isExpanded());
        table_->editItem(clicked, holds);
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

void ParametersDialog::describe(QTreeWidgetItem* row) {
    const std::string key = row != nullptr ? row->data(0, kKey).toString().toStdString() : std::string();
    if (key.empty()) return text_->setText({});
    if (key == refused_) return text_->setText(QString::fromStdString(key) + ": " + refused_why_);
    const auto info = parameterInfo(key);
    if (!info) return text_->setText("What this does is not described here; it is kept, set and compared all the same");
    const QString range = rangeText(*info);
    text_->setText(QString::fromStdString(info->text) + (range.isEmpty() ? QString() : " · " + range));
}

void ParametersDialog::refresh() {
    filling_ = true;
    const QStringList words = search_->text().trimmed().split(' ', Qt::SkipEmptyParts);
    const ParameterSet& set = link_->parameters();
    const QString chosen = table_->currentItem() != nullptr ? table_->currentItem()->data(0, kKey).toString() : "";
    QSet<QString> folded;
    for (int i = 0; i < table_->topLevelItemCount(); ++i)
        if (!table_->topLevelItem(i)->isExpanded())
            folded.insert(table_->topLevelItem(i)->data(0, kKey + 1).toString());
    table_->clear();
    table_->setColumnHidden(file, other_.empty());
    table_->headerItem()->setText(file, other_.empty() ? "File" : other_name_);
    QFont bold = table_->font(), small = monoFont(7.5);
    bold.setBold(true);
    std::map<QString, QTreeWidgetItem*> subjects;
    int unlike = 0, differ = 0, shown = 0;
    for (const auto& [key, p] : set) {
        const auto info = parameterInfo(key);
        const ParameterInfo* known = info ? &*info : nullptr;
        const bool unusual = known != nullptr && known->unlikeUsual(p.value);
        const auto in_file = other_.find(key);
        const bool differs = !other_.empty() && (in_file == other_.end() || static_cast<float>(in_file->second.value) !=
                                                                                static_cast<float>(p.value));
        unlike += unusual;
        differ += differs;
        const QString subject = known != nullptr ? QString::fromStdString(known->subject) : QString(kNoSubject);
        const QString hay = QString::fromStdString(key) + " " + subject + " " +
                            (known != nullptr ? QString::fromStdString(known->text) : QString());
        const bool found = std::all_of(words.begin(), words.end(),
                                       [&](const QString& w) { return hay.contains(w, Qt::CaseInsensitive); });
        if (!found || (unusual_->isChecked() && !unusual) || (differing_->isChecked() && !differs)) continue;
        ++shown;
        QTreeWidgetItem*& under = subjects[subject];
        if (under == nullptr) {
            under = new QTreeWidgetItem;
            under->setFont(does, bold);
            under->setData(0, kKey + 1, subject);
            under->setFlags(Qt::ItemIsEnabled);
        }
        auto* row = new QTreeWidgetItem(under);
        const auto wish = wanted_.find(key);
        row->setData(0, kKey, QString::fromStdString(key));
        row->setText(does, known != nullptr ? QString::fromStdString(known->text) : QString("no description"));
        row->setToolTip(does, row->text(does));
        if (known == nullptr) row->setForeground(does, palette().brush(QPalette::PlaceholderText));
        row->setText(holds, valueText(wish != wanted_.end() ? wish->second.value : p.value, known));
        row->setText(usual, known != nullptr && std::isfinite(known->usual) ? valueText(known->usual, known)
                                                                            : QString("not known"));
        row->setText(file, in_file != other_.end() ? valueText(in_file->second.value, known)
                           : other_.empty()        ? QString()
                                                   : QString("not in it"));
        row->setText(raw, QString::fromStdString(key));
        row->setFont(raw, small);
        row->setForeground(usual, palette().brush(QPalette::PlaceholderText));
        row->setForeground(raw, palette().brush(QPalette::PlaceholderText));
        if (wish != wanted_.end() || unusual) row->setFont(holds, bold);
        if (differs) row->setFont(file, bold);
        if (wish != wanted_.end()) {
            row->setText(holds, row->text(holds) + "  (not set yet)");
            row->setToolTip(holds, "The aircraft holds " + valueText(p.value, known));
        }
        row->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable);
    }
    for (auto& [subject, under] : subjects)
        if (subject != kNoSubject) table_->addTopLevelItem(under);
    if (const auto rest = subjects.find(kNoSubject); rest != subjects.end()) table_->addTopLevelItem(rest->second);
    for (int i = 0; i < table_->topLevelItemCount(); ++i) {
        QTreeWidgetItem* under = table_->topLevelItem(i);
        const QString subject = under->data(0, kKey + 1).toString();
        under->setText(does, QString("%1 · %2").arg(subject).arg(under->childCount()));
        under->setFirstColumnSpanned(true);
        under->setExpanded(!folded.contains(subject) || !words.isEmpty());
        for (int k = 0; k < under->childCount(); ++k)
            if (under->child(k)->data(0, kKey).toString() == chosen) table_->setCurrentItem(under->child(k));
    }
    filling_ = false;
    QString summary = set.empty()
                          ? QString("Not read yet")
                          : QString("%1 parameters, %2 shown · %3 not as usual").arg(set.size()).arg(shown).arg(unlike);
    if (!other_.empty()) summary += QString(" · %1 differ from %2").arg(differ).arg(other_name_);
    summary_->setText(summary);
    refreshState();
}

void ParametersDialog::edited(QTreeWidgetItem* row, int column) {
    if (filling_ || column != holds) return;
    const std::string key = row->data(0, kKey).toString().toStdString();
    const auto held = link_->parameters().find(key);
    if (held == link_->parameters().end()) return;
    const auto typed = parseNumber(row->text(holds).trimmed().section(' ', 0, 0).replace(',', '.').toStdString());
    const auto info = parameterInfo(key);
    QString wrong;
    if (!typed)
        wrong = "a number is needed";
    else if (info && !info->fits(*typed))
        wrong = rangeText(*info) + " is possible";
    if (wrong.isEmpty()) {
        if (static_cast<float>(*typed) == static_cast<float>(held->second.value))
            wanted_.erase(key);
        else
            wanted_[key] = {*typed, held->second.type};
    }
    refused_ = wrong.isEmpty() ? std::string() : key;
    refused_why_ = wrong;
    // Not from within the cell's own signal.
    QMetaObject::invokeMethod(
        this,
        [this] {
            refresh();
            describe(table_->currentItem());
        },
        Qt::QueuedConnection);
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
