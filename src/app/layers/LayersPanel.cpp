#include "app/layers/LayersPanel.h"

#include <QtWidgets>

#include "app/layers/PictureLayers.h"
#include "app/widgets/Labels.h"
#include "core/exchange/Import.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

namespace {

enum Page { kList, kWebForm, kStore };

QString aboutLayer(const Layer& layer, const PlanSession& session) {
    const LayerSpec& s = layer.spec();
    if (!layer.problem().isEmpty()) return layer.problem();
    switch (s.kind) {
        case LayerKind::backdrop:
            return "Land and sea of the world, and the plan's terrain tinted by height";
        case LayerKind::planPicture: {
            QStringList names;
            for (const std::string& f : session.plan()->imagery_files)
                names << QFileInfo(QString::fromStdString(f)).fileName();
            return names.isEmpty() ? QString("The plan names no picture file") : names.join(", ");
        }
        case LayerKind::relief:
        case LayerKind::contours:
            return session.terrain()->empty()
                       ? QString("Needs terrain: add a file with heights to the plan")
                       : QString("From the plan's terrain, %1 m grid").arg(session.terrain()->cell_m(), 0, 'f', 0);
        case LayerKind::cover:
            return "How many photos of the patterns see each place";
        case LayerKind::grid:
            return "Follows the way coordinates are shown (Settings)";
        case LayerKind::picture:
        case LayerKind::overlay:
        case LayerKind::webMap:
            return s.source;
    }
    return {};
}

}  // namespace

LayersPanel::LayersPanel(LayerStack* stack, PlanSession* session, QWidget* parent)
    : QFrame(parent), stack_(stack), session_(session) {
    setObjectName("layers");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 12);
    pages_ = new QStackedWidget;
    column->addWidget(pages_);
    pages_->addWidget(makeList());
    pages_->addWidget(makeWebForm());
    store_ = new StoreAreaPage(session_);
    pages_->addWidget(store_);
    connect(store_, &StoreAreaPage::back, this, [this] {
        pages_->setCurrentIndex(kList);
        emit resized();
    });
    connect(store_, &StoreAreaPage::message, this, &LayersPanel::message);
    connect(stack_, &LayerStack::listChanged, this, &LayersPanel::refresh);
    connect(session_, &PlanSession::terrainChanged, this, &LayersPanel::showChosen);
    refresh();
}

