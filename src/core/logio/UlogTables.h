// A ULog as it was indexed: where each topic's records lie and how their fields are laid out. Values are decoded when a
// channel is asked for.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/MappedFile.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga {

constexpr std::string_view kUlogMagic("ULog\x01\x12\x35", 7);  // what a file begins with
constexpr const char* kUlogOwnSystem = "Anhinga";              // sys_name of what is written here

class UlogTables {
  public:
    /// One field of one topic: its place in a record's data, behind the message number.
    struct Field {
        char kind = 0;  // b B h H i I q Q f d: signed and unsigned integers of 1, 2, 4, 8 bytes, floats
        std::size_t offset = 0;
    };
    /// Records of one subscription; offsets of their bodies in the file.
    struct Records {
        std::vector<std::uint32_t> at;
    };

    SharedBytes shared;
    std::uint64_t start_us = 0;

    void add(const std::string& channel, Field field, std::shared_ptr<const Records> records) {
        sources_[channel].push_back({field, std::move(records)});
    }
    bool has(const std::string& channel) const { return count(channel) > 0; }
    /// Records that may hold it: no fewer than there are values.
    std::size_t count(const std::string& channel) const;
    /// Appends its values; what is no number and what goes back in time is left out.
    void decode(const std::string& channel, Channel& out, double factor = 1) const;
    /// Whether some of its records hold a number, by a look at a few dozen of them.
    bool saysAnything(const std::string& channel) const;
    std::vector<std::string> channels() const;

  private:
    struct Source {
        Field field;
        std::shared_ptr<const Records> records;
    };
    std::map<std::string, std::vector<Source>> sources_;
};

/// Topics of autopilot family 12 under the names every log shares: the first of the sources a log has is taken. Modes
/// and events too.
void nameUlogTopics(const std::shared_ptr<const UlogTables>& tables, FlightLog& log);

}  // namespace anhinga
