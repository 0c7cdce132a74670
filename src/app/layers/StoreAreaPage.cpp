#include "app/layers/StoreAreaPage.h"

#include <QtWidgets>

#include "app/widgets/Labels.h"
#include "core/plan/Edit.h"

namespace anhinga {

namespace {

QString grouped(std::uint64_t n) {
    return QLocale(QLocale::English).toString(static_cast<qulonglong>(n));
}

}  // namespace

StoreAreaPage::StoreAreaPage(PlanSession* session, QWidget* parent) : QWidget(parent), session_(session) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(7);
    auto* head = new QHBoxLayout;
    title_ = new QLabel("Store an area for the field");
    title_->setFont(uiFont(11, true));
    auto* back_button = new QPushButton("Back");
    back_button->setObjectName("store back");
    back_button->setProperty("link", true);
    connect(back_button, &QPushButton::clicked, this, &StoreAreaPage::back);
    head->addWidget(title_);
    head->addStretch();
    head->addWidget(back_button);
    column->addLayout(head);
    where_ = quietLabel();
    where_->setTextInteractionFlags(Qt::TextSelectableByMouse);

    auto* form = new QFormLayout;
    form->setVerticalSpacing(6);
    from_ = new QComboBox;
    from_->setObjectName("store from");
    from_->addItems({"What the map shows", "The plan and 500 m around", "Drawn on the map"});
    name_ = new QLineEdit;
    name_->setObjectName("store name");
    coarsest_ = new QSpinBox;
    coarsest_->setObjectName("store coarsest");
    finest_ = new QSpinBox;
    finest_->setObjectName("store finest");
    for (QSpinBox* z : {coarsest_, finest_}) {
        z->setRange(0, kZoomMax);
        z->setKeyboardTracking(false);  // the 1 of a 19 is not meant yet
        z->setButtonSymbols(QAbstractSpinBox::NoButtons);
        z->setFixedWidth(44);
        z->setToolTip("Each zoom shows half as much ground in a tile as the one before (Up, Down)");
    }
    auto* zooms = new QHBoxLayout;
    zooms->addWidget(coarsest_);
    zooms->addWidget(new QLabel("to"));
    zooms->addWidget(finest_);
    zooms->addStretch();
    form->addRow(quietLabel("Area"), from_);
    form->addRow(quietLabel("Name"), name_);
    form->addRow(quietLabel("Zooms"), zooms);
    column->addLayout(form);
    fine_ = quietLabel();
    column->addWidget(fine_);
    cost_ = new QLabel;
    cost_->setObjectName("store cost");
    cost_->setWordWrap(true);
    cost_->setFont(uiFont(9.5, true));
    column->addWidget(cost_);
    auto* row = new QHBoxLayout;
    store_ = new QPushButton("Store");
    store_->setObjectName("store start");
    store_->setProperty("primary", true);
    cancel_ = new QPushButton("Cancel");
    cancel_->setObjectName("store cancel");
    row->addWidget(store_, 1);
    row->addWidget(cancel_);
    column->addLayout(row);
    progress_ = new QProgressBar;
    progress_->setObjectName("store progress");
    column->addWidget(progress_);
    state_ = new QLabel;
    state_->setObjectName("store state");
    state_->setWordWrap(true);
    column->addWidget(state_);
    auto* stored = new QLabel("Stored areas of this map");
    stored->setProperty("title", true);
    column->addWidget(stored);
    list_ = new QListWidget;
    list_->setObjectName("store list");
    list_->setFixedHeight(92);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(list_);
    auto* second = new QHBoxLayout;
    resume_ = new QPushButton("Resume");
    resume_->setObjectName("store resume");
    show_ = new QPushButton("Go there");
    remove_ = new QPushButton("Remove");
    remove_->setObjectName("store remove");
    for (QPushButton* b : {resume_, show_, remove_}) second->addWidget(b);
    column->addLayout(second);
    column->addWidget(where_);

