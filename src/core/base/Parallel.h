// Two pieces of work at once.
#pragma once

#include <exception>
#include <thread>

namespace anhinga {

/// Runs `here` on this thread and `beside` on another, or one after the other where it is not worth a thread; returns
/// when both are done. An error thrown by either is thrown here.
template <typename Here, typename Beside>
void bothAtOnce(bool worth_a_thread, Here here, Beside beside) {
    if (!worth_a_thread) {
        here();
        beside();
        return;
    }
    std::exception_ptr wrong;
    {
        const std::jthread other([&] {
            try {
                beside();
            } catch (...) {
                wrong = std::current_exception();
            }
        });
        here();
    }
    if (wrong) std::rethrow_exception(wrong);
}

}  // namespace anhinga
