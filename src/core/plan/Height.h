// Heights and what they are measured from.
#pragma once

namespace anhinga {

enum class HeightRef { home, amsl, ground };

/// A height is never a bare number across a module border.
struct Height {
    double value_m = 0;
    HeightRef ref = HeightRef::home;
    static Height aboveHome(double m) { return {m, HeightRef::home}; }
    static Height amsl(double m) { return {m, HeightRef::amsl}; }
    static Height aboveGround(double m) { return {m, HeightRef::ground}; }
    bool operator==(const Height&) const = default;
};

}  // namespace anhinga
