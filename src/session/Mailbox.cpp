#include "session/Mailbox.h"

#include <sys/eventfd.h>
#include <unistd.h>
#include <QtGlobal>
#include <cstdint>

namespace anhinga {

Mailbox::Mailbox() : signal_(eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK | EFD_SEMAPHORE)) {
    if (signal_ < 0) qFatal("no descriptor left to hear of other threads: raise the limit of open files");
    notifier_ = new QSocketNotifier(signal_, QSocketNotifier::Read);
    QObject::connect(notifier_, &QSocketNotifier::activated, notifier_, [this] { deliver(); });
}

Mailbox::~Mailbox() {
    *alive_ = false;
    // A letter may have brought this about: then the notifier is still in use.
    notifier_->setEnabled(false);
    notifier_->disconnect();
    notifier_->deleteLater();
    close(signal_);
}

void Mailbox::push(std::unique_ptr<Letter> letter) {
    const std::lock_guard lock(mutex_);
    letters_.push_back(std::move(letter));
    const std::uint64_t one = 1;
    [[maybe_unused]] const auto written = write(signal_, &one, sizeof one);  // fails only beyond 2^64 letters
}

std::unique_ptr<Mailbox::Letter> Mailbox::pop() {
    const std::lock_guard lock(mutex_);
    std::uint64_t one = 0;
    [[maybe_unused]] const auto got = read(signal_, &one, sizeof one);
    if (letters_.empty()) return nullptr;
    auto letter = std::move(letters_.front());
    letters_.pop_front();
    return letter;
}

void Mailbox::deliver() {
    // Not more than lie there now, or who posts for ever would keep the event loop here.
    std::size_t waiting = 0;
    {
        const std::lock_guard lock(mutex_);
        waiting = letters_.size();
    }
    const auto alive = alive_;
    for (; waiting > 0 && *alive; --waiting) {
        const auto letter = pop();
        if (!letter) return;  // an event loop within the last one had it
        letter->open();
    }
}

}  // namespace anhinga
