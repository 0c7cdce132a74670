#include "session/TraceModel.h"

#include <QSettings>
#include <algorithm>
#include <cmath>
#include <set>
#include <utility>

namespace anhinga {

namespace {

/// A trace of a preset: the first of these names that the log has.
struct PresetTrace {
    std::vector<const char*> names;
    bool right = false;
    int plot = 0;
};
struct Preset {
    const char* name;
    std::vector<PresetTrace> traces;
};
const std::vector<Preset>& presetTable() {
    static const std::vector<Preset> kPresets = {
        {"Height",
         {{{"position.height_home_m"}},
          {{"baro.height_m"}},
          {{"position.height_ground_m"}},
          {{"throttle.percent"}, true},
          {{"gps.height_amsl_m", "position.height_amsl_m"}, false, 1}}},
        {"Attitude tracking",
         {{{"attitude.roll_deg"}},
          {{"desired.roll_deg"}},
          {{"attitude.pitch_deg"}, false, 1},
          {{"desired.pitch_deg"}, false, 1}}},
        {"Compass against throttle",
         {{{"mag.field_ut", "mag.x_ut"}}, {{"throttle.percent", "motor.1"}, true}, {{"battery.current_a"}, false, 1}}},
        {"Vibration",
         {{{"vibration.x_mps2"}},
          {{"vibration.y_mps2"}},
          {{"vibration.z_mps2", "imu.accel_z_mps2"}},
          {{"throttle.percent", "motor.1"}, true},
          {{"vibration.clipped"}, false, 1}}},
        {"Battery",
         {{{"battery.voltage_v"}},
          {{"battery.current_a"}, true},
          {{"battery.left_percent"}, false, 1},
          {{"throttle.percent"}, true, 1}}},
        {"GPS",
         {{{"gps.satellites"}},
          {{"gps.hdop"}, true},
          {{"gps.speed_mps"}, false, 1},
          {{"velocity.ground_mps"}, false, 1}}},
        {"Pilot input",
         {{{"RC_CHANNELS.chan1_raw", "RCIN.C1", "MAIN.rcCommand[0]"}},
          {{"RC_CHANNELS.chan2_raw", "RCIN.C2", "MAIN.rcCommand[1]"}},
          {{"RC_CHANNELS.chan4_raw", "RCIN.C4", "MAIN.rcCommand[2]"}},
          {{"RC_CHANNELS.chan3_raw", "RCIN.C3", "MAIN.rcCommand[3]"}, false, 1},
          {{"throttle.percent"}, true, 1}}},
    };
    return kPresets;
}

/// Mean over the seconds around each sample.
void smooth(const Channel& from, double seconds, Channel& to) {
    to.name = from.name;
    to.unit = from.unit;
    to.t_s = from.t_s;
    to.value.assign(from.value.size(), 0);
    std::size_t low = 0, high = 0, count = 0;
    double sum = 0;
    for (std::size_t i = 0; i < from.t_s.size(); ++i) {
        for (; high < from.t_s.size() && from.t_s[high] <= from.t_s[i] + seconds / 2; ++high)
            if (std::isfinite(from.value[high])) {
                sum += from.value[high];
                ++count;
            }
        for (; from.t_s[low] < from.t_s[i] - seconds / 2; ++low)
            if (std::isfinite(from.value[low])) {
                sum -= from.value[low];
                --count;
            }
        to.value[i] = count > 0 ? sum / static_cast<double>(count) : NAN;
    }
}

std::set<std::string> longChannels(const FlightLog& log) {
    std::set<std::string> out;
    for (const ChannelInfo& c : log.list())
        if (c.count > TraceModel::kLongChannel) out.insert(c.name);
    return out;
}

constexpr std::size_t kMostHistory = 100;
constexpr double kShortest_s = 0.001;

}  // namespace

TraceModel::TraceModel(QObject* parent) : QObject(parent) {
    const QSettings settings;
    favourites_ = settings.value("debrief/favourites").toStringList();
    for (const QString& line : settings.value("debrief/formulas").toStringList()) {
        const auto at = line.indexOf('=');
        if (at > 0) formulas_.push_back({line.left(at).trimmed(), line.mid(at + 1).trimmed()});
    }
}

/// Traces of long channels that were not read yet.
std::vector<TraceModel::Key> TraceModel::unread(const std::set<std::string>& long_channels,
                                                const std::set<Key>& ready) const {
    std::vector<Key> out;
    for (const Trace& t : traces_)
        if (long_channels.contains(t.name) && !ready.contains({t.name, t.smooth_s}))
            out.emplace_back(t.name, t.smooth_s);
    return out;
}

void TraceModel::readLong() {
    const auto wanted = unread(long_, ready_), wanted_beside = unread(beside_long_, beside_ready_);
    if (wanted.empty() && wanted_beside.empty()) return reader_.drop();
    reader_.begin(
        [log = log_, beside = beside_ ? beside_->log : nullptr, wanted, wanted_beside](const LatestTask::Run& run) {
            const auto make = [&run](const LogPtr& of, const std::vector<Key>& keys) {
                std::map<Key, Made> out;
                for (const Key& key : keys) {
                    if (run.stopped() || !of) break;
                    Made made;
                    made.channel = of->find(key.first);
                    if (made.channel == nullptr) continue;
                    if (key.second > 0) {
                        made.smoothed = std::make_unique<Channel>();
                        smooth(*made.channel, key.second, *made.smoothed);
                        made.channel = made.smoothed.get();
                    }
                    made.pyramid = std::make_unique<Pyramid>(*made.channel);
                    out.emplace(key, std::move(made));
                }
                return out;
            };
            return std::pair(make(log, wanted), make(beside, wanted_beside));
        },
        [this](std::pair<std::map<Key, Made>, std::map<Key, Made>> made) {
            const auto take = [](std::map<Key, Made>& from, auto& smoothed, Pyramids& pyramids, std::set<Key>& ready) {
                for (auto& [key, m] : from) {
                    pyramids[m.channel] = std::move(m.pyramid);
                    if (m.smoothed) smoothed[key] = std::move(m.smoothed);
                    ready.insert(key);
                }
            };
            take(made.first, smoothed_, pyramids_, ready_);
            take(made.second, beside_smoothed_, beside_pyramids_, beside_ready_);
            emit tracesChanged();
        });
}

bool TraceModel::waitsFor(const Trace& trace) const {
    return long_.contains(trace.name) && !ready_.contains({trace.name, trace.smooth_s});
}

void TraceModel::forget() {
    reader_.drop();
    long_.clear();
    beside_long_.clear();
    ready_.clear();
    beside_ready_.clear();
    pyramids_.clear();
    beside_pyramids_.clear();
    smoothed_.clear();
    beside_smoothed_.clear();
    computed_.clear();
}

/// What was made of a formula's channel.
void TraceModel::forgetMadeOf(const std::string& name) {
    for (auto at = smoothed_.begin(); at != smoothed_.end();) {
        if (at->first.first != name) {
            ++at;
            continue;
        }
        pyramids_.erase(at->second.get());
        at = smoothed_.erase(at);
    }
    if (const auto at = computed_.find(name); at != computed_.end()) pyramids_.erase(at->second.get());
}

void TraceModel::setLog(LogPtr log) {
    forget();
    log_ = std::move(log);
    if (log_) long_ = longChannels(*log_);
    const bool was_beside = std::exchange(beside_, std::nullopt).has_value();
    session_ = -1;
    history_.clear();
    second_s_.reset();
    setSession(-1);
    if (was_beside) emit besideChanged();
    readLong();
    emit channelsChanged();
    emit tracesChanged();
}

void TraceModel::setSession(int session) {
    session_ = log_ && session >= 0 && session < static_cast<int>(log_->sessions.size()) ? session : -1;
    if (!log_) {
        whole_ = view_ = {0, 1};
    } else if (session_ >= 0) {
        const LogSession& s = log_->sessions[static_cast<std::size_t>(session_)];
        whole_ = {s.from_s, std::max(s.to_s, s.from_s + 1)};
    } else {
        whole_ = {log_->firstTime(), log_->firstTime() + std::max(1.0, log_->duration_s())};
    }
    history_.clear();
    view_ = whole_;
    second_s_.reset();
    cursor_s_ = std::min(whole_.to_s, whole_.from_s + 2);
    emit viewChanged();
    emit cursorChanged();
    emit sessionChanged();
}

void TraceModel::setTraces(std::vector<Trace> traces) {
    traces_ = std::move(traces);
    for (Trace& t : traces_) t.plot = std::clamp(t.plot, 0, kMostPlots - 1);
    // Plots without a trace close up.
    std::set<int> used;
    for (const Trace& t : traces_) used.insert(t.plot);
    for (Trace& t : traces_) t.plot = static_cast<int>(std::distance(used.begin(), used.find(t.plot)));
    readLong();
    emit tracesChanged();
}

void TraceModel::toggle(const std::string& name, bool right, int plot) {
    auto traces = traces_;
    const auto at = std::find_if(traces.begin(), traces.end(), [&](const Trace& t) { return t.name == name; });
    if (at != traces.end()) {
        traces.erase(at);
    } else {
        Trace t;
        t.name = name;
        t.right = right;
        t.plot = plot;
        traces.push_back(std::move(t));
    }
    setTraces(std::move(traces));
}

void TraceModel::change(std::size_t index, const Trace& trace) {
    if (index >= traces_.size()) return;
    auto traces = traces_;
    traces[index] = trace;
    setTraces(std::move(traces));
}

void TraceModel::remove(std::size_t index) {
    if (index >= traces_.size()) return;
    auto traces = traces_;
    traces.erase(traces.begin() + static_cast<long>(index));
    setTraces(std::move(traces));
}

int TraceModel::plots() const {
    int most = 0;
    for (const Trace& t : traces_) most = std::max(most, t.plot);
    return most + 1;
}

const Channel* TraceModel::channel(const std::string& name) const {
    if (!log_) return nullptr;
    if (log_->has(name)) return log_->find(name);
    const auto formula = std::find_if(formulas_.begin(), formulas_.end(),
                                      [&](const FormulaChannel& f) { return f.name.toStdString() == name; });
    if (formula == formulas_.end()) return nullptr;
    auto [at, fresh] = computed_.try_emplace(name);
    if (fresh) {
        auto out = std::make_unique<Channel>();
        out->name = name;
        FormulaError ignored;
        if (evaluateFormula(*log_, formula->formula.toStdString(), *out, ignored)) at->second = std::move(out);
    }
    return at->second.get();
}

const Channel* TraceModel::channelOf(const Trace& trace) const {
    if (waitsFor(trace)) return nullptr;
    const Channel* c = channel(trace.name);
    if (c == nullptr || trace.smooth_s <= 0) return c;
    auto [at, fresh] = smoothed_.try_emplace({trace.name, trace.smooth_s});
    if (fresh) {
        at->second = std::make_unique<Channel>();
        smooth(*c, trace.smooth_s, *at->second);
    }
    return at->second.get();
}

const Pyramid& TraceModel::pyramidOf(const Channel* c, Pyramids& known) {
    static const Pyramid kNothing;
    if (c == nullptr) return kNothing;
    auto [at, fresh] = known.try_emplace(c);
    if (fresh) at->second = std::make_unique<Pyramid>(*c);
    return *at->second;
}

const Pyramid& TraceModel::pyramidOf(const Trace& trace) const {
    return pyramidOf(channelOf(trace), pyramids_);
}

void TraceModel::setBeside(std::optional<BesideLog> beside) {
    if (beside && !beside->log) beside.reset();
    // What was made of another one goes with it.
    if (!beside || !beside_ || beside->log != beside_->log) {
        beside_pyramids_.clear();
        beside_smoothed_.clear();
        beside_ready_.clear();
        beside_long_ = beside ? longChannels(*beside->log) : std::set<std::string>();
    }
    beside_ = std::move(beside);
    readLong();
    emit besideChanged();
}

const Channel* TraceModel::besideOf(const Trace& trace) const {
    if (beside_long_.contains(trace.name) && !beside_ready_.contains({trace.name, trace.smooth_s})) return nullptr;
    const Channel* c = beside_ ? beside_->log->find(trace.name) : nullptr;
    if (c == nullptr || trace.smooth_s <= 0) return c;
    auto [at, fresh] = beside_smoothed_.try_emplace({trace.name, trace.smooth_s});
    if (fresh) {
        at->second = std::make_unique<Channel>();
        smooth(*c, trace.smooth_s, *at->second);
    }
    return at->second.get();
}

const Pyramid& TraceModel::besidePyramidOf(const Trace& trace) const {
    return pyramidOf(besideOf(trace), beside_pyramids_);
}

bool TraceModel::setFormula(const FormulaChannel& formula, FormulaError& error) {
    const QString name = formula.name.trimmed();
    if (name.isEmpty() || name.contains('=') || name.contains('"')) {
        error = {"a name is needed, without = and quotes", 0, 1};
        return false;
    }
    if (!log_) {
        error = {"open a log first: its channels are what a formula works with", 0, 1};
        return false;
    }
    if (log_->has(name.toStdString())) {
        error = {"the log itself has a channel of this name", 0, 1};
        return false;
    }
    auto out = std::make_unique<Channel>();
    out->name = name.toStdString();
    if (!evaluateFormula(*log_, formula.formula.toStdString(), *out, error)) return false;
    const auto at =
        std::find_if(formulas_.begin(), formulas_.end(), [&](const FormulaChannel& f) { return f.name == name; });
    if (at != formulas_.end())
        at->formula = formula.formula;
    else
        formulas_.push_back({name, formula.formula});
    // Everything that was made of the old one goes with it.
    forgetMadeOf(name.toStdString());
    computed_[name.toStdString()] = std::move(out);
    QStringList lines;
    for (const FormulaChannel& f : formulas_) lines << f.name + " = " + f.formula;
    QSettings().setValue("debrief/formulas", lines);
    emit channelsChanged();
    emit tracesChanged();
    return true;
}

void TraceModel::removeFormula(const QString& name) {
    std::erase_if(formulas_, [&](const FormulaChannel& f) { return f.name == name; });
    std::erase_if(traces_, [&](const Trace& t) { return t.name == name.toStdString(); });
    forgetMadeOf(name.toStdString());
    computed_.erase(name.toStdString());
    QStringList lines;
    for (const FormulaChannel& f : formulas_) lines << f.name + " = " + f.formula;
    QSettings().setValue("debrief/formulas", lines);
    emit channelsChanged();
    emit tracesChanged();
}

void TraceModel::setFavourite(const QString& name, bool on) {
    if (on == favourites_.contains(name)) return;
    if (on)
        favourites_ << name;
    else
        favourites_.removeAll(name);
    QSettings().setValue("debrief/favourites", favourites_);
    emit channelsChanged();
}

QStringList TraceModel::presets() {
    QStringList out;
    for (const Preset& p : presetTable()) out << p.name;
    return out;
}

bool TraceModel::hasPreset(const QString& name) const {
    if (!log_) return false;
    for (const Preset& p : presetTable())
        if (name == p.name) {
            // Its first trace is what it is about.
            const auto& first = p.traces.front().names;
            return std::any_of(first.begin(), first.end(), [&](const char* n) { return log_->has(n); });
        }
    return false;
}

void TraceModel::usePreset(const QString& name) {
    if (!log_) return;
    std::vector<Trace> traces;
    for (const Preset& p : presetTable()) {
        if (name != p.name) continue;
        for (const PresetTrace& t : p.traces)
            for (const char* n : t.names)
                if (log_->has(n)) {
                    Trace trace;
                    trace.name = n;
                    trace.right = t.right;
                    trace.plot = t.plot;
                    traces.push_back(std::move(trace));
                    break;
                }
    }
    if (!traces.empty()) setTraces(std::move(traces));
}

void TraceModel::setView(Stretch view, bool remember) {
    if (!(view.to_s - view.from_s >= kShortest_s)) return;
    if (view.from_s == view_.from_s && view.to_s == view_.to_s) return;
    if (remember) {
        history_.push_back(view_);
        if (history_.size() > kMostHistory) history_.erase(history_.begin());
    }
    view_ = view;
    emit viewChanged();
}

void TraceModel::zoom(double factor, double about_s) {
    const double length = std::min(view_.length_s() * factor, whole_.length_s() * 1.5);
    const double share = (about_s - view_.from_s) / view_.length_s();
    // A turn of the wheel is no place to go back to: only where zooming began is.
    setView({about_s - share * length, about_s + (1 - share) * length}, history_.empty());
}

void TraceModel::pan(double by_s) {
    setView({view_.from_s + by_s, view_.to_s + by_s}, false);
}

void TraceModel::back() {
    if (history_.empty()) return;
    view_ = history_.back();
    history_.pop_back();
    emit viewChanged();
}

void TraceModel::showAll() {
    setView(whole_);
}

void TraceModel::setCursor(double t_s) {
    cursor_s_ = t_s;
    emit cursorChanged();
}

void TraceModel::setSecondCursor(std::optional<double> t_s) {
    second_s_ = t_s;
    emit cursorChanged();
}

}  // namespace anhinga
