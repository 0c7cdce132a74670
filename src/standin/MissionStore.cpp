#include "standin/MissionStore.h"

#include <array>
#include <charconv>
#include <optional>

#include "core/base/File.h"
#include "core/base/Numbers.h"
#include "core/link/MissionTransfer.h"

namespace anhinga {

namespace {
enum MissionResult { accepted = 0, failed = 1, noSpace = 4, invalidPlace = 10, invalidSequence = 13, denied = 14 };
constexpr int kMission = 0;
}  // namespace

void MissionStore::acknowledge(const Message& to, int type, int result) {
    rules_.say(Message("MISSION_ACK")
                   .set("target_system", to.system)
                   .set("target_component", to.component)
                   .set("type", result)
                   .set("mission_type", type));
}

void MissionStore::askNext(double wall_s) {
    upload_.asked_s = wall_s;
    rules_.say(Message("MISSION_REQUEST_INT")
                   .set("target_system", upload_.system)
                   .set("target_component", upload_.component)
                   .set("seq", upload_.next)
                   .set("mission_type", upload_.type));
}

void MissionStore::begin(const Message& m, int type, int first, int end, bool whole, double wall_s) {
    const bool same =
        upload_.active && upload_.type == type && upload_.first == first && upload_.end == end && upload_.next == first;
    const double round_trip_s = upload_.round_trip_s;
    if (!same) {
        upload_ = {};
        upload_.round_trip_s = round_trip_s;
        upload_.active = true;
        upload_.type = type;
        upload_.first = upload_.next = first;
        upload_.end = end;
        upload_.system = m.system;
        upload_.component = m.component;
        if (whole)
            upload_.items.assign(static_cast<std::size_t>(end), {});
        else
            upload_.items = stores_[type];
    }
    upload_.asked_once = !same;
    askNext(wall_s);
}

void MissionStore::receive(const Message& m, double wall_s) {
    if (m.info->field("mission_type") == nullptr || m.is("MISSION_ACK")) return;
    const auto type = static_cast<int>(m.integer("mission_type"));
    if (m.is("MISSION_COUNT") || m.is("MISSION_CLEAR_ALL")) {
        const int count = m.is("MISSION_COUNT") ? static_cast<int>(m.integer("count")) : 0;
        if (count > rules_.max_items || (count > 0 && rules_.fault("full-memory")))
            return acknowledge(m, type, noSpace);
        if (count > 0) return begin(m, type, 0, count, true, wall_s);
        constexpr int kAll = 255;
        for (const int t : {0, 1, 2}) {
            if (type != t && type != kAll) continue;
            if (!rules_.take(t, {})) return acknowledge(m, type, denied);
            stores_[t].clear();
        }
        return acknowledge(m, type, accepted);
    }
    const auto& held = stores_[type];
    if (m.is("MISSION_WRITE_PARTIAL_LIST")) {
        const auto first = static_cast<int>(m.integer("start_index")), last = static_cast<int>(m.integer("end_index"));
        if (first < 0 || last < first || last >= static_cast<int>(held.size())) return acknowledge(m, type, failed);
        return begin(m, type, first, last + 1, false, wall_s);
    }
    if (m.is("MISSION_ITEM_INT")) return takeItem(m, wall_s);
    if (m.is("MISSION_REQUEST_LIST"))
        return rules_.say(Message("MISSION_COUNT")
                              .set("target_system", m.system)
                              .set("target_component", m.component)
                              .set("count", static_cast<double>(held.size()))
                              .set("mission_type", type));
    if (m.is("MISSION_REQUEST_INT") || m.is("MISSION_REQUEST")) {
        const auto seq = static_cast<std::size_t>(m.integer("seq"));
        if (seq >= held.size()) return acknowledge(m, type, invalidSequence);
        if (rules_.fault("silent-transfer") && seq >= 2) return;
        rules_.say(missionItemMessage(held[seq], static_cast<MissionType>(type), m.system, m.component));
    }
}

void MissionStore::takeItem(const Message& m, double wall_s) {
    const auto type = static_cast<int>(m.integer("mission_type"));
    const MissionItem item = missionItemOf(m);
    if (!upload_.active) {
        // Our acknowledgement was lost and the last item came again.
        if (upload_.done && upload_.type == type && item.seq + 1 == upload_.end) acknowledge(m, type, accepted);
        return;
    }
    if (type != upload_.type) return;
    if (item.seq + 1 == upload_.next && wall_s - upload_.asked_s > 0.7 * upload_.round_trip_s) {
        upload_.asked_once = false;  // our question for the next one was lost
        return askNext(wall_s);
    }
    if (item.seq != upload_.next) return;
    if (rules_.fault("silent-transfer") && upload_.next >= 2) return;
    if (hasPlace(item) && !isValid(placeOf(item))) {
        upload_.active = false;
        return acknowledge(m, type, invalidPlace);
    }
    if (upload_.asked_once) {
        const double took_s = wall_s - upload_.asked_s;
        upload_.round_trip_s = 0.8 * upload_.round_trip_s + 0.2 * took_s;
    }
    upload_.items[item.seq] = item;
    ++upload_.next;
    upload_.tries = 0;
    upload_.asked_once = true;
    if (upload_.next < upload_.end) return askNext(wall_s);
    upload_.active = false;
    if (type == kMission && rules_.fault("alter-item") && upload_.items.size() > 2) upload_.items[2].z += 5;
    const auto taken = rules_.take(type, upload_.items);
    upload_.done = taken.has_value();
    if (taken) stores_[type] = upload_.items;
    acknowledge(m, type, taken ? accepted : denied);
}

void MissionStore::advance(double wall_s) {
    if (!upload_.active) return;
    const double wait_s = std::clamp(1.3 * upload_.round_trip_s + 0.03, 0.08, 2.0) * (1 + 0.3 * upload_.tries);
    if (wall_s - upload_.asked_s <= wait_s) return;
    if (++upload_.tries > 10) {
        upload_.active = false;
        return;
    }
    if (rules_.fault("silent-transfer")) return;
    upload_.asked_once = false;
    askNext(wall_s);
}

// ---- over a power cut

Result<void> MissionStore::store(const std::string& file) {
    stored_ = stores_;
    if (file.empty()) return {};
    std::string text;
    for (const auto& [type, list] : stores_)
        for (const MissionItem& i : list) {
            text += fmt::format("{} {} {} {}", type, i.seq, i.frame, i.command);
            for (const double param : {i.param1, i.param2, i.param3, i.param4}) text += fmt::format(" {}", param);
            text += fmt::format(" {} {} {}\n", i.x, i.y, double{i.z});
        }
    return writeFileAtomic(file, text);
}

namespace {
/// Type of mission and item of one line of the file; parameters that are not set are written as nan.
std::optional<std::pair<int, MissionItem>> rowOf(std::string_view line) {
    std::array<double, 11> v{};
    for (double& number : v) {
        while (line.starts_with(' ')) line.remove_prefix(1);
        const auto [end, error] = std::from_chars(line.data(), line.data() + line.size(), number);
        if (error != std::errc{}) return std::nullopt;
        line.remove_prefix(static_cast<std::size_t>(end - line.data()));
    }
    MissionItem i;
    i.seq = static_cast<std::uint16_t>(toInt(v[1]));
    i.frame = static_cast<std::uint8_t>(toInt(v[2]));
    i.command = static_cast<std::uint16_t>(toInt(v[3]));
    float* const params[] = {&i.param1, &i.param2, &i.param3, &i.param4};
    for (std::size_t n = 0; n < 4; ++n) *params[n] = static_cast<float>(v[4 + n]);
    i.x = toInt(v[8]);
    i.y = toInt(v[9]);
    i.z = static_cast<float>(v[10]);
    return std::pair{toInt(v[0]), i};
}
}  // namespace

void MissionStore::restore(const std::string& file) {
    if (!file.empty()) {
        stored_.clear();
        const auto text = readFile(file);
        std::size_t at = 0;
        while (text && at < text->size()) {
            const std::size_t end = std::min(text->find('\n', at), text->size());
            if (const auto row = rowOf(std::string_view(*text).substr(at, end - at)))
                stored_[row->first].push_back(row->second);
            at = end + 1;
        }
    }
    for (const int type : {0, 1, 2})
        if (rules_.take(type, stored_[type])) stores_[type] = stored_[type];
    upload_ = {};
}

}  // namespace anhinga
