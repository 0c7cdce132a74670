#include "app/debrief/ReplayBar.h"

#include <QtWidgets>

namespace anhinga {

namespace {
constexpr double kSpeeds[] = {0.25, 0.5, 1, 2, 4, 8, 16, 32, 64};
constexpr int kUsual = 4;
constexpr int kFrame_ms = 33;
}  // namespace

ReplayBar::ReplayBar(TraceModel* model, QWidget* parent) : QFrame(parent), model_(model) {
    setObjectName("replay bar");
    setProperty("replayBar", true);
    setFocusPolicy(Qt::NoFocus);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(5, 3, 5, 3);
    row->setSpacing(3);
    const auto button = [&](const QString& text, const char* name, const char* tip) {
        auto* b = new QToolButton;
        b->setText(text);
        b->setObjectName(name);
        b->setToolTip(tip);
        b->setFocusPolicy(Qt::NoFocus);
        b->setProperty("compact", true);
        row->addWidget(b);
        return b;
    };
    connect(button("|◂", "replay previous", "To the event before (,)"), &QToolButton::clicked, this,
            [this] { step(-1); });
    play_ = button("▶", "replay play", "Play or pause (Space)");
    connect(play_, &QToolButton::clicked, this, &ReplayBar::togglePlay);
    speed_ = new QComboBox;
    speed_->setObjectName("replay speed");
    speed_->setToolTip("Times as fast as it was flown");
    speed_->setFocusPolicy(Qt::ClickFocus);
    for (const double s : kSpeeds) speed_->addItem(QString("%1×").arg(s), s);
    speed_->setCurrentIndex(
        std::clamp(QSettings().value("debrief/replay-speed", kUsual).toInt(), 0, speed_->count() - 1));
    connect(speed_, &QComboBox::activated, this, [](int i) { QSettings().setValue("debrief/replay-speed", i); });
    row->addWidget(speed_);
    connect(button("▸|", "replay next", "To the next event (.)"), &QToolButton::clicked, this, [this] { step(1); });
    loop_ = button("loop", "replay loop", "From the end back to the beginning; with two cursors between them");
    follow_ = button("follow", "replay follow", "The map moves along");
    for (QToolButton* b : {loop_, follow_}) b->setCheckable(true);
    row->addWidget(new QLabel(" by"));
    colour_ = new QComboBox;
    colour_->setObjectName("track by");
    colour_->setToolTip("What the track is coloured by");
    colour_->setFixedWidth(112);
    colour_->view()->setMinimumWidth(220);
    colour_->setFocusPolicy(Qt::ClickFocus);
    connect(colour_, &QComboBox::activated, this, &ReplayBar::colourChanged);
    row->addWidget(colour_);
    timer_.setInterval(kFrame_ms);
    connect(&timer_, &QTimer::timeout, this, &ReplayBar::advance);
    connect(model_, &TraceModel::tracesChanged, this, &ReplayBar::refresh);
    refresh();
}

void ReplayBar::refresh() {
    const QString before = colourBy();
    const QSignalBlocker quiet(colour_);
    colour_->clear();
    colour_->addItem("mode", QString());
    QStringList names;
    for (const Trace& t : model_->traces()) names << QString::fromStdString(t.name);
    for (const char* usual : {"position.height_home_m", "velocity.ground_mps", "vibration.z_mps2", "throttle.percent",
                              "battery.current_a", "gps.satellites"})
        if (model_->log() && model_->log()->has(usual) && !names.contains(usual)) names << usual;
    if (!before.isEmpty() && !names.contains(before) && model_->channel(before.toStdString()) != nullptr)
        names << before;
    for (const QString& n : names) colour_->addItem(n, n);
    colour_->setCurrentIndex(std::max(0, colour_->findData(before)));
}

QString ReplayBar::colourBy() const {
    return colour_->currentData().toString();
}

void ReplayBar::setColourBy(const QString& channel) {
    if (colour_->findData(channel) < 0) colour_->addItem(channel, channel);
    colour_->setCurrentIndex(colour_->findData(channel));
    emit colourChanged();
}

bool ReplayBar::following() const {
    return follow_->isChecked();
}

void ReplayBar::go(double t_s) {
    model_->setCursor(t_s);
    const Stretch v = model_->view();
    // The traces turn the page when it leaves them.
    if (!v.holds(t_s)) model_->setView({t_s - 0.05 * v.length_s(), t_s + 0.95 * v.length_s()}, false);
    emit moved(t_s);
}

void ReplayBar::togglePlay() {
    if (playing()) return stop();
    if (!model_->log()) return;
    if (model_->cursor() >= model_->whole().to_s - 0.05) go(model_->whole().from_s);
    // Between the cursors as they are now: the first one is the play head and goes.
    loop_part_.reset();
    if (const auto second = model_->secondCursor())
        loop_part_ = {std::min(model_->cursor(), *second), std::max(model_->cursor(), *second)};
    clock_.start();
    timer_.start();
    play_->setText("❚❚");
    emit playingChanged();
}

void ReplayBar::stop() {
    if (!timer_.isActive()) return;
    timer_.stop();
    play_->setText("▶");
    emit playingChanged();
}

void ReplayBar::advance() {
    if (!model_->log()) return stop();
    const double dt = static_cast<double>(clock_.restart()) / 1000 * speed_->currentData().toDouble();
    Stretch part = model_->whole();
    if (loop_->isChecked() && loop_part_) part = *loop_part_;
    double t = model_->cursor() + dt;
    if (t >= part.to_s) {
        if (!loop_->isChecked()) {
            stop();
            return go(part.to_s);
        }
        t = part.from_s;
    }
    go(t);
}

void ReplayBar::step(int direction) {
    if (!model_->log()) return;
    const double now = model_->cursor();
    std::vector<double> times{model_->whole().from_s, model_->whole().to_s};
    for (const ModeChange& m : model_->log()->modes) times.push_back(m.t_s);
    for (const LogEvent& e : model_->log()->events)
        if (e.kind != "photo") times.push_back(e.t_s);
    std::sort(times.begin(), times.end());
    constexpr double kApart_s = 0.05;
    if (direction > 0) {
        const auto next = std::find_if(times.begin(), times.end(), [&](double t) { return t > now + kApart_s; });
        if (next != times.end()) go(*next);
    } else {
        const auto next = std::find_if(times.rbegin(), times.rend(), [&](double t) { return t < now - kApart_s; });
        if (next != times.rend()) go(*next);
    }
}

}  // namespace anhinga
