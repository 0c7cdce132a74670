// Values by name: what each is, how often it comes and how old it is; found by typing, pinned to the top by a click.
#pragma once

#include <QAbstractTableModel>
#include <QStringList>
#include <QWidget>
#include <optional>
#include <vector>

#include "app/widgets/Theme.h"

class QLabel;
class QLineEdit;
class QTableView;

namespace anhinga {

struct ShownValue {
    QString name, unit;
    QString text;  // without its unit; empty: not known
    std::optional<double> rate_hz, age_s;
    bool operator==(const ShownValue&) const = default;
};

/// The rows that are shown: pinned ones first, else in the order they were given in.
class ValuesModel : public QAbstractTableModel {
    Q_OBJECT
  public:
    enum Column { pin, name, value, rate, age, columns };
    using QAbstractTableModel::QAbstractTableModel;
    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

    void setTheme(const Theme& theme);
    void setValues(std::vector<ShownValue> values);
    /// Of those that are there already; others are passed over.
    void update(const std::vector<ShownValue>& values);
    void setFilter(const QString& words);
    void setPinned(const QStringList& names);
    const QStringList& pinned() const { return pinned_; }
    const ShownValue& at(int row) const { return all_[shown_[static_cast<std::size_t>(row)]]; }
    std::size_t count() const { return all_.size(); }

  private:
    void arrange();
    bool isPinned(const ShownValue& v) const { return pinned_.contains(v.name); }
    std::vector<ShownValue> all_;
    std::vector<std::size_t> shown_;
    QString filter_;
    QStringList pinned_;
    Theme theme_ = Theme::light();
};

class ValuesView : public QWidget {
    Q_OBJECT
  public:
    /// `settings`: under which key its pins are remembered; `empty`: what stands there while there is nothing.
    ValuesView(const QString& settings, const QString& empty, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void setValues(std::vector<ShownValue> values);
    void update(const std::vector<ShownValue>& values) { model_->update(values); }
    /// Those whose rows are in view.
    QStringList inView() const;
    ValuesModel& model() { return *model_; }

  signals:
    /// Other rows are in view: by scrolling, typing, pinning.
    void viewChanged();
    void chosen(const QString& name);  // by a double click, or Return

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void pinAt(const QModelIndex& index);
    void tellEmpty();
    QString settings_, empty_text_;
    ValuesModel* model_;
    QLineEdit* filter_;
    QTableView* table_;
    QLabel* empty_;
};

}  // namespace anhinga
