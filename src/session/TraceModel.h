// What is drawn of the open log: traces on plots and axes, formula channels, presets, favourites, the stretch of time
// in view with its history, and two cursors. Formulas and favourites are remembered between runs.
#pragma once

#include <QObject>
#include <QString>
#include <QStringList>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "core/analysis/Formula.h"
#include "core/analysis/Pyramid.h"
#include "core/analysis/Series.h"
#include "core/logio/LogReader.h"

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
    /// What is drawn for a trace: a channel of the log, a formula, smoothed where asked for. Null when there is none.
    const Channel* channelOf(const Trace& trace) const;
    const Pyramid& pyramidOf(const Trace& trace) const;
    /// A channel of the log or a formula by its name.
    const Channel* channel(const std::string& name) const;

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

  private:
    void forget();
    LogPtr log_;
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
    mutable std::map<const Channel*, std::unique_ptr<Pyramid>> pyramids_;
};

}  // namespace anhinga
