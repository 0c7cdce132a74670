// Shared by the tests: temporary folders, sample plans, a stand-in process, hostile variants of a file.
#pragma once

#include <arpa/inet.h>
#include <netinet/in.h>
#include <signal.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <clocale>
#include <cmath>
#include <cstdlib>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <optional>
#include <random>
#include <sstream>
#include <string>
#include <thread>
#include <vector>

#include "core/plan/Plan.h"
#include "core/terrain/Terrain.h"

namespace anhinga::testing {

/// A folder that is gone when the test ends.
class TempDir {
  public:
    TempDir() {
        std::string pattern = (std::filesystem::temp_directory_path() / "anhinga-test-XXXXXX").string();
        path_ = mkdtemp(pattern.data());
    }
    ~TempDir() {
        std::error_code ignored;
        std::filesystem::remove_all(path_, ignored);
    }
    std::string operator/(const std::string& name) const { return path_ + "/" + name; }
    const std::string& path() const { return path_; }

  private:
    std::string path_;
};

/// No file of this process may grow beyond so many bytes, as on a disk that is full, until this is gone.
class NoRoom {
  public:
    explicit NoRoom(std::uint64_t bytes) {
        ::signal(SIGXFSZ, SIG_IGN);
        ::getrlimit(RLIMIT_FSIZE, &before_);
        const rlimit less{std::min<rlim_t>(bytes, before_.rlim_max), before_.rlim_max};
        ::setrlimit(RLIMIT_FSIZE, &less);
    }
    ~NoRoom() { ::setrlimit(RLIMIT_FSIZE, &before_); }
    NoRoom(const NoRoom&) = delete;

  private:
    rlimit before_{};
};

/// While it lives the C library reads and writes numbers with a point, for libraries that go by the locale.
class PlainNumbers {
  public:
    PlainNumbers() : before_(std::setlocale(LC_NUMERIC, nullptr)) { std::setlocale(LC_NUMERIC, "C"); }
    ~PlainNumbers() { std::setlocale(LC_NUMERIC, before_.c_str()); }
    PlainNumbers(const PlainNumbers&) = delete;
    PlainNumbers& operator=(const PlainNumbers&) = delete;

