// A large log in the real window: opening it, another, and closing it hold up nothing that is clicked meanwhile.
#include "Driver.h"
#include "LargeLog.h"
#include "core/base/Text.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// What the window's thread works for between two looks of its event loop: by its own processor time, so that what else
/// the machine does is not counted.
class Probe {
  public:
    Probe() {
        QObject::connect(&timer_, &QTimer::timeout, &timer_, [this] {
            const double now = threadMs();
            if (last_ms_ > 0 && now - last_ms_ > longest_ms_) longest_ms_ = now - last_ms_;
            last_ms_ = now;
            ++ticks_;
        });
        timer_.start(1);
    }
    void begin() {
        longest_ms_ = 0;
        last_ms_ = threadMs();
        ticks_ = 0;
    }
    double longest_ms() const { return longest_ms_; }
    int ticks() const { return ticks_; }

  private:
    QTimer timer_;
    double last_ms_ = 0, longest_ms_ = 0;
    int ticks_ = 0;
};

}  // namespace

TEST_CASE("the window goes on while a large log is opened, another one is, and both are closed",
          "[ui][debrief][large][long]") {
    Driver d;
    d.openDemo();
    const std::string one = d.dir / "one.bin", other = d.dir / "other.bin";
    writeLargeLog(one, 300U << 20);
    writeLargeLog(other, 200U << 20);
    Probe probe;
    const auto open = [&](const std::string& path) {
        probe.begin();
        REQUIRE(d.window.openFile(QString::fromStdString(path)));
        REQUIRE(d.until(120'000, [&] {
            return d.window.review().path() == QString::fromStdString(path) && !d.window.review().diagnosing() &&
                   (d.window.review().waitsForDiagnosis() || !d.window.review().health().empty());
        }));
        QTest::qWait(300);
        std::printf("%s: longest stretch without the event loop %.1f ms, %d looks\n",
                    path.substr(path.rfind('/') + 1).c_str(), probe.longest_ms(), probe.ticks());
        CHECK(probe.ticks() > 20);
        // Decoding one long channel of these logs here would take longer.
        CHECK(probe.longest_ms() < 400);
    };
    open(one);
    // Work with it: every inertial channel drawn.
    for (const char* name : {"imu.gyro_x_dps", "imu.accel_x_mps2", "imu.accel_z_mps2"})
        d.window.traceModel().toggle(name, false);
    QTest::qWait(300);
    open(other);
    open(demo("patrol-flight.tlog"));  // the large ones go
}

TEST_CASE("a long channel is drawn as soon as it was read, and so is the next log's", "[ui][debrief][large]") {
    Driver d;
    d.openDemo();
    const std::string one = d.dir / "one.bin";
    writeLargeLog(one, 12U << 20);
    REQUIRE(d.window.openFile(QString::fromStdString(one)));
    REQUIRE(d.until(60'000, [&] { return d.window.review().path() == QString::fromStdString(one); }));
    TraceModel& model = d.window.traceModel();
    Trace gyro;
    gyro.name = "IMU.GyrX";
    model.setTraces({gyro});
    CHECK(model.waitsFor(gyro));
    auto* band = d.child<QWidget>("traces");
    const QImage waiting = band->grab().toImage();
    REQUIRE(d.until(60'000, [&] { return !model.waitsFor(gyro); }));
    REQUIRE(model.channelOf(gyro) != nullptr);
    CHECK(model.channelOf(gyro)->value.size() > TraceModel::kLongChannel);
    CHECK(band->grab().toImage() != waiting);
}
