#include "app/draft/MovePlanDialog.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/plan/Edit.h"

namespace anhinga {

namespace {

struct Summary {
    QString home, lowest, stops;
};
Summary summaryOf(const Plan& plan, TerrainPtr terrain) {
    const auto home = homeAmsl(plan, terrain.get());
    const PlanAnalysis analysis = beginAnalysis(std::make_shared<const Plan>(plan), std::move(terrain));
    const PlanView& view = analysis.view;
    const auto stops = stopsBefore(analysis, 0).size();
    return {home ? QString("%1 m AMSL").arg(*home, 0, 'f', 1) : QString("unknown"),
            view.clearance.lowest_m ? QString("%1 m%2")
                                          .arg(*view.clearance.lowest_m, 0, 'f', 0)
                                          .arg(view.clearance.has_unknown ? ", partly unknown" : "")
                                    : QString("unknown"),
            QString::number(stops)};
}

}  // namespace

MovePlanDialog::MovePlanDialog(PlanPtr plan, TerrainPtr terrain, std::optional<GeoPoint> home_to, QWidget* parent)
    : QDialog(parent), plan_(std::move(plan)), terrain_(std::move(terrain)), moved_(*plan_) {
    setObjectName("move plan");
    setWindowTitle("Move the whole plan");
    resize(470, 330);
    auto* form = new QFormLayout(this);
    distance_ = new QLineEdit("0 m");
    distance_->setObjectName("move distance");
    bearing_ = new QLineEdit("0°");
    bearing_->setObjectName("move bearing");
    home_ = new QLineEdit;
    home_->setObjectName("move home");
    home_->setPlaceholderText("or where home comes to lie");
    if (home_to) home_->setText(QString::fromStdString(coordinateText(*home_to, CoordinateFormat::decimal)));
    form->addRow("Distance", distance_);
    form->addRow("Bearing", bearing_);
    form->addRow("Home to", home_);
    result_ = new QLabel;
    result_->setObjectName("move result");
    result_->setTextFormat(Qt::RichText);
    result_->setWordWrap(true);
    form->addRow(result_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel);
    accept_ = buttons->addButton("Move", QDialogButtonBox::AcceptRole);
    accept_->setObjectName("move accept");
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    form->addRow(buttons);
    for (QLineEdit* field : {distance_, bearing_, home_})
        connect(field, &QLineEdit::textChanged, this, &MovePlanDialog::refresh);
    refresh();
}

void MovePlanDialog::refresh() {
    accept_->setEnabled(false);
    double distance = 0, bearing = 0;
    if (!home_->text().trimmed().isEmpty()) {
        const auto to = parseCoordinate(home_->text().toStdString());
        if (!to) return result_->setText(QString::fromStdString(to.error().message).toHtmlEscaped());
        distance = distance_m(plan_->home->position, *to);
        bearing = bearing_deg(plan_->home->position, *to);
    } else {
        const auto d = typedNumber(distance_->text(), "m"), b = typedNumber(bearing_->text(), "°");
        if (!d || !b || std::abs(*d) > 2e7)
            return result_->setText("A distance (250 m) and a bearing (90°) are needed.");
        distance = *d;
        bearing = *b;
    }
    moved_ = *plan_;
    moveWholePlan(moved_, bearing, distance);
    const auto ground = terrain_->sample(moved_.home->position);
    if (!moved_.heights_set_at_amsl_m) moved_.heights_set_at_amsl_m = homeAmsl(*plan_, terrain_.get());
    moved_.home->amsl_m = ground;
    const Summary a = summaryOf(*plan_, terrain_), b = summaryOf(moved_, terrain_);
    int above_home = 0;
    for (const Item& i : moved_.items)
        above_home += i.kind != ItemKind::returnHome && effectiveHeight(moved_, i).ref == HeightRef::home;
    result_->setText(inUnits(
        QString("<table cellpadding=3><tr><td></td><td><b>now</b></td><td><b>moved %7</b></td></tr>"
                "<tr><td>Home</td><td>%1</td><td>%2</td></tr>"
                "<tr><td>Lowest clearance</td><td>%3</td><td>%4</td></tr>"
                "<tr><td>Findings that stop</td><td>%5</td><td>%6</td></tr></table>"
                "%8 heights above home keep their numbers and move with home's height above sea level. "
                "Terrain is judged; obstacles only where drawn.")
            .arg(a.home, b.home, a.lowest, b.lowest, a.stops, b.stops, QString::fromStdString(distanceText(distance)))
            .arg(above_home)));
    accept_->setEnabled(distance > 0);
}

}  // namespace anhinga
