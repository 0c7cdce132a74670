#include "standin/LinkProxy.h"

namespace anhinga {

namespace {
std::string text(std::span<const std::uint8_t> bytes) {
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}
}  // namespace

Result<std::unique_ptr<LinkProxy>> LinkProxy::open(int vehicle_port, int ground_port, const LinkConditions& conditions,
                                                   const LinkWorld& world) {
    std::unique_ptr<LinkProxy> proxy(new LinkProxy);
    LinkProxy* p = proxy.get();
    // The ground's end first: what the vehicle's end receives is sent through it.
    auto ground = world.open(
        {LinkKind::udp, "127.0.0.1", ground_port},
        [p](std::span<const std::uint8_t> bytes, std::uint64_t) {
            ++p->from_ground_;
            const std::lock_guard lock(p->mutex_);
            if (p->vehicle_ != nullptr && !p->up_cut_) p->vehicle_->send(text(bytes));
        },
        conditions);
    if (!ground) return tl::unexpected(ground.error());
    proxy->ground_ = std::move(*ground);
    auto opened = world.open({LinkKind::udpListen, "127.0.0.1", vehicle_port},
                             [p](std::span<const std::uint8_t> bytes, std::uint64_t) {
                                 ++p->from_vehicle_;
                                 if (!p->down_cut_) p->ground_->send(text(bytes));
                             },
                             {});
    if (!opened) return tl::unexpected(opened.error());
    const std::lock_guard lock(p->mutex_);
    proxy->vehicle_ = std::move(*opened);
    return proxy;
}

LinkProxy::~LinkProxy() {
    // Each end sends through the other: the vehicle's is taken away from the ground's before its thread is waited for.
    std::unique_ptr<Transport> vehicle;
    {
        const std::lock_guard lock(mutex_);
        vehicle = std::move(vehicle_);
    }
    vehicle.reset();
    ground_.reset();
}

}  // namespace anhinga