  private:
    std::string before_;
};

inline std::string demo(const std::string& name) {
    return std::string(DEMO_DIR) + "/" + name;
}

inline std::string slurp(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    std::ostringstream out;
    out << in.rdbuf();
    return out.str();
}
inline void spit(const std::string& path, const std::string& content) {
    std::ofstream(path, std::ios::binary | std::ios::trunc) << content;
}

/// The demo's elevation, opened once.
inline std::shared_ptr<const Terrain> island() {
    static const auto terrain = Terrain::open({demo("quillmere-elevation.tif")});
    return terrain ? *terrain : nullptr;
}

/// A small plan over open sea: home at 0 m, take-off, `n` waypoints in a row 100 m apart, return.
inline Plan rowPlan(int n, GeoPoint home = {47.31, -20.12}) {
    Plan plan;
    plan.title = "row";
    plan.home = Home{home, 0.0};
    Item up;
    up.id = plan.newId();
    up.kind = ItemKind::takeOff;
    up.height = Height::aboveHome(30);
    plan.items.push_back(up);
    for (int i = 1; i <= n; ++i) {
        Item w;
        w.id = plan.newId();
        w.position = destination(home, 90, 100.0 * i);
        plan.items.push_back(w);
    }
    Item back;
    back.id = plan.newId();
    back.kind = ItemKind::returnHome;
    plan.items.push_back(back);
    return plan;
}

/// A program of ours running beside the test; ended by its id when the test is over.
class Process {
  public:
    Process(const std::string& program, std::vector<std::string> arguments) {
        arguments.insert(arguments.begin(), program);
        std::vector<char*> argv;
        for (std::string& a : arguments) argv.push_back(a.data());
        argv.push_back(nullptr);
        pid_ = fork();
        if (pid_ == 0) {
            if (std::freopen("/dev/null", "w", stdout) == nullptr) _exit(126);
            execv(program.c_str(), argv.data());
            _exit(127);
        }
    }
    ~Process() { stop(); }
    Process(const Process&) = delete;
    /// Its exit code once it has ended by itself; 128 and the signal when that ended it.
    std::optional<int> ended() {
        int status = 0;
        if (pid_ <= 0 || waitpid(pid_, &status, WNOHANG) != pid_) return std::nullopt;
        pid_ = 0;
        return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    }
    void killNow() {
        if (pid_ <= 0) return;
        kill(pid_, SIGKILL);
        waitpid(pid_, nullptr, 0);
        pid_ = 0;
    }
    /// Asks it to end; it has twenty seconds for what it still writes, on a busy machine, too.
    void stop() {
        if (pid_ <= 0) return;
        kill(pid_, SIGTERM);
        for (int i = 0; i < 1000; ++i) {
            if (waitpid(pid_, nullptr, WNOHANG) == pid_) {
                pid_ = 0;
                return;
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
        kill(pid_, SIGKILL);
        waitpid(pid_, nullptr, 0);
        pid_ = 0;
    }

  private:
    pid_t pid_ = 0;
};

/// How deep tests tagged [deep] go: 1 in the usual set, more in the long one (ANHINGA_DEPTH).
inline int testDepth() {
    const char* text = std::getenv("ANHINGA_DEPTH");
    return text != nullptr ? std::max(1, std::atoi(text)) : 1;
}

/// Processor time of this thread, milliseconds: what is bounded on a busy machine, too.
inline double cpuMs() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return 1e3 * static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_nsec);
}

/// A port of our own for each caller, so that tests running side by side do not meet: below those the system hands out
/// by itself, and free at this moment.
inline int freePort() {
    static int next = 0;
    constexpr int kFirst = 20000, kCount = 12000, kTries = 200;
    int port = kFirst;
    for (int i = 0; i < kTries; ++i) {
        port = kFirst + (getpid() * 7 + next++ * 13) % kCount;
        bool free = true;
        for (const int kind : {SOCK_DGRAM, SOCK_STREAM}) {
            sockaddr_in at{};
            at.sin_family = AF_INET;
            at.sin_port = htons(static_cast<std::uint16_t>(port));
            at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
            const int s = socket(AF_INET, kind, 0);
            free = free && s >= 0 && bind(s, reinterpret_cast<const sockaddr*>(&at), sizeof at) == 0;
            if (s >= 0) close(s);
        }
        if (free) break;
    }
    return port;
}

/// Truncations, flipped bits, overwritten stretches and doubled pieces of `original`, from a seed.
inline std::vector<std::string> damaged(const std::string& original, int count, unsigned seed) {
    std::mt19937 random(seed);
    std::vector<std::string> out;
    const auto at = [&](std::size_t n) { return static_cast<std::size_t>(random()) % std::max<std::size_t>(1, n); };
    for (int i = 0; i < count; ++i) {
        std::string s = original;
        switch (i % 4) {
            case 0:
                s.resize(at(s.size()));
                break;
            case 1:
                for (int k = 0; k < 1 + i % 9; ++k) s[at(s.size())] ^= static_cast<char>(1 << (random() % 8));
                break;
            case 2:
                for (std::size_t k = at(s.size()), n = 0; k < s.size() && n < 24; ++k, ++n)
                    s[k] = static_cast<char>(random());
                break;
            default:
                s.insert(at(s.size()), s.substr(at(s.size()), 40));
                break;
        }
        out.push_back(s);
    }
    return out;
}

/// Binary rubbish of a given size.
inline std::string rubbish(std::size_t n, unsigned seed) {
    std::mt19937 random(seed);
    std::string s(n, '\0');
    for (char& c : s) c = static_cast<char>(random());
    return s;
}

/// Runs `work` as a user without rights (tests often run as root, whom no permission stops).
template <class F>
void withoutRights(F work) {
    const uid_t me = geteuid();
    const bool dropped = me == 0 && seteuid(65534) == 0;
    work(dropped || me != 0);
    if (dropped && seteuid(me) != 0) std::abort();
}

}  // namespace anhinga::testing
