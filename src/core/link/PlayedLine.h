// A bad link, played: which packets arrive, when, how often and how spoilt.
#pragma once

#include <random>
#include <string>
#include <vector>

#include "core/link/Transport.h"

namespace anhinga {

class PlayedLine {
  public:
    explicit PlayedLine(const LinkConditions& conditions) : conditions_(conditions), random_(conditions.seed) {}
    void setConditions(const LinkConditions& conditions) { conditions_ = conditions; }
    /// Nothing is played: what is sent arrives at once.
    bool good() const;

    enum Way { outgoing, incoming };
    struct Arrival {
        double at_s = 0;
        std::string bytes;
    };
    /// What becomes of a packet sent at `now_s` of any clock that only goes forward. Empty: it is lost.
    std::vector<Arrival> play(const std::string& bytes, Way way, double now_s);

  private:
    bool chance(double share) { return share > 0 && std::uniform_real_distribution<double>(0, 1)(random_) < share; }

    LinkConditions conditions_;
    std::mt19937 random_;
    double free_s_[2] = {0, 0};  // when each direction has carried all it was given so far
};

}  // namespace anhinga
