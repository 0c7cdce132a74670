// Everything the aircraft says, now: each field of each message with its value, how often it comes and how old it is.
#pragma once

#include <QDialog>

#include "app/widgets/ValuesView.h"
#include "session/LinkSession.h"

class QTimer;

namespace anhinga {

class ValuesDialog : public QDialog {
    Q_OBJECT
  public:
    explicit ValuesDialog(LinkSession* link, QWidget* parent = nullptr);
    void setTheme(const Theme& theme) { values_->setTheme(theme); }
    void present();
    ValuesView& values() { return *values_; }

  private:
    void refresh();
    LinkSession* link_;
    ValuesView* values_;
    QTimer* again_;
};

}  // namespace anhinga