QWidget* LayersPanel::makeList() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(7);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel("Map layers");
    title->setFont(uiFont(11, true));
    auto* close = new QPushButton("Close");
    close->setObjectName("layers close");
    close->setProperty("link", true);
    connect(close, &QPushButton::clicked, this, &LayersPanel::closeWanted);
    head->addWidget(title);
    head->addStretch();
    head->addWidget(close);
    column->addLayout(head);
    list_ = new QListWidget;
    list_->setObjectName("layer list");
    list_->setDragDropMode(QAbstractItemView::InternalMove);
    list_->setFixedHeight(142);
    list_->setToolTip("The topmost lies over the others. Drag to reorder, or Alt+Up and Alt+Down");
    column->addWidget(list_);
    connect(list_, &QListWidget::currentRowChanged, this, &LayersPanel::showChosen);
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        if (filling_) return;
        const auto n = static_cast<int>(stack_->layers().size());
        const int i = n - 1 - list_->row(item);
        if (i >= 0 && i < n)
            stack_->layers()[static_cast<std::size_t>(i)]->setVisible(item->checkState() == Qt::Checked);
    });
    connect(list_->model(), &QAbstractItemModel::rowsMoved, this,
            [this](const QModelIndex&, int from, int, const QModelIndex&, int to) {
                if (filling_) return;
                const auto n = static_cast<int>(stack_->layers().size());
                Layer* layer = stack_->layers()[static_cast<std::size_t>(n - 1 - from)].get();
                // Not from inside the list's own drop.
                QTimer::singleShot(
                    0, this, [this, layer, row = to > from ? to - 1 : to, n] { stack_->move(layer, n - 1 - row); });
            });
    auto* strength = new QHBoxLayout;
    opacity_ = new QSlider(Qt::Horizontal);
    opacity_->setObjectName("layer opacity");
    opacity_->setRange(0, 100);
    opacity_text_ = quietLabel();
    opacity_text_->setFixedWidth(44);
    strength->addWidget(quietLabel("Opacity"));
    strength->addWidget(opacity_, 1);
    strength->addWidget(opacity_text_);
    column->addLayout(strength);
    connect(opacity_, &QSlider::valueChanged, this, [this](int v) {
        opacity_text_->setText(QString("%1 %").arg(v));
        if (Layer* l = chosen(); l != nullptr && !filling_) l->setOpacity(v / 100.0);
    });
    about_ = quietLabel();
    about_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    about_->setMinimumHeight(34);
    about_->setAlignment(Qt::AlignTop);
    column->addWidget(about_);
    auto* row = new QHBoxLayout;
    row->setSpacing(5);
    const auto button = [&](const QString& text, const QString& name, const QString& tip, auto act) {
        auto* b = new QPushButton(text);
        b->setObjectName(name);
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, act);
        row->addWidget(b);
        return b;
    };
    up_ = button("Raise", "layer up", "Over the next one (Alt+Up)", [this] { shift(1); });
    down_ = button("Lower", "layer down", "Under the next one (Alt+Down)", [this] { shift(-1); });
    go_ = button("Go to", "layer go", "Shows the whole of it on the map", [this] {
        if (Layer* l = chosen(); l != nullptr && l->extent()) emit showBox(*l->extent());
    });
    remove_ = button("Remove", "layer remove", "From the list; no file is deleted", [this] {
        Layer* l = chosen();
        if (auto* web = dynamic_cast<WebLayer*>(l); web != nullptr && store_->storing(&web->source()))
            return emit message("An area of this map is being stored: cancel that first");
        store_->forget(dynamic_cast<WebLayer*>(l));
        stack_->remove(l);
    });
    column->addLayout(row);
    list_->installEventFilter(this);
    keep_ = new QPushButton("Store an area for the field …");
    keep_->setObjectName("store area");
    keep_->setProperty("primary", true);
    connect(keep_, &QPushButton::clicked, this, &LayersPanel::storeArea);
    column->addWidget(keep_);
    auto* add = new QGridLayout;
    add->setSpacing(5);
    const std::tuple<const char*, const char*, void (LayersPanel::*)()> adds[] = {
        {"Add picture …", "GeoTIFF, MBTiles or another georeferenced picture", &LayersPanel::addPicture},
        {"Add drawing …", "GeoJSON, KML, KMZ, GPX or CSV, shown but not part of the plan", &LayersPanel::addOverlay},
        {"Add web map …", "Tiles from an address you may use", &LayersPanel::addWebMap},
        {"Add terrain …", "Heights of the ground for this plan: GeoTIFF, HGT, ...", &LayersPanel::addTerrain}};
    int k = 0;
    for (const auto& [text, tip, act] : adds) {
        auto* b = new QPushButton(text);
        b->setObjectName(QString("layers %1").arg(QString(text).chopped(2).toLower()));
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, act);
        add->addWidget(b, k / 2, k % 2);
        ++k;
    }
    column->addLayout(add);
    return page;
}

