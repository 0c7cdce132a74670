#include "session/UnsavedKeeper.h"

namespace anhinga {

UnsavedKeeper::UnsavedKeeper(PlanSession* session, QString folder, QObject* parent)
    : QObject(parent), session_(session), folder_(std::move(folder)) {
    auto copy = KeptCopy::begin(folder_.toStdString());
    if (copy)
        copy_ = std::move(*copy);
    else
        problem_ = QString::fromStdString(copy.error().message);
    constexpr int kSoon_ms = 250;  // several edits in quick succession (a drag) are kept once
    soon_.setSingleShot(true);
    soon_.setInterval(kSoon_ms);
    connect(&soon_, &QTimer::timeout, this, &UnsavedKeeper::request);
    connect(session_, &PlanSession::planChanged, this, [this] {
        // Not restarted: a long drag is kept on its way too.
        if (!soon_.isActive()) soon_.start();
    });
    worker_ = std::jthread([this](const std::stop_token& stop) { work(stop); });
}

UnsavedKeeper::~UnsavedKeeper() {
    worker_.request_stop();
    if (worker_.joinable()) worker_.join();
}

void UnsavedKeeper::request() {
    const std::lock_guard lock(mutex_);
    job_ = Job{session_->modified() ? session_->plan() : nullptr, session_->path().toStdString()};
    wake_.notify_one();
}

void UnsavedKeeper::flush() {
    soon_.stop();
    request();
    std::unique_lock lock(mutex_);
    done_.wait_for(lock, std::chrono::seconds(20), [this] { return !job_ && !busy_; });
}

Result<void> UnsavedKeeper::keep(const Plan& plan, const std::string& original) {
    // The folder may have gone, or have come only now.
    if (copy_.gone()) {
        auto anew = KeptCopy::begin(folder_.toStdString());
        if (!anew) return tl::unexpected(anew.error());
        copy_ = std::move(*anew);
    }
    return copy_.write(plan, original);
}

void UnsavedKeeper::work(const std::stop_token& stop) {
    while (true) {
        Job job;
        {
            std::unique_lock lock(mutex_);
            if (!wake_.wait(lock, stop, [this] { return job_.has_value(); })) return;
            job = std::move(*job_);
            job_.reset();
            busy_ = true;
        }
        QString problem;
        if (!job.plan)
            copy_.clear();
        else if (const auto ok = keep(*job.plan, job.original); !ok)
            problem = "Changes cannot be kept safe: " + QString::fromStdString(ok.error().message);
        {
            const std::lock_guard lock(mutex_);
            busy_ = false;
            done_.notify_all();
        }
        mail_.post([this, problem] {
            if (problem == problem_) return;
            problem_ = problem;
            emit problemChanged(problem_);
        });
    }
}

}  // namespace anhinga
