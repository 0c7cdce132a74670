// What can be made to go wrong on the stand-in, by name and time.
#pragma once

#include <map>
#include <span>
#include <string>

#include "core/base/Result.h"

namespace anhinga {

struct FaultInfo {
    const char* name;
    const char* text;
};
std::span<const FaultInfo> knownFaults();

/// Faults by name, with the seconds after start from which on they hold.
class Faults {
  public:
    /// "NAME" or "NAME@SECONDS". Fails for what is not known.
    Result<void> add(const std::string& text);
    void set(const std::string& name, double from_s) { from_s_[name] = from_s; }
    void clear(const std::string& name) { from_s_.erase(name); }
    bool holds(const std::string& name, double now_s) const;
    /// Seconds since it began; negative before that and for one that was not asked for.
    double since(const std::string& name, double now_s) const;

  private:
    std::map<std::string, double> from_s_;
};

}  // namespace anhinga
