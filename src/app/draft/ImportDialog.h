// Before anything is imported: what of a file will become what.
#pragma once

#include <QDialog>
#include <vector>

#include "core/exchange/Import.h"

class QCheckBox;
class QDoubleSpinBox;
class QTableWidget;
class QLabel;
class QPushButton;

namespace anhinga {

class ImportDialog : public QDialog {
    Q_OBJECT
  public:
    /// `has_home`: the plan it goes into.
    ImportDialog(const ImportedFile& file, const QString& name, bool has_home, QWidget* parent = nullptr);
    /// One for each shape of the file.
    std::vector<ShapeRole> roles() const { return roles_; }
    /// The file as it is to be imported: flown lines thinned.
    const ImportedFile& file() const { return thin_; }
    /// Home is to be where the flight began.
    bool wantsHome() const;

  private:
    void thin();
    void refresh();

    const ImportedFile& file_;
    ImportedFile thin_;
    std::vector<ShapeRole> roles_;
    QTableWidget* table_ = nullptr;
    QLabel *sum_ = nullptr, *notes_ = nullptr;
    QDoubleSpinBox* tolerance_ = nullptr;
    QCheckBox* home_ = nullptr;
    QPushButton* accept_ = nullptr;
};

}  // namespace anhinga
