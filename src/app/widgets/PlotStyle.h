// One look for the plots of dialogs: paper, axes and grid in the theme's colours.
#pragma once

#include "app/widgets/Theme.h"

class QCustomPlot;

namespace anhinga {

void stylePlot(QCustomPlot& plot, const Theme& theme);

}  // namespace anhinga
