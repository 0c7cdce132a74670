#include "standin/MissionStore.h"

#include <cstdio>

#include "core/base/File.h"
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
        for (const MissionItem& i : list)
            text += fmt::format("{} {} {} {} {:a} {:a} {:a} {:a} {} {} {:a}\n", type, i.seq, i.frame, i.command,
                                i.param1, i.param2, i.param3, i.param4, i.x, i.y, i.z);
    return writeFileAtomic(file, text);
}

void MissionStore::restore(const std::string& file) {
    if (!file.empty()) {
        stored_.clear();
        const auto text = readFile(file);
        std::size_t at = 0;
        while (text && at < text->size()) {
            const std::size_t end = std::min(text->find('\n', at), text->size());
            int type = 0, seq = 0, frame = 0, command = 0, x = 0, y = 0;
            MissionItem i;
            if (std::sscanf(text->substr(at, end - at).c_str(), "%d %d %d %d %a %a %a %a %d %d %a", &type, &seq, &frame,
                            &command, &i.param1, &i.param2, &i.param3, &i.param4, &x, &y, &i.z) == 11) {
                i.seq = static_cast<std::uint16_t>(seq);
                i.frame = static_cast<std::uint8_t>(frame);
                i.command = static_cast<std::uint16_t>(command);
                i.x = x;
                i.y = y;
                stored_[type].push_back(i);
            }
            at = end + 1;
        }
    }
    for (const int type : {0, 1, 2})
        if (rules_.take(type, stored_[type])) stores_[type] = stored_[type];
    upload_ = {};
}

}  // namespace anhinga
