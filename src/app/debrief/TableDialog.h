// What each column of a table log is: recognised, or said here once and remembered for tables with the same header.
#pragma once

#include <QDialog>

#include "core/logio/TableLog.h"

class QComboBox;
class QLabel;
class QPushButton;
class QTableWidget;

namespace anhinga {

/// The mapping kept for tables with that header; an empty one when there is none.
TableMapping rememberedMapping(const std::string& signature);
void rememberMapping(const std::string& signature, const TableMapping& mapping);

class TableDialog : public QDialog {
    Q_OBJECT
  public:
    /// `bytes`: the file, or its beginning.
    TableDialog(const QString& path, std::string bytes, QWidget* parent = nullptr);
    const TableMapping& mapping() const { return mapping_; }
    bool usable() const { return usable_; }

  private:
    void fill();
    void take(int row);
    void refreshSummary(const TableLayout& layout);

    std::string bytes_, signature_;
    TableMapping mapping_;
    bool usable_ = false, filling_ = false;
    QTableWidget* table_;
    QLabel* summary_;
    QComboBox* zone_;
    QPushButton* open_;
};

}  // namespace anhinga