    soon_.setSingleShot(true);
    soon_.setInterval(120);
    connect(&soon_, &QTimer::timeout, this, &StoreAreaPage::count);
    const auto later = [this] {
        emit frameChanged();
        soon_.start();
    };
    connect(from_, &QComboBox::activated, this, [this, later](int i) {
        if (i == kDrawn) emit areaWanted();
        later();
    });
    connect(coarsest_, &QSpinBox::valueChanged, this, [this, later](int z) {
        if (finest_->value() < z) finest_->setValue(z);
        later();
    });
    connect(finest_, &QSpinBox::valueChanged, this, [this, later](int z) {
        if (coarsest_->value() > z) coarsest_->setValue(z);
        later();
    });
    connect(session_, &PlanSession::planChanged, this, [this, later] {
        if (from_->currentIndex() == kPlan && isVisible()) later();
    });
    connect(store_, &QPushButton::clicked, this, [this] { start(area()); });
    connect(cancel_, &QPushButton::clicked, this, [this] { work_.cancel(); });
    connect(resume_, &QPushButton::clicked, this, [this] {
        if (const auto a = chosen()) start(*a);
    });
    connect(show_, &QPushButton::clicked, this, [this] {
        if (const auto a = chosen()) {
            const UnitPoint nw = toUnitSquare({a->box.north, a->box.west}),
                            se = toUnitSquare({a->box.south, a->box.east});
            emit showBox({nw.x, nw.y, se.x < nw.x ? se.x + 1 : se.x, se.y});
        }
    });
    connect(remove_, &QPushButton::clicked, this, [this] {
        const auto a = chosen();
        if (!a || layer_ == nullptr) return;
        if (remove_->text() == "Remove") {  // the second press does it
            remove_->setText("Really remove?");
            QTimer::singleShot(4000, remove_, [b = remove_] { b->setText("Remove"); });
            return;
        }
        remove_->setText("Remove");
        if (work_.running() && work_.area().id == a->id && working_for_ == &layer_->source()) work_.cancel();
        const auto ok = layer_->source().stored()->removeArea(a->id);
        state_->setText(ok ? QString("\"%1\" was removed").arg(QString::fromStdString(a->name))
                           : QString::fromStdString(ok.error().message));
        fillList();
        count();
    });
    connect(list_, &QListWidget::currentRowChanged, this, &StoreAreaPage::refreshWork);
    connect(&work_, &AreaStoring::progressed, this, &StoreAreaPage::refreshWork);
    connect(&work_, &AreaStoring::finished, this, [this](bool, const QString& text) {
        state_->setText(text);
        working_for_ = nullptr;
        if (!isVisible()) emit message(text);
        fillList();
        count();
    });
}

void StoreAreaPage::open(WebLayer* layer) {
    layer_ = layer;
    const LayerSpec& s = layer->spec();
    title_->setText("Store an area for the field");
    const QSignalBlocker a(coarsest_), b(finest_);
    for (QSpinBox* z : {coarsest_, finest_}) z->setMaximum(s.zoom_max);
    const int now = std::min(zoomFor(view_.scale), s.zoom_max);
    coarsest_->setValue(std::max(0, now - 3));
    finest_->setValue(std::min(s.zoom_max, now + 2));
    if (name_->text().isEmpty()) name_->setText(QString::fromStdString(session_->plan()->title));
    const auto store = layer->source().stored();
    where_->setText(store ? QString("Map: %1\nKept in %2").arg(s.name, QString::fromStdString(store->path()))
                          : layer->source().problem());
    fillList();
    count();
    emit frameChanged();
}

void StoreAreaPage::forget(WebLayer* layer) {
    if (layer != nullptr && layer == layer_) layer_ = nullptr;
}

void StoreAreaPage::setTheme(const Theme& theme) {
    cost_->setStyleSheet(QString("color: %1").arg(theme.lagoon.name()));
}

bool StoreAreaPage::storing(const TileSource* source) const {
    return work_.running() && working_for_ == source;
}

void StoreAreaPage::showEvent(QShowEvent*) {
    emit frameChanged();
}
void StoreAreaPage::hideEvent(QHideEvent*) {
    emit frameChanged();
}

void StoreAreaPage::setView(const MapTransform& view) {
    const bool same = view.centre == view_.centre && view.scale == view_.scale && view.size == view_.size;
    view_ = view;
    if (!same && isVisible() && from_->currentIndex() == kView) soon_.start();
}

void StoreAreaPage::setDrawn(const GeoBox& box) {
    drawn_ = box;
    from_->setCurrentIndex(kDrawn);
    emit frameChanged();
    soon_.start();
}

std::optional<GeoBox> StoreAreaPage::frame() const {
    // What the map shows needs no frame: it is the map's own edge.
    return isVisible() && from_->currentIndex() != kView ? box() : std::nullopt;
}

std::optional<GeoBox> StoreAreaPage::box() const {
    if (from_->currentIndex() == kDrawn) return drawn_;
    if (from_->currentIndex() == kView) {
        const GeoPoint nw = view_.toGeo({0, 0}),
                       se = view_.toGeo({double(view_.size.width()), double(view_.size.height())});
        return GeoBox{se.lat_deg, nw.lon_deg, nw.lat_deg, se.lon_deg};
    }
    const std::vector<GeoPoint> all = placesOfWhole(*session_->plan());
    if (all.empty()) return std::nullopt;
    const LocalFrame frame(middleOf(all));
    Vec2 low{INFINITY, INFINITY}, high{-INFINITY, -INFINITY};
    for (const GeoPoint& g : all) {
        const Vec2 v = frame.toLocal(g);
        low = {std::min(low.x, v.x), std::min(low.y, v.y)};
        high = {std::max(high.x, v.x), std::max(high.y, v.y)};
    }
    const GeoPoint sw = frame.toGeo({low.x - 500, low.y - 500}), ne = frame.toGeo({high.x + 500, high.y + 500});
    return GeoBox{sw.lat_deg, sw.lon_deg, ne.lat_deg, ne.lon_deg};
}

