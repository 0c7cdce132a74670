// The log a family writes aboard while it is armed, and how it hands it out over the link: the self-describing records
// of family 3, ULog of family 12. Written from the published layouts alone.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/geo/Geo.h"
#include "core/mavlink/Messages.h"

namespace anhinga::families {

class OnboardLog {
  public:
    enum class Layout { selfDescribing, ulog };
    explicit OnboardLog(Layout layout) : layout_(layout) {}

    struct Moment {
        double t_s = 0;  // since it was switched on
        GeoPoint place;
        double amsl_m = 0, home_amsl_m = 0, ground_mps = 0, climb_mps = 0, yaw_deg = 0;
        double battery_v = 0, battery_a = 0, battery_left = 0;  // the last 0..1
        std::uint32_t mode = 0;                                 // as its heartbeat says
    };
    /// `parameters` by name, as they are when it is armed.
    void begin(double unix_s, const Moment& first, const std::map<std::string, double>& parameters);
    void sample(const Moment& now);
    /// What is written so far becomes a log that can be listed.
    void end();

    /// True when the message was for this.
    bool receive(const mavlink::Message& message, const std::function<void(mavlink::Message)>& say);
    void advance(double seconds, const std::function<void(mavlink::Message)>& say);

  private:
    struct Kept {
        double unix_s = 0;
        std::string bytes;
    };
    void format(int id, const char* name, const char* types, const char* labels);
    void head(int id);
    void define(const char* text);
    void subscribe(int id, const char* name);
    void data(int id, const std::string& fields);

    Layout layout_;
    std::string writing_;
    double began_unix_s_ = 0, began_s_ = 0;
    std::int64_t mode_ = -1;
    std::vector<Kept> kept_;
    int stream_ = 0;
    std::size_t at_ = 0, end_ = 0;
};

}  // namespace anhinga::families
