#include "app/field/FieldPanel.h"

#include <QtWidgets>

namespace anhinga {

FieldPanel::FieldPanel(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent)
    : QWidget(parent), field_(field), link_(link) {
    setObjectName("field");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 8, 14, 10);
    column->setSpacing(8);
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    const char* names[] = {"Link and plan", "Checklist", "Fly"};
    for (int i = 0; i < 3; ++i) {
        tabs_[i] = new QPushButton(names[i]);
        tabs_[i]->setObjectName(QString("field tab %1").arg(i == 0 ? "Link" : names[i]));
        tabs_[i]->setCheckable(true);
        tabs_[i]->setProperty("chip", true);
        connect(tabs_[i], &QPushButton::clicked, this, [this, i] { showPage(static_cast<Page>(i)); });
        row->addWidget(tabs_[i], i == 0 ? 3 : 2);
    }
    column->addLayout(row);
    // What follows a landing.
    after_ = new QFrame;
    after_->setObjectName("after flight");
    after_->setProperty("card", true);
    auto* after = new QVBoxLayout(after_);
    after->setContentsMargins(10, 8, 10, 8);
    after_text_ = new QLabel;
    after_text_->setWordWrap(true);
    after_text_->setObjectName("after flight text");
    after->addWidget(after_text_);
    auto* steps = new QHBoxLayout;
    auto* logs = new QPushButton("Onboard logs …");
    logs->setObjectName("after logs");
    auto* recording = new QPushButton("Recording");
    recording->setObjectName("after recording");
    auto* done = new QPushButton("Done");
    done->setObjectName("after done");
    for (QPushButton* b : {logs, recording, done}) steps->addWidget(b);
    after->addLayout(steps);
    column->addWidget(after_);
    after_->hide();
    connect(done, &QPushButton::clicked, field_, &FieldSession::putLandedAway);
    link_page_ = new LinkPage(field, plan, link);
    checklist_page_ = new ChecklistPage(field, plan, link);
    fly_page_ = new FlyPage(field, plan, link);
    pages_ = new QStackedWidget;
    const auto scrolled = [this](QWidget* page) {
        auto* scroll = new QScrollArea;  // low windows
        scroll->setWidgetResizable(true);
        scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
        scroll->setWidget(page);
        pages_->addWidget(scroll);
    };
    scrolled(link_page_);
    pages_->addWidget(checklist_page_);
    pages_->addWidget(fly_page_);
    column->addWidget(pages_, 1);
    connect(link_page_, &LinkPage::message, this, &FieldPanel::message);
    connect(checklist_page_, &ChecklistPage::message, this, &FieldPanel::message);
    connect(fly_page_, &FlyPage::message, this, &FieldPanel::message);
    connect(link_page_, &LinkPage::handedOver, fly_page_, &FlyPage::forgetCamera);
    connect(field_, &FieldSession::changed, this, &FieldPanel::refresh);
    connect(link_, &LinkSession::stateChanged, this, &FieldPanel::refresh);
    connect(link_, &LinkSession::vehicleChanged, fly_page_, &FlyPage::refreshVehicle);
    connect(link_, &LinkSession::stateChanged, this, [this, on = false]() mutable {
        if (link_->connected() && !on) fly_page_->forgetTexts();
        on = link_->connected();
    });
    connect(logs, &QPushButton::clicked, link_page_, &LinkPage::logsWanted);
    connect(recording, &QPushButton::clicked, this, [this] {
        link_->flushRecording();
        emit link_page_->openRecording(link_->recordPath());
    });
    showPage(Page::link);
}

void FieldPanel::setTheme(const Theme& theme) {
    link_page_->setTheme(theme);
    checklist_page_->setTheme(theme);
    fly_page_->setTheme(theme);
}

void FieldPanel::showPage(Page page) {
    pages_->setCurrentIndex(static_cast<int>(page));
    for (int i = 0; i < 3; ++i) tabs_[i]->setChecked(i == static_cast<int>(page));
    refresh();
}

void FieldPanel::refresh() {
    fly_page_->setCameraByHand(link_page_->cameraByHand());
    link_page_->refresh();
    checklist_page_->refresh();
    fly_page_->refresh();
    after_->setVisible(field_->landed());
    if (field_->landed())
        after_text_->setText("<b>" + field_->landedText() +
                             "</b><br>Motors off and propellers still · battery out, not hot · card safe · onboard log "
                             "fetched · recording looked at");
    const auto n = static_cast<int>(field_->checklist().size());
    int good = 0;
    for (const ChecklistEntry& e : field_->checklist()) good += !e.open();
    tabs_[static_cast<int>(Page::checklist)]->setText(n == 0 ? QString("Checklist")
                                                             : QString("Checklist %1/%2").arg(good).arg(n));
}

}  // namespace anhinga
