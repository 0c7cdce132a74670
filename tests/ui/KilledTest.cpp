// The window is killed at any moment of its work: what was saved is in the file, what was edited is offered again, what
// was heard is recorded. The window that is killed is a process of its own that goes on editing with mouse and keys.
#include <fcntl.h>

#include "core/logio/LogReader.h"
#include "core/plan/KeptPlan.h"
#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// What the victim says, a line at a time, in a file that outlives it.
void tell(const std::string& line) {
    const int fd = ::open(std::getenv("ANHINGA_VICTIM"), O_WRONLY | O_APPEND | O_CREAT, 0600);
    (void)!::write(fd, (line + "\n").data(), line.size() + 1);
    ::close(fd);
}

double heightOf(const Plan& plan, ItemId id) {
    const Item* item = plan.find(id);
    return item != nullptr && item->height ? item->height->value_m : -1;
}

struct Said {
    std::string plan, data, recording;
    ItemId item = 0;
    double edited = 0, kept = 0, saved = 0;
    bool ready = false;
};
Said saidIn(const std::string& file) {
    Said said;
    std::istringstream lines(slurp(file));
    for (std::string word; lines >> word;) {
        if (word == "plan") lines >> said.plan;
        if (word == "data") lines >> said.data;
        if (word == "recording") lines >> said.recording;
        if (word == "item") lines >> said.item;
        if (word == "edited") lines >> said.edited;
        if (word == "kept") lines >> said.kept;
        if (word == "saved") lines >> said.saved;
        if (word == "ready") said.ready = true;
    }
    return said;
}

}  // namespace

TEST_CASE("a window at work, to be killed", "[.][victim]") {
    REQUIRE(std::getenv("ANHINGA_VICTIM") != nullptr);
    Driver d;
    d.openDemo();
    StandInOptions options;
    options.home = d.plan().home->position;
    const auto aircraft = d.connect(options);
    d.key(Qt::Key_F1);
    d.still();
    const std::string path = d.window.plan().path().toStdString(),
                      folder = MainWindow::dataFolder().toStdString() + "/unsaved";
    const auto at = std::find_if(d.plan().items.begin(), d.plan().items.end(),
                                 [](const Item& i) { return i.kind == ItemKind::waypoint; });
    const ItemId id = at->id;
    d.click(d.at(at->position));
    REQUIRE(d.window.plan().selection() == std::set<ItemId>{id});
    tell(fmt::format("plan {}\ndata {}\nrecording {}\nitem {}", path, MainWindow::dataFolder().toStdString(),
                     d.window.link().recordPath().toStdString(), id));
    tell("ready");
    for (int n = 1; n < 500; ++n) {
        const double height_m = 100 + n;
        d.type("Height", QString("%1 m").arg(height_m));
        REQUIRE(heightOf(d.plan(), id) == Approx(height_m));
        tell(fmt::format("edited {}", height_m));
        if (n % 3 == 0) {
            d.key(Qt::Key_S, Qt::ControlModifier);
            REQUIRE(d.until(5000, [&] { return !d.window.plan().modified(); }));
            tell(fmt::format("saved {}", height_m));
        } else {
            // In the folder's only copy, as whoever opens it finds it.
            REQUIRE(d.until(5000, [&] {
                for (const auto& entry : std::filesystem::directory_iterator(folder))
                    if (const auto kept = entry.path().extension() == ".geojson" ? loadPlan(entry.path().string())
                                                                                 : Result<Plan>(fail("none"));
                        kept && heightOf(*kept, id) == Approx(height_m))
                        return true;
                return false;
            }));
            tell(fmt::format("kept {}", height_m));
        }
    }
}

TEST_CASE("a window that is killed loses nothing that was kept, saved or heard", "[ui][kill][deep]") {
    std::mt19937 random(20261201);
    int offered = 0, in_file = 0, recorded = 0;
    for (int round = 0; round < 5 * testDepth(); ++round) {
        TempDir dir;
        const std::string file = dir / "said";
        const pid_t child = ::fork();
        REQUIRE(child >= 0);
        if (child == 0) {
            ::setenv("ANHINGA_VICTIM", file.c_str(), 1);
            ::setenv("TMPDIR", dir.path().c_str(), 1);
            if (std::freopen((dir / "output").c_str(), "w", stdout) == nullptr) ::_exit(126);
            ::execl("/proc/self/exe", "anhinga-tests-ui", "[victim]", nullptr);
            ::_exit(127);
        }
        Said said;
        for (int i = 0; i < 1200 && !said.ready; ++i) {
            std::this_thread::sleep_for(std::chrono::milliseconds(50));
            said = saidIn(file);
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(random() % 2500));
        int status = 0;
        const bool lived = ::waitpid(child, &status, WNOHANG) == 0;
        ::kill(child, SIGKILL);
        if (lived) ::waitpid(child, &status, 0);
        INFO(slurp(dir / "output"));
        REQUIRE(said.ready);
        REQUIRE(lived);
        said = saidIn(file);
        CAPTURE(said.edited, said.kept, said.saved);
        const auto plan = loadPlan(said.plan);
        REQUIRE(plan);
        const double stored = heightOf(*plan, said.item);
        CHECK((said.saved == 0 || stored >= said.saved));
        double newest = stored;
        for (const LeftPlan& left : leftPlans(said.data + "/unsaved")) {
            CHECK(left.problem.empty());
            CHECK(left.original == said.plan);
            newest = std::max(newest, heightOf(left.plan, said.item));
            ++offered;
        }
        CHECK((said.kept == 0 || newest >= said.kept));
        CHECK((newest <= said.edited + 1 || said.edited == 0));  // nothing that was never typed
        in_file += said.saved > 0;
        const auto log = openLog(said.recording);
        REQUIRE(log);
        // At most the packet that was being written is cut off.
        CHECK((*log)->damaged_bytes < 300);
        CHECK((*log)->message_counts.at("HEARTBEAT") > 0);
        ++recorded;
    }
    std::printf("window killed %d times: %d plans offered again, %d saved before, %d recordings whole\n",
                5 * testDepth(), offered, in_file, recorded);
}
