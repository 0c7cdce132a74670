#include "app/field/ValuesDialog.h"

#include <QTimer>
#include <QVBoxLayout>

namespace anhinga {

ValuesDialog::ValuesDialog(LinkSession* link, QWidget* parent) : QDialog(parent), link_(link) {
    setObjectName("values dialog");
    setWindowTitle("Values from the aircraft");
    resize(560, 620);
    auto* column = new QVBoxLayout(this);
    values_ = new ValuesView("field/pinned values", "Nothing is heard: connect to an aircraft first");
    column->addWidget(values_);
    again_ = new QTimer(this);
    constexpr int kEvery_ms = 250;
    again_->setInterval(kEvery_ms);
    connect(again_, &QTimer::timeout, this, &ValuesDialog::refresh);
}

void ValuesDialog::present() {
    show();
    raise();
    activateWindow();
    refresh();
    again_->start();
}

void ValuesDialog::refresh() {
    if (!isVisible()) return again_->stop();
    std::vector<ShownValue> rows;
    for (const LiveValue& v : link_->liveValues())
        rows.push_back({QString::fromStdString(v.name), QString::fromStdString(v.unit), QString::fromStdString(v.text),
                        v.rate_hz, v.age_s});
    // After the link has ended the last ones stay to be read.
    if (!rows.empty() || !link_->connected()) {
        if (rows.empty() && values_->model().count() > 0) return;
        values_->setValues(std::move(rows));
    }
}

}  // namespace anhinga
