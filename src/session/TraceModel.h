// What is drawn of the open log: traces on plots and axes, formula channels, presets, favourites, the stretch of time
// in view with its history, and two cursors. Formulas and favourites are remembered between runs.
#pragma once

#include <QObject>
#include <QString>
#include <QStringList>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "core/analysis/Formula.h"
#include "core/analysis/Pyramid.h"
#include "core/analysis/Series.h"
#include "core/logio/LogReader.h"
#include "session/LatestTask.h"

namespace anhinga {

struct Trace {
    std::string name;
    bool right = false;
    int plot = 0;     // from the top
    int colour = -1;  // of the theme's; -1: the next in turn
    enum Style { line, steps, points } style = line;
    double smooth_s = 0;  // mean over so many seconds around; 0: as measured
    bool operator==(const Trace&) const = default;
};

/// Another flight beside the open one, on the same cursor.
struct BesideLog {
    LogPtr log;
    QString path;
    double shift_s = 0;  // to be added to a time of the open log for the same moment of this one
};

/// A channel of the operator's own.
struct FormulaChannel {
    QString name, formula;
    bool operator==(const FormulaChannel&) const = default;
};

class TraceModel : public QObject {
    Q_OBJECT
  public:
    static constexpr int kMostPlots = 4;

    explicit TraceModel(QObject* parent = nullptr);

    /// Traces stay for the next log; the view is its whole length, or that of one session of it.
    void setLog(LogPtr log);
    LogPtr log() const { return log_; }
    /// -1: the whole log.
    void setSession(int session);
    int session() const { return session_; }
    /// First and last time of what is open: the log, or its session.
    Stretch whole() const { return whole_; }

    const std::vector<Trace>& traces() const { return traces_; }
    void setTraces(std::vector<Trace> traces);
    /// Adds it, or takes it away where it is already.
    void toggle(const std::string& name, bool right, int plot = 0);
    void change(std::size_t index, const Trace& trace);
    void remove(std::size_t index);
    int plots() const;
    /// What is drawn for a trace: a channel of the log, a formula, smoothed where asked for. Null when there is none,
    /// and while a long one is still being read beside the window (waitsFor); tracesChanged() comes when it is there.
    const Channel* channelOf(const Trace& trace) const;
    bool waitsFor(const Trace& trace) const;
    /// Channels of more samples than this are read beside the window, shorter ones at once.
    static constexpr std::size_t kLongChannel = 100'000;
    const Pyramid& pyramidOf(const Trace& trace) const;
    /// A channel of the log or a formula by its name, read now.
    const Channel* channel(const std::string& name) const;

    /// Nothing, or a log of null: none. It goes when another log is opened.
    void setBeside(std::optional<BesideLog> beside);
    const std::optional<BesideLog>& beside() const { return beside_; }
    /// The same trace of the flight beside, in its own times: a channel of that log, smoothed where asked for.
    const Channel* besideOf(const Trace& trace) const;
    const Pyramid& besidePyramidOf(const Trace& trace) const;

    const std::vector<FormulaChannel>& formulas() const { return formulas_; }
    /// Checks it against the open log; on an error nothing changes. An existing one of that name is replaced.
    bool setFormula(const FormulaChannel& formula, FormulaError& error);
    void removeFormula(const QString& name);

    QStringList favourites() const { return favourites_; }
    void setFavourite(const QString& name, bool on);

    /// "Height", "Attitude tracking", ...: all, and which of them the open log has something for.
    static QStringList presets();
    bool hasPreset(const QString& name) const;
    void usePreset(const QString& name);

    Stretch view() const { return view_; }
    /// `remember`: back() returns to what was before.
    void setView(Stretch view, bool remember = true);
    void zoom(double factor, double about_s);
    void pan(double by_s);
    bool canGoBack() const { return !history_.empty(); }
    void back();
    void showAll();

    double cursor() const { return cursor_s_; }
    void setCursor(double t_s);
    std::optional<double> secondCursor() const { return second_s_; }
    void setSecondCursor(std::optional<double> t_s);

  signals:
    void tracesChanged();
    void viewChanged();
    void cursorChanged();
    void sessionChanged();
    void channelsChanged();  // formulas or favourites
    void besideChanged();

  private:
    /// One trace, made beside the window.
    struct Made {
        const Channel* channel = nullptr;
        std::unique_ptr<Channel> smoothed;
        std::unique_ptr<Pyramid> pyramid;
    };
    using Key = std::pair<std::string, double>;  // name, smoothing
    void readLong();
    std::vector<Key> unread(const std::set<std::string>& long_channels, const std::set<Key>& ready) const;
    void forget();
    void forgetMadeOf(const std::string& name);
    using Pyramids = std::map<const Channel*, std::unique_ptr<Pyramid>>;
    static const Pyramid& pyramidOf(const Channel* c, Pyramids& known);
    LogPtr log_;
    std::optional<BesideLog> beside_;
    int session_ = -1;
    Stretch whole_, view_;
    std::vector<Stretch> history_;
    std::vector<Trace> traces_;
    std::vector<FormulaChannel> formulas_;
    QStringList favourites_;
    double cursor_s_ = 0;
    std::optional<double> second_s_;
    mutable std::map<std::string, std::unique_ptr<Channel>> computed_;  // formulas; null: does not fit this log
    mutable std::map<std::pair<std::string, double>, std::unique_ptr<Channel>> smoothed_;
    mutable std::map<std::pair<std::string, double>, std::unique_ptr<Channel>> beside_smoothed_;
    mutable Pyramids pyramids_, beside_pyramids_;
    std::set<std::string> long_, beside_long_;  // channels
    std::set<Key> ready_, beside_ready_;        // of them, what was read
    LatestTask reader_;
};

}  // namespace anhinga
