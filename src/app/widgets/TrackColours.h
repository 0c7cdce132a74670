// Colours of a flown track: a class for each of its points, and what the classes mean. Flight modes have one colour
// everywhere: on map, Scene and bands.
#pragma once

#include <QColor>
#include <QString>
#include <cstdint>
#include <vector>

#include "app/widgets/Theme.h"

namespace anhinga {

struct TrackColours {
    struct Class {
        QColor colour;
        QString text;
        bool operator==(const Class&) const = default;
    };
    QString title;                 // of the legend
    std::vector<Class> classes;    // in the order of the legend
    std::vector<std::uint8_t> of;  // a class each point; empty: one colour
    /// The colour of a point; `otherwise` where there are no classes.
    QColor at(std::size_t point, const QColor& otherwise) const;
    bool operator==(const TrackColours&) const = default;
};

QColor modeColour(const QString& mode, const Theme& theme);
/// `modes`: the mode of each point, as a word.
TrackColours coloursByMode(const std::vector<QString>& modes, const Theme& theme);

/// Seven classes from the lowest to the highest twentieth of the values; one that is no number has a class of its own.
TrackColours coloursByValue(const std::vector<double>& values, const QString& title, const Theme& theme);

}  // namespace anhinga
