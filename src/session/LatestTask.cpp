#include "session/LatestTask.h"

namespace anhinga {

LatestTask::LatestTask() : stop_(std::nostopstate) {}

LatestTask::~LatestTask() {
    stop_.request_stop();
}

void LatestTask::push(std::unique_ptr<Job> job) {
    drop();
    busy_ = true;
    job->number = number_;
    stop_ = job->stop;
    {
        const std::lock_guard lock(mutex_);
        next_.swap(job);  // one that waited and was never begun goes after the lock
    }
    begun_.notify_one();
    if (!thread_.joinable()) thread_ = std::jthread([this](const std::stop_token& end) { loop(end); });
}

void LatestTask::stop() {
    stop_.request_stop();
}

void LatestTask::drop() {
    stop_.request_stop();
    ++number_;
    busy_ = false;
}

void LatestTask::loop(const std::stop_token& end) {
    while (!end.stop_requested()) {
        std::unique_ptr<Job> job;
        {
            std::unique_lock lock(mutex_);
            begun_.wait(lock, end, [this] { return next_ != nullptr; });
            job.swap(next_);
        }
        if (job && !end.stop_requested()) job->work(Run(this, job->number, job->stop.get_token()));
    }
}

}  // namespace anhinga
