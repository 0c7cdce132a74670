// Result<T>: the one way an expected failure travels (bad file, lost link, wrong argument).
// The message is for the operator: what went wrong, where, and what was expected.
#pragma once

#include <fmt/format.h>

#include <string>
#include <tl/expected.hpp>
#include <utility>

namespace anhinga {

/// What code decides on; words are for people.
enum class ErrorCode {
    other,
    refused,        // answered with a no
    unsupported,    // the other side does not know how
    differs,        // answered, but not as told
    silent,         // no answer
    stopped,        // by the operator
    unknownGround,  // a height over ground where no elevation is loaded
    guarded         // a file that is write-protected or another user's: it may be written when asked for once more
};

struct Error {
    std::string message;
    ErrorCode code = ErrorCode::other;
};

template <class T>
using Result = tl::expected<T, Error>;

/// Builds a failed Result from a format string: `return fail("{}: empty file", path);`
template <class... Args>
tl::unexpected<Error> fail(fmt::format_string<Args...> format, Args&&... args) {
    return tl::unexpected<Error>(Error{fmt::format(format, std::forward<Args>(args)...)});
}

/// The same with a code.
template <class... Args>
tl::unexpected<Error> failAs(ErrorCode code, fmt::format_string<Args...> format, Args&&... args) {
    return tl::unexpected<Error>(Error{fmt::format(format, std::forward<Args>(args)...), code});
}

/// The same failure with the place where it happened put in front.
inline tl::unexpected<Error> failIn(const std::string& where, const Error& error) {
    return tl::unexpected<Error>(Error{where + ": " + error.message, error.code});
}

}  // namespace anhinga
