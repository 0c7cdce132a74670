// The spectrum of a channel: by frequency with its peaks named, over time, or against the throttle; with what the
// samples allow to be said.
#pragma once

#include <QDialog>

#include "app/widgets/Theme.h"
#include "core/analysis/Spectrum.h"
#include "core/logio/LogReader.h"

class QComboBox;
class QCustomPlot;
class QLabel;

namespace anhinga {

class SpectrumDialog : public QDialog {
    Q_OBJECT
  public:
    explicit SpectrumDialog(QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    /// Channels of a log; `wanted` is chosen where the log has it.
    void present(LogPtr log, const std::string& wanted = {});
    const std::vector<SpectrumPeak>& peaks() const { return peaks_; }
    QString evidence() const;
    QCustomPlot* plot() { return plot_; }

  private:
    void fill(const std::string& wanted);
    void work();
    void showLines(const Spectrum& spectrum, const std::string& unit);
    void showMap(const SpectrumMap& map, const QString& along);
    void reset();

    Theme theme_ = Theme::light();
    LogPtr log_;
    std::vector<SpectrumPeak> peaks_;
    QComboBox *channel_, *view_, *segment_;
    QLabel *evidence_, *found_;
    QCustomPlot* plot_;
};

}  // namespace anhinga
