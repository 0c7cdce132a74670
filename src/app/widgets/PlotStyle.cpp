#include "app/widgets/PlotStyle.h"

#include <qcustomplot.h>

namespace anhinga {

void stylePlot(QCustomPlot& plot, const Theme& theme) {
    plot.setBackground(theme.panel);
    plot.axisRect()->setBackground(theme.raised);
    for (QCPAxis* axis : {plot.xAxis, plot.yAxis, plot.yAxis2}) {
        axis->setBasePen(QPen(theme.quiet));
        axis->setTickPen(QPen(theme.quiet));
        axis->setSubTickPen(QPen(theme.quiet));
        axis->setTickLabelColor(theme.ink);
        axis->setLabelColor(theme.ink);
        axis->setTickLabelFont(monoFont(8));
        axis->setLabelFont(uiFont(9));
        axis->grid()->setPen(QPen(theme.hairline(), 1, Qt::DotLine));
    }
    plot.legend->setBrush(theme.raised);
    plot.legend->setTextColor(theme.ink);
    plot.legend->setFont(uiFont(9));
    plot.legend->setBorderPen(QPen(theme.hairline()));
}

}  // namespace anhinga
