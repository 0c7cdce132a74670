#include "standin/LinkedStandIn.h"

namespace anhinga {

Result<std::unique_ptr<LinkedStandIn>> LinkedStandIn::open(const LinkAddress& address, StandInOptions options,
                                                           const LinkConditions& conditions, const LinkWorld& world) {
    std::unique_ptr<LinkedStandIn> linked(new LinkedStandIn);
    LinkedStandIn* l = linked.get();
    options.clock = world.clock;
    l->standin_ = std::make_unique<StandIn>(options, [l](const mavlink::Message& m) {
        std::string frame = l->standin_->frame(m);
        const std::lock_guard lock(l->mutex_);
        if (l->transport_) l->transport_->send(std::move(frame));
    });
    auto transport = world.open(
        address,
        [l](std::span<const std::uint8_t> bytes) {
            l->parser_.feed(bytes, [l](const mavlink::Message& m, std::span<const std::uint8_t> frame) {
                l->standin_->hear(m, frame);
            });
        },
        conditions);
    if (!transport) return tl::unexpected(transport.error());
    {
        const std::lock_guard lock(l->mutex_);
        l->transport_ = std::move(*transport);
    }
    l->time_ = world.clock->start([l, &clock = *world.clock, conditions, options](const std::stop_token& stop) {
        l->run(stop, clock, conditions, options);
    });
    return linked;
}

void LinkedStandIn::run(const std::stop_token& stop, Clock& clock, LinkConditions conditions,
                        const StandInOptions& options) {
    constexpr double kTick_s = 0.01, kSlowRadio = 1200;
    const double start_s = clock.now_s();
    double last_s = start_s;
    bool slow = false;
    while (!stop.stop_requested()) {
        clock.sleep(kTick_s, stop);
        const double now_s = clock.now_s();
        standin_->advance(now_s - last_s);
        last_s = now_s;
        if (slow || !options.faults.holds("slow-radio", (now_s - start_s) * options.pace)) continue;
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
