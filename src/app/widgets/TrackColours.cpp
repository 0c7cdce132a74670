#include "app/widgets/TrackColours.h"

#include <algorithm>
#include <cmath>

#include "core/analysis/Series.h"

#include <algorithm>

namespace anhinga {

namespace {
struct Named {
    const char* mode;
    const char* day;
    const char* night;
};
/// Apart in hue and in lightness; the route's own colours are left out.
constexpr Named kNamed[] = {{"mission", "#4E7A33", "#8DBB63"},
                            {"return", "#8A4B12", "#D9955A"},
                            {"hold", "#6B3A6E", "#C48BC7"},
                            {"land", "#2B4C8C", "#86A6E6"},
                            {"led from the ground", "#A8326B", "#EE84B4"},
                            {"take off", "#2E6E62", "#6CC3B3"},
                            {"manual", "#5C6A70", "#A9B6BB"},
                            {"height hold", "#7A7F1C", "#C7CC5E"},
                            {"position hold", "#8F5E8A", "#DDB0D8"}};
constexpr const char* kOthers[][2] = {
    {"#3F6F8F", "#8FC1DF"}, {"#7C6650", "#C6AF97"}, {"#566B2F", "#A9C07C"}, {"#8C4A52", "#DB9AA2"}};
}  // namespace

QColor modeColour(const QString& mode, const Theme& theme) {
    for (const Named& n : kNamed)
        if (mode == n.mode) return {theme.night ? n.night : n.day};
    // The same word always gets the same colour.
    unsigned sum = 0;
    for (const QChar c : mode) sum = sum * 31 + c.unicode();
    return {kOthers[sum % std::size(kOthers)][theme.night ? 1 : 0]};
}

QColor TrackColours::at(std::size_t point, const QColor& otherwise) const {
    return point < of.size() && of[point] < classes.size() ? classes[of[point]].colour : otherwise;
}

TrackColours coloursByMode(const std::vector<QString>& modes, const Theme& theme) {
    TrackColours out;
    out.title = "Flown in";
    out.of.reserve(modes.size());
    constexpr std::size_t kMost = 250;
    for (const QString& mode : modes) {
        if (!out.of.empty() && out.classes[out.of.back()].text == mode) {
            out.of.push_back(out.of.back());
            continue;
        }
        auto at = std::find_if(out.classes.begin(), out.classes.end(),
                               [&](const TrackColours::Class& c) { return c.text == mode; });
        if (at == out.classes.end()) {
            if (out.classes.size() >= kMost)
                at = out.classes.end() - 1;
            else
                at = out.classes.insert(out.classes.end(), {modeColour(mode, theme), mode});
        }
        out.of.push_back(static_cast<std::uint8_t>(at - out.classes.begin()));
    }
    return out;
}

TrackColours coloursByValue(const std::vector<double>& values, const QString& title, const Theme& theme) {
    TrackColours out;
    out.title = title;
    const double low = percentile(values, 5), high = percentile(values, 95);
    if (!std::isfinite(low)) return out;
    constexpr int kClasses = 7;
    const double step = high > low ? (high - low) / kClasses : 1;
    const auto blend = [](const QColor& a, const QColor& b, double share) {
        return QColor::fromRgbF(static_cast<float>(a.redF() + (b.redF() - a.redF()) * share),
                                static_cast<float>(a.greenF() + (b.greenF() - a.greenF()) * share),
                                static_cast<float>(a.blueF() + (b.blueF() - a.blueF()) * share));
    };
    const int digits = std::clamp(static_cast<int>(std::ceil(-std::log10(step))), 0, 6);
    for (int i = 0; i < kClasses; ++i) {
        const double share = static_cast<double>(i) / (kClasses - 1);
        const QColor colour = share < 0.5 ? blend(theme.lagoon, theme.marigold, share * 2)
                                          : blend(theme.marigold, theme.vermilion, share * 2 - 1);
        const QString text = i == 0 ? QString("below %1").arg(low + step, 0, 'f', digits)
                                    : QString("from %1").arg(low + step * i, 0, 'f', digits);
        out.classes.push_back({colour, text});
    }
    bool missing = false;
    for (const double v : values) {
        missing |= !std::isfinite(v);
        out.of.push_back(std::isfinite(v) ? static_cast<std::uint8_t>(std::clamp((v - low) / step, 0.0, kClasses - 1.0))
                                          : static_cast<std::uint8_t>(kClasses));
    }
    if (missing) out.classes.push_back({theme.quiet, "no value"});
    // The highest first, as on an upright scale.
    if (!missing) {
        std::reverse(out.classes.begin(), out.classes.end());
        for (std::uint8_t& c : out.of) c = static_cast<std::uint8_t>(kClasses - 1 - c);
    }
    return out;
}

}  // namespace anhinga
