#include "app/field/CarryOver.h"

#include <QDesktopServices>
#include <QtWidgets>

#include "core/exchange/CarryOver.h"

namespace anhinga {

CarryOverDialog::CarryOverDialog(PlanSession* plan, QWidget* parent) : QDialog(parent), plan_(plan) {
    setObjectName("carry over dialog");
    setWindowTitle("Carry-over");
    setMinimumWidth(520);
    auto* column = new QVBoxLayout(this);
    auto* text = new QLabel(
        "For an aircraft that takes no link the plan is carried as a file. It is read back here and "
        "compared point by point; a one-page sheet beside it says everything the file cannot.");
    text->setWordWrap(true);
    column->addWidget(text);
    format_ = new QComboBox;
    format_->setObjectName("carry format");
    for (const char* f : {"KML (.kml)", "KMZ (.kmz)", "GPX (.gpx)", "CSV (.csv)", "GeoJSON (.geojson)"})
        format_->addItem(f);
    column->addWidget(format_);
    result_ = new QLabel;
    result_->setObjectName("carry result");
    result_->setWordWrap(true);
    result_->setMinimumHeight(60);
    result_->setAlignment(Qt::AlignTop);
    column->addWidget(result_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    auto* save = buttons->addButton("Write file and sheet …", QDialogButtonBox::ActionRole);
    save->setObjectName("carry write");
    open_ = buttons->addButton("Open the sheet", QDialogButtonBox::ActionRole);
    open_->setEnabled(false);
    column->addWidget(buttons);
    buttons->button(QDialogButtonBox::Close)->setIcon({});
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(save, &QPushButton::clicked, this, [this] {
        const QString ending = format_->currentText().section('(', 1).chopped(1);
        const QString path = QFileDialog::getSaveFileName(this, "Carry-over file", "plan" + ending, "*" + ending);
        if (!path.isEmpty()) write(path.endsWith(ending) ? path : path + ending);
    });
    connect(open_, &QPushButton::clicked, this, [this] { QDesktopServices::openUrl(QUrl::fromLocalFile(sheet_)); });
}

bool CarryOverDialog::write(const QString& path) {
    const PlanView& view = plan_->flownView();
    const auto rehearsal = plan_->flownRehearsal();
    const auto done = carryOver(*plan_->plan(), view.path, path.toStdString(),
                                {&view.route, plan_->terrain().get(), rehearsal ? rehearsal->log.get() : nullptr});
    if (!done) {
        result_->setText(QString::fromStdString(done.error().message));
        return false;
    }
    sheet_ = QString::fromStdString(done->sheet);
    open_->setEnabled(true);
    QString text = done->agrees()
                       ? QString("<b>Read back, agrees:</b> %1 points, places within %2 cm, heights within %3 cm.")
                             .arg(done->points)
                             .arg(done->worst_place_m * 100, 0, 'f', 1)
                             .arg(done->worst_height_m * 100, 0, 'f', 1)
                       : QString("<b>The file does not hold the plan:</b> %1 of %2 points differ")
                             .arg(done->differences.size())
                             .arg(done->points);
    for (std::size_t i = 0; i < done->differences.size() && i < 6; ++i)
        text += "<br>" + QString::fromStdString(done->differences[i]).toHtmlEscaped();
    text += QString("<br>File %1<br>Sheet %2").arg(path.toHtmlEscaped(), sheet_.toHtmlEscaped());
    result_->setText(text);
    emit message(done->agrees() ? "Carried over and read back: it agrees"
                                : "Carried over, but the file does not hold the plan as it is");
    return true;
}

}  // namespace anhinga
