#include "standin/LinkedStandIn.h"

namespace anhinga {

void LinkedStandIn::accompany(const CompanionOptions& options, int system) {
    if (options.any())
        companions_ = std::make_unique<Companions>(options, system, [this](const mavlink::Message& m) { send(m); });
}

void LinkedStandIn::say(const mavlink::Message& m) {
    if (!companions_ || companions_->says(m)) send(m);
}

void LinkedStandIn::send(const mavlink::Message& m) {
    const std::lock_guard lock(mutex_);
    std::string frame = vehicle_->frame(m);  // stamps it where it signs: one at a time
    if (transport_) transport_->send(std::move(frame));
}

Result<void> LinkedStandIn::connect(const LinkAddress& address, const LinkConditions& conditions,
                                    const LinkWorld& world) {
    auto transport = world.open(
        address,
        [this](std::span<const std::uint8_t> bytes, std::uint64_t) {
            parser_.feed(bytes, [this](const mavlink::Message& m, std::span<const std::uint8_t> frame) {
                vehicle_->hear(m, frame);
                if (companions_) companions_->hear(m);
            });
        },
        conditions);
    if (!transport) return tl::unexpected(transport.error());
    const std::lock_guard lock(mutex_);
    transport_ = std::move(*transport);
    return {};
}

Result<std::unique_ptr<LinkedStandIn>> LinkedStandIn::open(const LinkAddress& address, StandInOptions options,
                                                           const LinkConditions& conditions, const LinkWorld& world) {
    std::unique_ptr<LinkedStandIn> linked(new LinkedStandIn);
    LinkedStandIn* l = linked.get();
    options.clock = world.clock;
    l->accompany(options.companions, options.system);
    auto standin = std::make_unique<StandIn>(options, [l](const mavlink::Message& m) { l->say(m); });
    l->standin_ = standin.get();
    l->vehicle_ = std::move(standin);
    if (auto ok = l->connect(address, conditions, world); !ok) return tl::unexpected(ok.error());
    l->time_ = world.clock->start([l, &clock = *world.clock, conditions, faults = options.faults, pace = options.pace](
                                      const std::stop_token& stop) { l->run(stop, clock, conditions, faults, pace); });
    return linked;
}

Result<std::unique_ptr<LinkedStandIn>> LinkedStandIn::open(const LinkAddress& address,
                                                           families::AircraftOptions options,
                                                           const LinkConditions& conditions, const LinkWorld& world,
                                                           const CompanionOptions& companions) {
    std::unique_ptr<LinkedStandIn> linked(new LinkedStandIn);
    LinkedStandIn* l = linked.get();
    l->accompany(companions, options.system);
    options.unix_s = world.clock->unix_s();
    auto aircraft =
        std::make_unique<families::Aircraft>(std::move(options), [l](const mavlink::Message& m) { l->say(m); });
    l->aircraft_ = aircraft.get();
    l->vehicle_ = std::move(aircraft);
    if (auto ok = l->connect(address, conditions, world); !ok) return tl::unexpected(ok.error());
    l->time_ = world.clock->start([l, &clock = *world.clock, conditions](const std::stop_token& stop) {
        l->run(stop, clock, conditions, {}, 1);
    });
    return linked;
}

void LinkedStandIn::run(const std::stop_token& stop, Clock& clock, LinkConditions conditions, const Faults& faults,
                        double pace) {
    constexpr double kTick_s = 0.01, kSlowRadio = 1200;
    const double start_s = clock.now_s();
    double last_s = start_s;
    bool slow = false;
    while (!stop.stop_requested()) {
        clock.sleep(kTick_s, stop);
        const double now_s = clock.now_s();
        vehicle_->advance(now_s - last_s);
        if (companions_) companions_->advance(now_s - last_s);
        last_s = now_s;
        if (slow || !faults.holds("slow-radio", (now_s - start_s) * pace)) continue;
        slow = true;
        conditions.bytes_per_s = kSlowRadio;
        transport_->setConditions(conditions);
    }
}

LinkedStandIn::~LinkedStandIn() {
    time_ = {};
    // Its thread calls into the stand-in, which sends: it is taken away first, and waited for without the mutex.
    std::unique_ptr<Transport> transport;
    {
        const std::lock_guard lock(mutex_);
        transport = std::move(transport_);
    }
    transport.reset();
}

}  // namespace anhinga
