#include "core/link/LiveValues.h"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/mavlink/Instance.h"

namespace anhinga {

using mavlink::FieldInfo;
using mavlink::FieldType;
using mavlink::Message;

namespace {
std::string valueText(const Message& m, const FieldInfo& f, int index) {
    if (f.type == FieldType::f32 || f.type == FieldType::f64) {
        const double v = mavlink::readNumber(m.payload, f, index);
        if (std::isnan(v)) return "no number";
        if (std::isinf(v)) return v > 0 ? "infinite" : "-infinite";
        return f.type == FieldType::f32 ? fmt::format("{:.6g}", v) : fmt::format("{:.12g}", v);
    }
    const std::int64_t v = mavlink::readInteger(m.payload, f, index);
    return f.type == FieldType::u64 ? fmt::format("{}", static_cast<std::uint64_t>(v)) : fmt::format("{}", v);
}
}  // namespace

void LiveValues::take(const Message& message, double now_ms) {
    if (message.info == nullptr) return;
    const auto key = std::tuple(int(message.component), message.info->id, mavlink::instanceOf(message));
    auto at = heard_.find(key);
    if (at == heard_.end()) {
        if (heard_.size() >= kMostKinds) return;
        at = heard_.emplace(key, Heard{}).first;
    }
    Heard& h = at->second;
    h.last = message;
    h.at_ms[h.count % kRemembered] = now_ms;
    ++h.count;
}

/// Over the last ones that came; what has fallen silent comes less and less often.
std::optional<double> LiveValues::rate(const Heard& heard, double now_ms) {
    if (heard.count < 2) return std::nullopt;
    const std::size_t n = std::min(heard.count, kRemembered);
    const double newest = heard.at_ms[(heard.count - 1) % kRemembered];
    const double oldest = heard.at_ms[heard.count > kRemembered ? heard.count % kRemembered : 0];
    const double usual_ms = (newest - oldest) / static_cast<double>(n - 1);
    const double span_ms = now_ms - newest > 2 * usual_ms ? now_ms - oldest : newest - oldest;
    if (span_ms <= 0) return std::nullopt;
    return static_cast<double>(n - 1) / span_ms * 1000;
}

std::vector<LiveValue> LiveValues::list(double now_ms, int autopilot) const {
    std::vector<LiveValue> out;
    for (const auto& [key, h] : heard_) {
        const auto [component, id, number] = key;
        const std::string kind = mavlink::instanceName(*h.last.info, number, component == autopilot ? 0 : component);
        LiveValue v;
        v.rate_hz = rate(h, now_ms);
        v.age_s = std::max(0.0, now_ms - h.at_ms[(h.count - 1) % kRemembered]) / 1000;
        for (const FieldInfo& f : h.last.info->fields) {
            v.unit = std::string(f.unit);
            if (f.type == FieldType::c8) {
                v.name = fmt::format("{}.{}", kind, f.name);
                v.text = shownText(h.last.text(f.name));
                out.push_back(v);
                continue;
            }
            for (int i = 0; i < std::max<int>(1, f.count); ++i) {
                v.name = f.count > 0 ? fmt::format("{}.{}[{}]", kind, f.name, i) : fmt::format("{}.{}", kind, f.name);
                v.text = valueText(h.last, f, i);
                out.push_back(v);
            }
        }
    }
    std::sort(out.begin(), out.end(), [](const LiveValue& a, const LiveValue& b) { return a.name < b.name; });
    return out;
}

}  // namespace anhinga
