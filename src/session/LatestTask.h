// Slow work beside the window: of each kind only what was begun last counts.
#pragma once

#include <condition_variable>
#include <memory>
#include <mutex>
#include <stop_token>
#include <thread>
#include <utility>

#include "session/Mailbox.h"

namespace anhinga {

/// Work of one kind, done by a thread of its own, one piece after the other. Whatever is begun later takes the place of
/// what is under way or waits: that is asked to stop, and nothing of it is heard any more. Beginning, stopping and
/// dropping never wait; only the end of this itself waits, for work that was asked to stop. A member of whoever hears
/// the outcome, used on the thread that made it; the work touches nothing of its owner.
class LatestTask {
  public:
    LatestTask();
    ~LatestTask();
    LatestTask(const LatestTask&) = delete;
    LatestTask& operator=(const LatestTask&) = delete;

    /// What the work knows of itself.
    class Run {
      public:
        /// Asked for when something else was begun, or it is not wanted any more.
        const std::stop_token stop;
        bool stopped() const { return stop.stop_requested(); }
        /// News before the end, from any thread: heard on the window's thread, unless something else was begun.
        template <class News>
        void tell(News news) const {
            task_->mail_.post([task = task_, number = number_, news = std::move(news)]() mutable {
                if (number == task->number_) news();
            });
        }

      private:
        friend class LatestTask;
        Run(LatestTask* task, unsigned number, std::stop_token token)
            : stop(std::move(token)), task_(task), number_(number) {}
        LatestTask* task_;
        unsigned number_;
    };

    /// `work(const Run&)` is done by the thread; what it returns is given to `then` on the window's thread, also where
    /// it was stopped, but not once something else was begun or it was dropped.
    template <class Work, class Then>
    void begin(Work work, Then then) {
        push(std::make_unique<JobOf<Work, Then>>(std::move(work), std::move(then)));
    }
    /// Asks it to stop; its end is heard all the same.
    void stop();
    /// Asks it to stop; nothing of it is heard any more.
    void drop();
    /// Something was begun whose end was not heard yet.
    bool busy() const { return busy_; }

  private:
    struct Job {
        virtual ~Job() = default;
        virtual void work(const Run& run) = 0;
        unsigned number = 0;
        std::stop_source stop;
    };
    template <class Work, class Then>
    struct JobOf : Job {
        JobOf(Work w, Then t) : doing(std::move(w)), then(std::move(t)) {}
        void work(const Run& run) override {
            run.tell([task = run.task_, made = doing(run), heard = std::move(then)]() mutable {
                task->busy_ = false;
                heard(std::move(made));
            });
        }
        Work doing;
        Then then;
    };

    void push(std::unique_ptr<Job> job);
    void loop(const std::stop_token& end);

    unsigned number_ = 0;  // of what was begun last
    bool busy_ = false;
    std::stop_source stop_;  // of what was begun last
    Mailbox mail_;           // before the thread that posts
    std::mutex mutex_;
    std::condition_variable_any begun_;
    std::unique_ptr<Job> next_;
    std::jthread thread_;
};

}  // namespace anhinga