QWidget* LayersPanel::makeWebForm() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    auto* title = new QLabel("Add a web map");
    title->setFont(uiFont(11, true));
    column->addWidget(title);
    column->addWidget(
        quietLabel("Any server of map tiles that you are allowed to use. Its terms say what has to stand on "
                   "the map and whether tiles may be stored."));
    const auto field = [&](const QString& text, const QString& name, const QString& hint) {
        column->addWidget(quietLabel(text));
        auto* e = new QLineEdit;
        e->setObjectName(name);
        e->setPlaceholderText(hint);
        column->addWidget(e);
        return e;
    };
    web_name_ = field("Name", "web name", "Survey office, aerial");
    web_pattern_ = field("Address", "web address", "http://server/{z}/{x}/{y}.png");
    web_attribution_ = field("Attribution", "web attribution", "© its makers");
    auto* row = new QHBoxLayout;
    row->addWidget(quietLabel("Finest zoom it has"));
    web_zoom_ = new QSpinBox;
    web_zoom_->setObjectName("web zoom");
    web_zoom_->setRange(0, kZoomMax);
    web_zoom_->setValue(19);
    row->addWidget(web_zoom_);
    column->addLayout(row);
    web_problem_ = new QLabel;
    web_problem_->setWordWrap(true);
    web_problem_->setObjectName("web problem");
    column->addWidget(web_problem_);
    column->addStretch();
    auto* buttons = new QHBoxLayout;
    auto* cancel = new QPushButton("Cancel");
    auto* ok = new QPushButton("Add");
    ok->setObjectName("web add");
    ok->setProperty("primary", true);
    buttons->addWidget(cancel);
    buttons->addWidget(ok);
    column->addLayout(buttons);
    connect(cancel, &QPushButton::clicked, this, [this] {
        pages_->setCurrentIndex(kList);
        emit resized();
    });
    const auto accept = [this] {
        const QString pattern = web_pattern_->text().trimmed();
        if (const auto good = checkTilePattern(pattern.toStdString()); !good)
            return web_problem_->setText(QString::fromStdString(good.error().message));
        const QString host = QUrl(pattern).host();
        Layer* layer =
            stack_->add({LayerKind::webMap, web_name_->text().trimmed().isEmpty() ? host : web_name_->text().trimmed(),
                         pattern, web_attribution_->text().trimmed(), web_zoom_->value(), 1, true});
        web_problem_->clear();
        pages_->setCurrentIndex(kList);
        const auto& all = stack_->layers();
        for (std::size_t i = 0; i < all.size(); ++i)
            if (all[i].get() == layer) list_->setCurrentRow(static_cast<int>(all.size() - 1 - i));
        emit resized();
    };
    connect(ok, &QPushButton::clicked, this, accept);
    connect(web_pattern_, &QLineEdit::returnPressed, this, accept);
    return page;
}

void LayersPanel::setTheme(const Theme& theme) {
    setStyleSheet(QString("#layers { background: %1; border: 1px solid %2; border-radius: 4px; }")
                      .arg(theme.panel.name(), theme.ink.name()));
    web_problem_->setStyleSheet(QString("color: %1").arg(theme.vermilion.name()));
    store_->setTheme(theme);
}

bool LayersPanel::event(QEvent* event) {
    const bool done = QFrame::event(event);
    // A text took another line: the panel has no layout above it that would give it the room.
    if (event->type() == QEvent::LayoutRequest) emit resized();
    return done;
}

bool LayersPanel::eventFilter(QObject* watched, QEvent* event) {
    // In the list these keys move a layer, not what is selected in the plan.
    if (watched == list_ && (event->type() == QEvent::ShortcutOverride || event->type() == QEvent::KeyPress)) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Space && event->type() == QEvent::ShortcutOverride) {
            event->accept();  // shows and hides; elsewhere it plays the rehearsal
            return true;
        }
        const bool up = key->key() == Qt::Key_Up, down = key->key() == Qt::Key_Down;
        if (key->modifiers() == Qt::AltModifier && (up || down)) {
            if (event->type() == QEvent::KeyPress) shift(up ? 1 : -1);
            event->accept();
            return true;
        }
    }
    return QFrame::eventFilter(watched, event);
}

Layer* LayersPanel::chosen() const {
    const auto n = static_cast<int>(stack_->layers().size());
    const int i = n - 1 - list_->currentRow();
    return list_->currentRow() >= 0 && i >= 0 && i < n ? stack_->layers()[static_cast<std::size_t>(i)].get() : nullptr;
}

void LayersPanel::refresh() {
    const bool was = std::exchange(filling_, true);
    const int row = std::max(0, list_->currentRow());
    list_->clear();
    const auto& all = stack_->layers();
    for (auto layer = all.rbegin(); layer != all.rend(); ++layer) {
        const LayerSpec& s = (*layer)->spec();
        auto* item = new QListWidgetItem(s.name + ((*layer)->problem().isEmpty() ? "" : "  (problem)"));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable | Qt::ItemIsDragEnabled);
        item->setCheckState(s.visible ? Qt::Checked : Qt::Unchecked);
        list_->addItem(item);
    }
    list_->setCurrentRow(std::min(row, list_->count() - 1));
    filling_ = was;
    showChosen();
}

