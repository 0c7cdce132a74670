// Constants of nature that several places reckon with.
#pragma once

namespace anhinga {

inline constexpr double kStandardGravity_mps2 = 9.80665;  // 3rd General Conference on Weights and Measures, 1901

}  // namespace anhinga
