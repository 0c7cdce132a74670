#include "app/shell/StartPage.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/plan/PlanFile.h"
#include "core/plan/Templates.h"

namespace anhinga {

namespace {

constexpr QSize kCard(264, 218), kPicture(248, 132);

/// A card: picture, title, place, and what it takes.
class CardDelegate : public QStyledItemDelegate {
  public:
    explicit CardDelegate(const PlanShelf* shelf, QObject* parent) : QStyledItemDelegate(parent), shelf_(shelf) {}
    Theme theme = Theme::light();
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return kCard; }
    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const QString path = index.data(Qt::UserRole).toString();
        const PlanSummary* plan = nullptr;
        for (const PlanSummary& s : shelf_->plans())
            if (s.path == path) plan = &s;
        if (plan == nullptr) return;
        p->save();
        p->setRenderHint(QPainter::Antialiasing);
        const QRect r = option.rect.adjusted(4, 4, -4, -4);
        const bool active = (option.state & (QStyle::State_Selected | QStyle::State_MouseOver)) != 0;
        p->setPen(QPen(active ? theme.lagoon : theme.hairline(), active ? 2 : 1));
        p->setBrush(theme.raised);
        p->drawRoundedRect(r, 4, 4);
        const QRect picture(r.left() + (r.width() - kPicture.width()) / 2, r.top() + 4, kPicture.width(),
                            kPicture.height());
        if (!plan->picture.isNull()) {
            p->drawImage(picture.topLeft(), plan->picture);
        } else {
            p->fillRect(picture, theme.panel);
            p->setPen(theme.quiet);
            p->setFont(uiFont(9));
            p->drawText(picture.adjusted(10, 4, -10, -4), Qt::AlignCenter | Qt::TextWordWrap,
                        plan->problem.isEmpty() ? "nothing drawn yet" : "cannot be read");
        }
        const int x = r.left() + 10, w = r.width() - 20;
        p->setPen(theme.ink);
        p->setFont(uiFont(10.5, true));
        p->drawText(QRect(x, r.top() + 140, w, 20), Qt::AlignVCenter,
                    p->fontMetrics().elidedText(plan->title, Qt::ElideRight, w));
        p->setFont(uiFont(8.5));
        if (!plan->problem.isEmpty()) {
            p->setPen(theme.vermilion);
            p->drawText(QRect(x, r.top() + 160, w, 44), Qt::AlignTop | Qt::TextWordWrap,
                        p->fontMetrics().elidedText(plan->problem, Qt::ElideMiddle, 2 * w - 30));
            p->restore();
            return;
        }
        const QString batteries = !plan->batteries        ? QString("batteries unknown")
                                  : *plan->batteries == 1 ? QString("1 battery")
                                                          : QString("%1 batteries").arg(*plan->batteries);
        p->drawText(QRect(x, r.top() + 161, w, 18), Qt::AlignVCenter, sizeText(*plan) + " · " + batteries);
        p->setPen(theme.quiet);
        const QString date = plan->changed.toString("yyyy-MM-dd hh:mm");
        p->drawText(QRect(x, r.top() + 179, w, 18), Qt::AlignVCenter | Qt::AlignRight, date.left(10));
        p->setFont(monoFont(8));
        p->drawText(QRect(x, r.top() + 179, w - 74, 18), Qt::AlignVCenter,
                    plan->place ? shownCoordinate({std::round(plan->place->lat_deg * 1e4) / 1e4,
                                                   std::round(plan->place->lon_deg * 1e4) / 1e4})
                                : QString("no place yet"));
        p->restore();
    }

  private:
    const PlanShelf* shelf_;
};

}  // namespace

QString sizeText(const PlanSummary& plan) {
    if (plan.area_m2 > 0) {
        const QString ha = QString("%1 ha").arg(plan.area_m2 / 1e4, 0, 'f', plan.area_m2 < 1e5 ? 1 : 0);
        return plan.length_m > 0 ? ha + ", " + inUnits(distanceText(plan.length_m), UnitKind::distance) : ha;
    }
    return plan.length_m > 0 ? inUnits(distanceText(plan.length_m), UnitKind::distance) : QString("no route yet");
}

