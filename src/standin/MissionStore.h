// The stand-in's three lists of mission items and the protocol that fills and reads them.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/dialect/Mission.h"
#include "core/mavlink/Messages.h"

namespace anhinga {

class MissionStore {
  public:
    struct Rules {
        std::function<void(mavlink::Message)> say;
        std::function<bool(const char*)> fault;
        /// A list of that type is to be held now. An error refuses it: it is kept as it was.
        std::function<Result<void>(int type, const std::vector<MissionItem>& items)> take;
        int max_items = 700;
    };
    explicit MissionStore(Rules rules) : rules_(std::move(rules)) {}

    void receive(const mavlink::Message& message, double wall_s);
    /// Asks again for an item that has not come.
    void advance(double wall_s);
    const std::vector<MissionItem>& items(int type) { return stores_[type]; }

    /// Kept over a power cut from now on (in a file, when there is one).
    Result<void> store(const std::string& file);
    /// As after a power cut: what was stored last.
    void restore(const std::string& file);

  private:
    using Message = mavlink::Message;
    using Stores = std::map<int, std::vector<MissionItem>>;
    struct Upload {
        bool active = false, done = false;
        int type = 0, first = 0, end = 0, next = 0, tries = 0;
        double asked_s = 0, round_trip_s = 0.4;
        bool asked_once = true;
        std::vector<MissionItem> items;
        std::uint8_t system = 255, component = 190;
    };
    void begin(const Message& message, int type, int first, int end, bool whole, double wall_s);
    void takeItem(const Message& message, double wall_s);
    void askNext(double wall_s);
    void acknowledge(const Message& to, int type, int result);

    Rules rules_;
    Stores stores_, stored_;
    Upload upload_;
};

}  // namespace anhinga
