#include "app/field/ChecklistPage.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/plan/ChecklistTemplates.h"

namespace anhinga {

ChecklistPage::ChecklistPage(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent)
    : QWidget(parent), field_(field), plan_(plan), link_(link) {
    setObjectName("checklist page");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    summary_ = new QLabel;
    summary_->setObjectName("checklist summary");
    summary_->setWordWrap(true);
    summary_->setFont(uiFont(10, true));
    column->addWidget(summary_);

    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget;
    list_ = new QVBoxLayout(inside);
    list_->setContentsMargins(0, 0, 4, 0);
    list_->setSpacing(2);
    list_->addStretch();
    scroll->setWidget(inside);
    column->addWidget(scroll, 1);

    heading_text_ = new QLabel;
    heading_text_->setObjectName("heading test text");
    heading_text_->setWordWrap(true);
    column->addWidget(heading_text_);
    auto* row = new QGridLayout;
    row->setSpacing(6);
    templates_ = new QPushButton("Add list …");
    templates_->setObjectName("checklist templates");
    auto* menu = new QMenu(this);
    for (const ChecklistTemplate& t : checklistTemplates()) {
        QAction* a = menu->addAction(QString("%1: %2").arg(t.name, t.text));
        connect(a, &QAction::triggered, this, [this, &t] {
            plan_->edit(QString("Checklist: %1").arg(t.name), [&](Plan& p) { addChecklist(p, t); });
        });
    }
    templates_->setMenu(menu);
    add_ = new QPushButton("Add line …");
    heading_ = new QPushButton("Heading test");
    heading_->setObjectName("heading test");
    heading_->setToolTip("Turn the aircraft half round by hand: does its heading follow, is the field the Earth's?");
    clear_ = new QPushButton("Untick all");
    row->addWidget(templates_, 0, 0);
    row->addWidget(add_, 0, 1);
    row->addWidget(heading_, 1, 0);
    row->addWidget(clear_, 1, 1);
    ask_ = new QPushButton("Ask the aircraft");
    ask_->setObjectName("ask settings");
    ask_->setToolTip(
        "Reads its parameters: what it does at the fence, without a link, at a low battery, and its limits");
    row->addWidget(ask_, 2, 0, 1, 2);
    connect(ask_, &QPushButton::clicked, link_, &LinkSession::readParameters);
    column->addLayout(row);
    connect(add_, &QPushButton::clicked, this, &ChecklistPage::addLine);
    connect(clear_, &QPushButton::clicked, field_, &FieldSession::untickAll);
    connect(heading_, &QPushButton::clicked, this, [this] {
        const auto stage = field_->headingTest().stage();
        if (stage == HeadingTest::Stage::idle || stage == HeadingTest::Stage::done)
            field_->beginHeadingTest();
        else
            field_->headingTest().cancel();
        refresh();
    });
    refresh();
}

void ChecklistPage::setTheme(const Theme& theme) {
    theme_ = theme;
    refresh();
}

void ChecklistPage::addLine() {
    bool ok = false;
    const QString text = QInputDialog::getText(this, "Checklist", "What is to be looked at before a flight?",
                                               QLineEdit::Normal, {}, &ok);
    if (!ok || text.trimmed().isEmpty()) return;
    plan_->edit("Checklist line", [&](Plan& p) {
        p.checklist.push_back({p.newId(), text.trimmed().toStdString(), "", false, 0, {}});
    });
}

void ChecklistPage::removeLine(ItemId id) {
    plan_->edit("Remove checklist line",
                [&](Plan& p) { std::erase_if(p.checklist, [&](const CheckItem& c) { return c.id == id; }); });
}

void ChecklistPage::rebuild() {
    for (auto& [id, row] : rows_) delete row.box;
    rows_.clear();
    order_.clear();
    int at = 0;
    for (const ChecklistEntry& e : field_->checklist()) {
        Row row;
        row.box = new QWidget;
        row.box->setContextMenuPolicy(Qt::CustomContextMenu);
        auto* column = new QVBoxLayout(row.box);
        column->setContentsMargins(0, 3, 0, 3);
        column->setSpacing(0);
        row.tick = new QCheckBox;
        row.tick->setObjectName("check " + QString::fromStdString(e.item.text));
        row.tick->setFont(uiFont(9.5));
        row.why = new QLabel;
        row.why->setWordWrap(true);
        row.why->setFont(uiFont(8));
        row.why->setIndent(22);
        row.set = new QPushButton;
        row.set->setObjectName("set " + QString::fromStdString(e.item.text));
        row.set->setProperty("link", true);
        row.set->setFont(uiFont(8));
        column->addWidget(row.tick);
        column->addWidget(row.why);
        auto* below = new QHBoxLayout;
        below->setContentsMargins(22, 0, 0, 0);
        below->addWidget(row.set);
        below->addStretch();
        column->addLayout(below);
        const ItemId id = e.item.id;
        connect(row.tick, &QCheckBox::clicked, this, [this, id](bool on) { field_->tick(id, on); });
        connect(row.set, &QPushButton::clicked, this, [this, id] {
            for (const ChecklistEntry& entry : field_->checklist())
                if (entry.item.id == id && entry.take) return field_->takeIntoPlan(id);
            field_->setOnAircraft(id);
        });
        connect(row.box, &QWidget::customContextMenuRequested, this, [this, id, box = row.box](QPoint p) {
            QMenu menu(this);
            QAction* must = menu.addAction("Must be fulfilled before arming");
            must->setCheckable(true);
            for (const ChecklistEntry& entry : field_->checklist())
                if (entry.item.id == id) must->setChecked(entry.item.must);
            QAction* remove = menu.addAction("Remove line");
            const QAction* chosen = menu.exec(box->mapToGlobal(p));
            if (chosen == remove) removeLine(id);
            if (chosen == must)
                plan_->edit("Checklist line", [&](Plan& plan) {
                    for (CheckItem& c : plan.checklist)
                        if (c.id == id) c.must = !c.must;
                });
        });
        list_->insertWidget(at++, row.box);
        rows_[id] = row;
        order_.push_back(id);
    }
}

void ChecklistPage::refresh() {
    std::vector<ItemId> ids;
    for (const ChecklistEntry& e : field_->checklist()) ids.push_back(e.item.id);
    if (ids != order_) rebuild();
    int good = 0, open_musts = 0;
    for (const ChecklistEntry& e : field_->checklist()) {
        const Row& row = rows_.at(e.item.id);
        good += !e.open();
        open_musts += e.open() && e.item.must;
        const QString name = QString::fromStdString(e.item.text) + (e.item.must ? "  · must" : "");
        if (row.tick->text() != name) row.tick->setText(name);
        const bool by_hand = !e.automatic || e.state == CheckState::unknown || e.item.ticked_unix_s > 0;
        row.tick->setEnabled(by_hand);
        row.tick->setToolTip(by_hand ? "" : "Looks for itself");
        if (row.tick->isChecked() != !e.open()) row.tick->setChecked(!e.open());
        const QColor colour = e.state == CheckState::bad    ? theme_.vermilion
                              : e.state == CheckState::good ? theme_.reed
                              : e.automatic                 ? theme_.attentionInk()
                                                            : theme_.quiet;
        row.why->setVisible(!e.text.isEmpty());
        const QString text = inUnits(e.text);
        if (row.why->text() != text) row.why->setText(text);
        row.set->setVisible(e.setting || e.take);
        row.set->setEnabled(!link_->busy() && !link_->vehicle().armed);
        if (e.take)
            row.set->setText("Take into the plan");
        else if (e.setting)
            row.set->setText(QString("Set on the aircraft: %1 %2")
                                 .arg(QString::fromStdString(e.setting->first))
                                 .arg(e.setting->second.value));
        const QString sheet = QString("color: %1;").arg(colour.name());
        if (row.why->styleSheet() != sheet) row.why->setStyleSheet(sheet);
    }
    const auto n = static_cast<int>(field_->checklist().size());
    QString summary = "No checklist yet: add one, it is kept with the plan.";
    if (n > 0)
        summary = open_musts > 0 ? QString("%1 of %2 done · %3 must-lines open").arg(good).arg(n).arg(open_musts)
                                 : QString("%1 of %2 done · no must-line open").arg(good).arg(n);
    summary_->setText(summary);
    summary_->setStyleSheet(QString("color: %1;").arg((n > 0 && open_musts == 0 ? theme_.reed : theme_.ink).name()));
    clear_->setEnabled(n > 0);
    ask_->setEnabled(link_->connected() && link_->vehicle().heard && !link_->busy());
    ask_->setText(link_->busy()                 ? link_->progressText()
                  : link_->parameters().empty() ? "Ask the aircraft"
                                                : "Ask the aircraft again");
    const auto stage = field_->headingTest().stage();
    const bool running = stage != HeadingTest::Stage::idle && stage != HeadingTest::Stage::done;
    heading_->setText(running ? "Stop heading test" : "Heading test");
    heading_->setEnabled(link_->connected() && link_->vehicle().heard && !link_->vehicle().armed);
    const QString text = QString::fromStdString(field_->headingTest().text());
    heading_text_->setText(text);
    heading_text_->setVisible(!text.isEmpty());
    heading_text_->setStyleSheet(QString("color: %1; font-weight: bold;")
                                     .arg((running                        ? theme_.lagoon
                                           : field_->headingTest().good() ? theme_.reed
                                                                          : theme_.vermilion)
                                              .name()));
}

}  // namespace anhinga
