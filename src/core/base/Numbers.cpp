#include "core/base/Numbers.h"

#include <charconv>
#include <cmath>

namespace anhinga {

std::optional<double> takeNumber(std::string_view& text) {
    std::string_view rest = text;
    const auto begin = rest.find_first_not_of(" \t\r\n\f\v");
    rest.remove_prefix(begin == std::string_view::npos ? rest.size() : begin);
    if (rest.size() > 1 && rest[0] == '+' && rest[1] != '-') rest.remove_prefix(1);
    double value = 0;
    const auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), value);
    if (error != std::errc{} || !std::isfinite(value)) return std::nullopt;
    text = rest.substr(static_cast<std::size_t>(end - rest.data()));
    return value;
}

}  // namespace anhinga