StartPage::StartPage(QWidget* parent) : QWidget(parent) {
    setObjectName("start");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(28, 22, 28, 16);
    row->setSpacing(30);
    auto* left = new QVBoxLayout;
    left->setSpacing(7);
    const auto heading = [](const QString& text) {
        auto* l = new QLabel(text);
        l->setFont(uiFont(11, true));
        return l;
    };
    left->addWidget(heading("Begin"));
    const auto button = [&](QVBoxLayout* column, const QString& text, const QString& about, const QString& name) {
        auto* b = new QPushButton;
        b->setObjectName(name);
        b->setFixedWidth(230);
        b->setText(about.isEmpty() ? text : text + "\n" + about);
        b->setStyleSheet("text-align: left; padding: 7px 12px;");
        column->addWidget(b);
        return b;
    };
    connect(button(left, "Open a file …", {}, "start open"), &QPushButton::clicked, this, &StartPage::browseWanted);
    const auto& table = planTemplates();
    for (std::size_t i = 0; i < table.size(); ++i)
        connect(button(left, table[i].name, table[i].text, QString("template %1").arg(table[i].name)),
                &QPushButton::clicked, this, [this, i] { emit templateWanted(static_cast<int>(i)); });
    left->addSpacing(10);
    left->addWidget(heading("Your templates"));
    own_ = new QVBoxLayout;
    own_->setSpacing(7);
    left->addLayout(own_);
    left->addStretch();
    auto* back = new QPushButton("Back to the open plan   Esc");
    back->setObjectName("start back");
    connect(back, &QPushButton::clicked, this, &StartPage::backWanted);
    left->addWidget(back);
    row->addLayout(left);

    auto* right = new QVBoxLayout;
    auto* head = new QHBoxLayout;
    head->addWidget(heading("Plans"));
    head->addStretch();
    search_ = new QLineEdit;
    search_->setObjectName("start search");
    search_->setPlaceholderText("Search title, notes, folder, date");
    search_->setFixedWidth(300);
    search_->setClearButtonEnabled(true);
    head->addWidget(search_);
    right->addLayout(head);
    none_ = new QLabel;
    none_->setProperty("quiet", true);
    none_->setWordWrap(true);
    right->addWidget(none_);
    cards_ = new QListWidget;
    cards_->setObjectName("start cards");
    cards_->setViewMode(QListView::IconMode);
    cards_->setMovement(QListView::Static);
    cards_->setResizeMode(QListView::Adjust);
    cards_->setUniformItemSizes(true);
    cards_->setMouseTracking(true);
    cards_->setFrameShape(QFrame::NoFrame);
    cards_->setStyleSheet("background: transparent; border: none;");
    cards_->setItemDelegate(new CardDelegate(&shelf_, this));
    right->addWidget(cards_, 1);
    row->addLayout(right, 1);
    connect(search_, &QLineEdit::textChanged, this, &StartPage::fill);
    connect(search_, &QLineEdit::returnPressed, this, [this] {
        if (cards_->count() > 0) emit openWanted(cards_->item(0)->data(Qt::UserRole).toString());
    });
    connect(&shelf_, &PlanShelf::changed, this, &StartPage::fill);
    const auto open = [this](QListWidgetItem* item) { emit openWanted(item->data(Qt::UserRole).toString()); };
    connect(cards_, &QListWidget::itemClicked, this, open);
    auto* enter = new QShortcut(Qt::Key_Return, cards_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(enter, &QShortcut::activated, this, [this, open] {
        if (cards_->currentItem() != nullptr) open(cards_->currentItem());
    });
    auto* escape = new QShortcut(Qt::Key_Escape, this, nullptr, nullptr, Qt::WidgetWithChildrenShortcut);
    connect(escape, &QShortcut::activated, this, &StartPage::backWanted);
}

void StartPage::setTheme(const Theme& theme) {
    theme_ = theme;
    static_cast<CardDelegate*>(cards_->itemDelegate())->theme = theme;
    cards_->viewport()->update();
}

void StartPage::refresh(const QStringList& recent, const QStringList& folders, const QString& templates_folder) {
    shelf_.look(recent, folders);
    fillOwn(templates_folder);
    search_->setFocus();
}

void StartPage::fillOwn(const QString& folder) {
    while (QLayoutItem* old = own_->takeAt(0)) {
        if (old->widget() != nullptr) old->widget()->deleteLater();
        delete old;
    }
    const auto files = QDir(folder).entryInfoList({QString("*%1").arg(kPlanExtension)}, QDir::Files, QDir::Name);
    for (const QFileInfo& f : files) {
        if (own_->count() >= 6) break;
        auto* b = new QPushButton(f.fileName().chopped(static_cast<int>(std::string_view(kPlanExtension).size())));
        b->setFixedWidth(230);
        b->setStyleSheet("text-align: left; padding: 6px 12px;");
        b->setToolTip(f.absoluteFilePath());
        connect(b, &QPushButton::clicked, this, [this, path = f.absoluteFilePath()] { emit ownTemplateWanted(path); });
        own_->addWidget(b);
    }
    if (!files.isEmpty()) return;
    auto* hint = new QLabel("\"Keep plan as template\" in the file menu puts the open plan here.");
    hint->setProperty("quiet", true);
    hint->setWordWrap(true);
    hint->setFixedWidth(230);
    own_->addWidget(hint);
}

void StartPage::fill() {
    const QString wanted = search_->text().trimmed();
    const QString current =
        cards_->currentItem() != nullptr ? cards_->currentItem()->data(Qt::UserRole).toString() : QString();
    cards_->clear();
    for (const PlanSummary& s : shelf_.plans()) {
        const QString all = s.title + "\n" + s.notes + "\n" + s.path + "\n" + s.changed.toString("yyyy-MM-dd");
        bool fits = true;
        for (const QString& word : wanted.split(' ', Qt::SkipEmptyParts))
            fits &= all.contains(word, Qt::CaseInsensitive);
        if (!fits) continue;
        auto* item = new QListWidgetItem(s.title);
        item->setData(Qt::UserRole, s.path);
        item->setToolTip(s.problem.isEmpty() ? s.path + (s.notes.isEmpty() ? "" : "\n" + s.notes) : s.problem);
        cards_->addItem(item);
        if (s.path == current) cards_->setCurrentItem(item);
    }
    none_->setVisible(cards_->count() == 0);
    none_->setText(shelf_.looking() ? "Looking for plans …"
                   : shelf_.plans().empty()
                       ? "No plans yet. Begin with a template, or open a file; plans that were opened or "
                         "saved are shown here."
                       : "No plan fits the search.");
}

}  // namespace anhinga
