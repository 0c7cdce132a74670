#include "standin/ParameterStore.h"

#include <iterator>

namespace anhinga {

using mavlink::Message;

ParameterStore::ParameterStore(std::function<void(Message)> say,
                               std::function<void(const std::string&, double)> changed)
    : say_(std::move(say)), changed_(std::move(changed)) {
    constexpr int kInt8 = 2, kInt16 = 4, kReal32 = 9;
    for (const ParameterInfo& p : ownParameters())
        set_[p.name] = {p.usual, !p.unit.empty() ? kReal32 : p.high < 128 ? kInt8 : kInt16};
    for (int i = 1; i <= 8; ++i) {
        set_[fmt::format("OUTPUT_LEAST_{}", i)] = {1050, kInt16};
        set_[fmt::format("OUTPUT_MOST_{}", i)] = {1950, kInt16};
        set_[fmt::format("OUTPUT_DRIVES_{}", i)] = {i <= 4 ? static_cast<double>(i) : 0.0, kInt8};
        set_[fmt::format("PULSE_LEAST_{}", i)] = {1100, kInt16};
        set_[fmt::format("PULSE_MOST_{}", i)] = {1900, kInt16};
        set_[fmt::format("PULSE_MID_{}", i)] = {1500, kInt16};
    }
    // The pilot's switch: position 2 leaves the mode to the ground station's orders, 6 holds.
    constexpr int kModes[] = {0, 0, 2, 6, 9, 5};
    for (int i = 0; i < 6; ++i) set_[fmt::format("SWITCH_MODE_{}", i + 1)] = {static_cast<double>(kModes[i]), kInt8};
    streamed_ = set_.size();
}

double ParameterStore::value(const std::string& name) const {
    const auto at = set_.find(name);
    return at == set_.end() ? 0 : at->second.value;
}

void ParameterStore::set(const std::string& name, double value) {
    set_[name].value = value;
}

void ParameterStore::state(const std::string& name, int index) {
    const Parameter& p = set_.at(name);
    say_(Message("PARAM_VALUE")
             .setText("param_id", name)
             .set("param_value", p.value)
             .set("param_type", p.type)
             .set("param_count", static_cast<double>(set_.size()))
             .set("param_index", index));
}

bool ParameterStore::receive(const Message& m) {
    constexpr int kByName = 65535;
    if (m.is("PARAM_REQUEST_LIST")) {
        streamed_ = 0;
    } else if (m.is("PARAM_REQUEST_READ")) {
        const auto index = m.integer("param_index");
        if (index >= 0) {
            if (static_cast<std::size_t>(index) < set_.size())
                state(std::next(set_.begin(), index)->first, static_cast<int>(index));
        } else if (set_.contains(m.text("param_id"))) {
            state(m.text("param_id"), kByName);
        }
    } else if (m.is("PARAM_SET")) {
        const std::string name = m.text("param_id");
        const double value = m.number("param_value");
        if (!set_.contains(name)) return true;
        const auto info = parameterInfo(name);
        const bool fits = std::isfinite(value) && (!info || info->fits(value));
        constexpr int kFirstReal = 9;
        Parameter& p = set_[name];
        if (fits) p.value = p.type < kFirstReal ? std::round(value) : value;
        state(name, kByName);
        if (fits) changed_(name, p.value);
    } else {
        return false;
    }
    return true;
}

void ParameterStore::advance(double seconds) {
    constexpr double kPerSecond = 400;
    owed_ = std::min(owed_ + seconds * kPerSecond, kPerSecond * 0.1);
    for (; streamed_ < set_.size() && owed_ >= 1; owed_ -= 1, ++streamed_)
        state(std::next(set_.begin(), static_cast<std::ptrdiff_t>(streamed_))->first, static_cast<int>(streamed_));
}

}  // namespace anhinga