StoredArea StoreAreaPage::area() const {
    const QString name = name_->text().trimmed();
    return {0, name.isEmpty() ? "Area" : name.toStdString(), box().value_or(GeoBox{}), coarsest_->value(),
            finest_->value()};
}

void StoreAreaPage::count() {
    const auto b = box();
    if (layer_ == nullptr || !b || !isValid(*b)) {
        cost_->setText(from_->currentIndex() == kDrawn  ? "Draw a rectangle on the map"
                       : from_->currentIndex() == kPlan ? "The plan has no place yet"
                                                        : "");
        fine_->clear();
        store_->setEnabled(false);
        return;
    }
    const double lat = (b->south + b->north) / 2;
    const double px =
        2 * M_PI * 6378137.0 * std::cos(lat * M_PI / 180) / kTileSide_px / std::ldexp(1.0, finest_->value());
    fine_->setText(QString("Finest: one pixel is %1 m on the ground").arg(px, 0, 'g', 2));
    const AreaCost cost = AreaStoring::cost(layer_->source(), area());
    QString text = QString("%1 tiles").arg(grouped(cost.tiles));
    if (cost.tiles > AreaStoring::kTilesMax) {
        text += QString(": more than %1. Choose a smaller area or a lower finest zoom")
                    .arg(grouped(AreaStoring::kTilesMax));
    } else if (cost.present == cost.tiles) {
        text += ", all of them here already";
    } else {
        text += QString(", about %1").arg(QString::fromStdString(bytesText(cost.bytes_missing)));
        if (!cost.known_size) text += " at usual size";
        if (cost.present > 0) text += QString(" (%1 here already)").arg(grouped(cost.present));
    }
    cost_->setText(text);
    store_->setEnabled(cost.tiles > 0 && cost.tiles <= AreaStoring::kTilesMax && !work_.running());
}

void StoreAreaPage::start(const StoredArea& area) {
    if (layer_ == nullptr) return;
    if (const auto ok = work_.start(&layer_->source(), area); !ok)
        return state_->setText(QString::fromStdString(ok.error().message));
    working_for_ = &layer_->source();
    state_->setText(QString("Storing \"%1\" …").arg(QString::fromStdString(area.name)));
    fillList();
}

void StoreAreaPage::refreshWork() {
    const bool works = work_.running();
    progress_->setVisible(works);
    cancel_->setVisible(works);
    if (works) {
        progress_->setRange(0, static_cast<int>(work_.total()));
        progress_->setValue(static_cast<int>(work_.done()));
        progress_->setFormat(QString("%1 of %2 tiles, %3")
                                 .arg(grouped(work_.done()), grouped(work_.total()),
                                      QString::fromStdString(bytesText(work_.fetchedBytes()))));
        store_->setEnabled(false);
    }
    const auto a = chosen();
    resume_->setEnabled(a && !works && !a->complete);
    show_->setEnabled(a.has_value());
    remove_->setEnabled(a.has_value());
}

std::optional<StoredArea> StoreAreaPage::chosen() const {
    if (layer_ == nullptr || !layer_->source().stored() || list_->currentRow() < 0) return std::nullopt;
    const auto all = layer_->source().stored()->areas();
    const auto i = static_cast<std::size_t>(list_->currentRow());
    return i < all.size() ? std::optional(all[i]) : std::nullopt;
}

void StoreAreaPage::fillList() {
    const int row = list_->currentRow();
    {
        const QSignalBlocker quiet(list_);
        list_->clear();
        if (layer_ != nullptr && layer_->source().stored())
            for (const StoredArea& a : layer_->source().stored()->areas()) {
                const auto tiles = TileWalk(a.box, a.zoom_from, a.zoom_to).count();
                const bool now = work_.running() && work_.area().id == a.id;
                list_->addItem(QString("%1\nzoom %2 to %3 · %4")
                                   .arg(QString::fromStdString(a.name))
                                   .arg(a.zoom_from)
                                   .arg(a.zoom_to)
                                   .arg(now ? QString("being stored")
                                        : a.complete
                                            ? QString("%1 tiles, %2")
                                                  .arg(grouped(tiles))
                                                  .arg(QDateTime::fromSecsSinceEpoch(static_cast<qint64>(a.stored_s))
                                                           .toString("yyyy-MM-dd"))
                                            : QString("not complete")));
            }
        list_->setCurrentRow(row >= 0 && row < list_->count() ? row : list_->count() - 1);
    }
    refreshWork();
}

}  // namespace anhinga