void LayersPanel::showChosen() {
    const bool was = std::exchange(filling_, true);
    const Layer* layer = chosen();
    opacity_->setEnabled(layer != nullptr);
    if (layer != nullptr) {
        opacity_->setValue(static_cast<int>(std::lround(layer->spec().opacity * 100)));
        opacity_text_->setText(QString("%1 %").arg(opacity_->value()));
        about_->setText(aboutLayer(*layer, *session_));
    }
    remove_->setEnabled(stack_->canRemove(layer));
    go_->setEnabled(layer != nullptr && layer->extent().has_value());
    up_->setEnabled(list_->currentRow() > 0);
    down_->setEnabled(list_->currentRow() + 1 < list_->count());
    bool web = false;
    for (const auto& l : stack_->layers()) web |= l->spec().kind == LayerKind::webMap;
    keep_->setEnabled(web);
    keep_->setToolTip(web ? "Tiles of a web map, on disk before you go out"
                          : "Add a web map first: pictures and terrain files are on disk already");
    filling_ = was;
}

void LayersPanel::shift(int by) {
    Layer* layer = chosen();
    if (layer == nullptr) return;
    const int row = list_->currentRow() - by;
    if (row < 0 || row >= list_->count()) return;
    stack_->move(layer, list_->count() - 1 - row);
    list_->setCurrentRow(row);
}

void LayersPanel::addPicture() {
    const QString path =
        QFileDialog::getOpenFileName(window(), "Add picture", QSettings().value("map/folder").toString(),
                                     "Pictures with a place (*.tif *.tiff *.mbtiles *.vrt *.jp2);;All files (*)");
    if (path.isEmpty()) return;
    QSettings().setValue("map/folder", QFileInfo(path).absolutePath());
    const auto source = ImagerySource::open(path.toStdString());
    if (!source) return emit message(QString::fromStdString(source.error().message));
    stack_->add({LayerKind::picture, QFileInfo(path).completeBaseName(), path, {}, 19, 1, true});
    emit showBox((*source)->extent());
}

void LayersPanel::addOverlay() {
    const QString path =
        QFileDialog::getOpenFileName(window(), "Add drawing", QSettings().value("map/folder").toString(),
                                     "Drawings (*.geojson *.json *.kml *.kmz *.gpx *.csv);;All files (*)");
    if (path.isEmpty()) return;
    QSettings().setValue("map/folder", QFileInfo(path).absolutePath());
    const auto shapes = readShapes(path.toStdString());
    if (!shapes) return emit message(QString::fromStdString(shapes.error().message));
    stack_->add({LayerKind::overlay, QFileInfo(path).completeBaseName(), path, {}, 19, 1, true});
    emit message(QString("%1 shapes of %2 are shown. They are not part of the plan; \"Import into plan\" makes them so")
                     .arg(shapes->shapes.size())
                     .arg(QFileInfo(path).fileName()));
}

void LayersPanel::addTerrain() {
    const QString path =
        QFileDialog::getOpenFileName(window(), "Add terrain", QSettings().value("map/folder").toString(),
                                     "Heights (*.tif *.tiff *.hgt *.asc *.vrt);;All files (*)");
    if (path.isEmpty()) return;
    QSettings().setValue("map/folder", QFileInfo(path).absolutePath());
    if (const auto ok = session_->addTerrain(path); !ok) emit message(QString::fromStdString(ok.error().message));
}

void LayersPanel::addWebMap() {
    pages_->setCurrentIndex(kWebForm);
    web_pattern_->setFocus();
    emit resized();
}

void LayersPanel::storeArea() {
    auto* web = dynamic_cast<WebLayer*>(chosen());
    for (const auto& l : stack_->layers())
        if (web == nullptr) web = dynamic_cast<WebLayer*>(l.get());
    if (web == nullptr) return emit message("Add a web map first (Map layers): only its tiles have to be stored");
    store_->open(web);
    pages_->setCurrentIndex(kStore);
    emit resized();
}

}  // namespace anhinga
