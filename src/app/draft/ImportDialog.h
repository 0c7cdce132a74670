// Before anything is imported: what of a file will become what.
#pragma once

#include <QDialog>
#include <vector>

#include "core/exchange/Import.h"

class QTableWidget;
class QLabel;
class QPushButton;

namespace anhinga {

class ImportDialog : public QDialog {
    Q_OBJECT
  public:
    ImportDialog(const ImportedFile& file, const QString& name, QWidget* parent = nullptr);
    /// One for each shape of the file.
    std::vector<ShapeRole> roles() const { return roles_; }

  private:
    void refresh();

    const ImportedFile& file_;
    std::vector<ShapeRole> roles_;
    QTableWidget* table_ = nullptr;
    QLabel* sum_ = nullptr;
    QPushButton* accept_ = nullptr;
};

}  // namespace anhinga
