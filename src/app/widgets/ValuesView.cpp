#include "app/widgets/ValuesView.h"

#include <QtWidgets>
#include <algorithm>
#include <numeric>
#include <unordered_map>

#include "core/flightlog/FlightLog.h"

namespace anhinga {

namespace {
constexpr double kOld_s = 5;  // what has not come for so long is shown pale

QString shortRate(double hz) {
    return hz >= 9.95 ? QString::number(hz, 'f', 0) : QString::number(hz, 'f', 1);
}
/// "attitude.pitch" of "attitude.pitch_deg": the unit stands beside the value.
QString shortName(const ShownValue& v) {
    const auto end = v.name.lastIndexOf('_');
    const auto dot = v.name.indexOf('.');
    if (v.unit.isEmpty() || dot < 0 || end < dot || v.name.at(0).isUpper()) return v.name;
    return canonicalUnit(v.name.toStdString()) == v.unit.toStdString() ? v.name.left(end) : v.name;
}
QString withUnit(const ShownValue& v) {
    if (v.unit.isEmpty()) return v.text;
    if (v.unit == "deg") return v.text + "°";
    if (v.unit == "deg/s") return v.text + " °/s";
    return v.text + " " + QString(v.unit).replace("s2", "s²").replace("uT", "µT");
}
QString shortAge(double s) {
    if (s < 9.95) return QString::number(s, 'f', 1) + " s";
    if (s < 99.5) return QString::number(s, 'f', 0) + " s";
    if (s < 5970) return QString::number(s / 60, 'f', 0) + " min";
    return QString::number(s / 3600, 'f', 0) + " h";
}
}  // namespace

int ValuesModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(shown_.size());
}

int ValuesModel::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : columns;
}

QVariant ValuesModel::data(const QModelIndex& index, int role) const {
    const ShownValue& v = at(index.row());
    const int c = index.column();
    if (role == Qt::ToolTipRole) {
        if (c == pin) return isPinned(v) ? "No longer at the top" : "To the top";
        return v.name + (v.unit.isEmpty() ? "" : " in " + v.unit) + (v.text.isEmpty() ? "" : "\n" + v.text);
    }
    if (role == Qt::TextAlignmentRole)
        return int(Qt::AlignVCenter | (c == pin ? Qt::AlignHCenter : c == name ? Qt::AlignLeft : Qt::AlignRight));
    if (role == Qt::ForegroundRole) {
        const bool pale = v.text.isEmpty() || (v.age_s && *v.age_s > kOld_s);
        return c == pin && isPinned(v) ? theme_.lagoon : pale || c == rate || c == age ? theme_.quiet : theme_.ink;
    }
    if (role == Qt::FontRole) return uiFont(9, isPinned(v) && (c == name || c == value));
    if (role != Qt::DisplayRole) return {};
    switch (c) {
        case pin:
            return isPinned(v) ? "●" : "○";
        case name:
            return shortName(v);
        case value:
            return v.text.isEmpty() ? QString("–") : withUnit(v);
        case rate:
            return v.rate_hz ? shortRate(*v.rate_hz) : QString();
        case age:
            return v.age_s ? shortAge(*v.age_s) : QString();
    }
    return {};
}

QVariant ValuesModel::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal) return {};
    constexpr const char* kHeads[] = {"", "Channel", "Value", "Hz", "Age"};
    constexpr const char* kTips[] = {"At the top", "", "", "How often it comes, times a second",
                                     "How long ago the value shown came"};
    if (role == Qt::DisplayRole) return kHeads[section];
    if (role == Qt::ToolTipRole) return kTips[section];
    if (role == Qt::TextAlignmentRole)
        return int(Qt::AlignVCenter | (section <= name ? Qt::AlignLeft : Qt::AlignRight));
    return {};
}

void ValuesModel::setTheme(const Theme& theme) {
    theme_ = theme;
    if (rowCount() > 0) emit dataChanged(index(0, 0), index(rowCount() - 1, columns - 1));
}

void ValuesModel::setValues(std::vector<ShownValue> values) {
    const bool same_names =
        std::equal(values.begin(), values.end(), all_.begin(), all_.end(),
                   [](const ShownValue& a, const ShownValue& b) { return a.name == b.name && a.unit == b.unit; });
    if (!same_names) {
        all_ = std::move(values);
        return arrange();
    }
    // Rows stay: nothing scrolls away under the mouse while values change.
    all_ = std::move(values);
    if (rowCount() > 0) emit dataChanged(index(0, value), index(rowCount() - 1, age));
}

void ValuesModel::update(const std::vector<ShownValue>& values) {
    std::unordered_map<QString, const ShownValue*> by_name;
    for (const ShownValue& v : values) by_name.emplace(v.name, &v);
    for (std::size_t row = 0; row < shown_.size(); ++row) {
        ShownValue& own = all_[shown_[row]];
        const auto found = by_name.find(own.name);
        if (found == by_name.end() || own == *found->second) continue;
        own = *found->second;
        emit dataChanged(index(static_cast<int>(row), value), index(static_cast<int>(row), age));
    }
}

