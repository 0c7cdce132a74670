// JSON that came from outside.
#pragma once

#include <string_view>

namespace anhinga {

/// Lists and objects within each other: what no file of anybody needs, and what the stack still bears.
constexpr int kDeepestJson = 100;

/// Whether lists and objects lie deeper within each other than `most`; brackets in texts do not count. To be asked
/// before a parser or writer that goes into each by calling itself.
inline bool nestsDeeper(std::string_view json, int most = kDeepestJson) {
    int depth = 0;
    bool in_text = false;
    for (std::size_t i = 0; i < json.size(); ++i) {
        const char c = json[i];
        if (in_text) {
            if (c == '\\')
                ++i;
            else if (c == '"')
                in_text = false;
        } else if (c == '"') {
            in_text = true;
        } else if (c == '[' || c == '{') {
            if (++depth > most) return true;
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return false;
}

}  // namespace anhinga
