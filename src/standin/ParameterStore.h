// The stand-in's parameters and the protocol that reads and sets them.
#pragma once

#include <functional>
#include <string>

#include "core/link/Parameters.h"

namespace anhinga {

class ParameterStore {
  public:
    ParameterStore(std::function<void(mavlink::Message)> say, std::function<void(const std::string&, double)> changed);
    /// True when the message was for this.
    bool receive(const mavlink::Message& message);
    /// Streams the list that was asked for, a few each time.
    void advance(double seconds);
    double value(const std::string& name) const;
    void set(const std::string& name, double value);
    const ParameterSet& all() const { return set_; }

  private:
    void state(const std::string& name, int index);
    std::function<void(mavlink::Message)> say_;
    std::function<void(const std::string&, double)> changed_;
    ParameterSet set_;
    std::size_t streamed_;
    double owed_ = 0;
};

}  // namespace anhinga
