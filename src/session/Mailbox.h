// What other threads hand to the window's thread.
#pragma once

#include <QSocketNotifier>
#include <deque>
#include <memory>
#include <mutex>
#include <utility>

namespace anhinga {

/// Work that other threads hand over, done one after the other, in the order it came, by the event loop of the thread
/// that made the box. A member of whoever does the work, declared before the threads that post: it outlives them, and
/// what was not done when it goes is dropped. A lock orders both sides, not Qt's event queue, which no thread sanitizer
/// sees into.
class Mailbox {
  public:
    Mailbox();
    ~Mailbox();
    Mailbox(const Mailbox&) = delete;
    Mailbox& operator=(const Mailbox&) = delete;

    /// From any thread; never waits for the other side. `work` is called without arguments, once or never, and
    /// destroyed on the box's own thread.
    template <class Work>
    void post(Work work) {
        push(std::make_unique<LetterOf<Work>>(std::move(work)));
    }

  private:
    struct Letter {
        virtual ~Letter() = default;
        virtual void open() = 0;
    };
    template <class Work>
    struct LetterOf : Letter {
        explicit LetterOf(Work w) : work(std::move(w)) {}
        void open() override { work(); }
        Work work;
    };

    void push(std::unique_ptr<Letter> letter);
    std::unique_ptr<Letter> pop();
    void deliver();

    std::mutex mutex_;
    std::deque<std::unique_ptr<Letter>> letters_;
    int signal_ = -1;  // counts the letters; what the event loop waits for
    QSocketNotifier* notifier_ = nullptr;
    std::shared_ptr<bool> alive_ = std::make_shared<bool>(true);
};

}  // namespace anhinga