void ValuesModel::setFilter(const QString& words) {
    filter_ = words.trimmed();
    arrange();
}

void ValuesModel::setPinned(const QStringList& names) {
    pinned_ = names;
    arrange();
}

/// Each of the words is somewhere in the name.
void ValuesModel::arrange() {
    beginResetModel();
    shown_.clear();
    const QStringList words = filter_.split(' ', Qt::SkipEmptyParts);
    for (const bool want_pinned : {true, false})
        for (std::size_t i = 0; i < all_.size(); ++i)
            if (isPinned(all_[i]) == want_pinned && std::all_of(words.begin(), words.end(), [&](const QString& w) {
                    return all_[i].name.contains(w, Qt::CaseInsensitive);
                }))
                shown_.push_back(i);
    endResetModel();
}

ValuesView::ValuesView(const QString& settings, const QString& empty, QWidget* parent)
    : QWidget(parent), settings_(settings), empty_text_(empty) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    filter_ = new QLineEdit;
    filter_->setObjectName("values filter");
    filter_->setPlaceholderText("find a channel: words of its name");
    filter_->setClearButtonEnabled(true);
    column->addWidget(filter_);
    model_ = new ValuesModel(this);
    model_->setPinned(QSettings().value(settings_).toStringList());
    table_ = new QTableView;
    table_->setObjectName("values");
    table_->setModel(model_);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(24);
    table_->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    table_->setShowGrid(false);
    table_->setAlternatingRowColors(true);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setTextElideMode(Qt::ElideMiddle);
    table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* head = table_->horizontalHeader();
    head->setMinimumSectionSize(20);
    head->setHighlightSections(false);
    for (const int c : {ValuesModel::pin, ValuesModel::value, ValuesModel::rate, ValuesModel::age})
        head->setSectionResizeMode(c, QHeaderView::Fixed);
    head->setSectionResizeMode(ValuesModel::name, QHeaderView::Stretch);
    head->resizeSection(ValuesModel::pin, 22);
    head->resizeSection(ValuesModel::value, 98);
    head->resizeSection(ValuesModel::rate, 34);
    head->resizeSection(ValuesModel::age, 46);
    column->addWidget(table_, 1);
    empty_ = new QLabel;
    empty_->setObjectName("values empty");
    empty_->setWordWrap(true);
    column->addWidget(empty_);
    connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
        model_->setFilter(text);
        tellEmpty();
        emit viewChanged();
    });
    connect(table_, &QTableView::clicked, this, &ValuesView::pinAt);
    connect(table_, &QTableView::activated, this, [this](const QModelIndex& i) {
        if (i.column() != ValuesModel::pin) emit chosen(model_->at(i.row()).name);
    });
    connect(table_->verticalScrollBar(), &QScrollBar::valueChanged, this, &ValuesView::viewChanged);
    connect(table_->verticalScrollBar(), &QScrollBar::rangeChanged, this, &ValuesView::viewChanged);
    table_->installEventFilter(this);
    tellEmpty();
}

/// Space pins what the keys are on; it comes before the window's own use of it.
bool ValuesView::eventFilter(QObject* watched, QEvent* event) {
    const bool key = event->type() == QEvent::ShortcutOverride || event->type() == QEvent::KeyPress;
    if (watched != table_ || !key || static_cast<QKeyEvent*>(event)->key() != Qt::Key_Space)
        return QWidget::eventFilter(watched, event);
    event->accept();
    const QModelIndex at = table_->currentIndex();
    if (event->type() == QEvent::KeyPress && at.isValid()) {
        const QString name = model_->at(at.row()).name;
        pinAt(at.siblingAtColumn(ValuesModel::pin));
        for (int row = 0; row < model_->rowCount(); ++row)  // the keys stay on it
            if (model_->at(row).name == name) table_->setCurrentIndex(model_->index(row, at.column()));
    }
    return event->type() == QEvent::KeyPress;
}

void ValuesView::setTheme(const Theme& theme) {
    model_->setTheme(theme);
}

void ValuesView::setValues(std::vector<ShownValue> values) {
    model_->setValues(std::move(values));
    tellEmpty();
}

void ValuesView::tellEmpty() {
    empty_->setText(model_->count() == 0 ? empty_text_ : "No channel has these words in its name");
    empty_->setVisible(model_->rowCount() == 0);
}

void ValuesView::pinAt(const QModelIndex& index) {
    if (index.column() != ValuesModel::pin) return;
    const QString name = model_->at(index.row()).name;
    QStringList pinned = model_->pinned();
    if (!pinned.removeOne(name)) pinned << name;
    QSettings().setValue(settings_, pinned);
    const int scrolled = table_->verticalScrollBar()->value();
    model_->setPinned(pinned);
    table_->verticalScrollBar()->setValue(scrolled);
    emit viewChanged();
}

QStringList ValuesView::inView() const {
    QStringList out;
    const int first = std::max(0, table_->rowAt(0)), last = table_->rowAt(table_->viewport()->height() - 1);
    for (int row = first; row <= (last < 0 ? model_->rowCount() - 1 : last); ++row) out << model_->at(row).name;
    return out;
}

}  // namespace anhinga
