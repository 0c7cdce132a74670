// Labels that several panels use.
#pragma once

#include <QLabel>

namespace anhinga {

/// Words that explain, in the quiet ink, as many lines as they need.
inline QLabel* quietLabel(const QString& text = {}) {
    auto* l = new QLabel(text);
    l->setProperty("quiet", true);
    l->setWordWrap(true);
    return l;
}

}  // namespace anhinga
