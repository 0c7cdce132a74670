#include "world/VirtualNet.h"

#include <algorithm>

#include "core/link/PlayedLine.h"

namespace anhinga::testing {

/// One end: it listens on a port and answers whoever spoke lately, or speaks to a port.
class VirtualNet::End : public Transport {
  public:
    End(VirtualNet& net, int number, const LinkAddress& address, Receiver receiver, const LinkConditions& conditions)
        : net_(net), number_(number), address_(address), receiver_(std::move(receiver)), line_(conditions) {
        net_.ends_[number_] = this;
    }
    ~End() override { net_.ends_.erase(number_); }
    bool listens() const { return address_.kind == LinkKind::udpListen || address_.kind == LinkKind::tcpListen; }
    bool stream() const { return address_.kind == LinkKind::tcp || address_.kind == LinkKind::tcpListen; }
    int port() const { return address_.port; }

    void send(std::string bytes) override {
        if (line_.good()) return write(bytes);
        const double now_s = net_.clock_.now_s();
        for (PlayedLine::Arrival& a : line_.play(bytes, PlayedLine::outgoing, now_s))
            net_.clock_.call(a.at_s, [net = &net_, me = number_, b = std::move(a.bytes)] {
                if (const auto at = net->ends_.find(me); at != net->ends_.end()) at->second->write(b);
            });
    }
    void setConditions(const LinkConditions& conditions) override { line_.setConditions(conditions); }

    void arrive(int from, std::string bytes) {
        if (listens()) {
            std::erase(peers_, from);
            peers_.push_back(from);
        }
        if (line_.good()) return take(bytes, from);
        for (PlayedLine::Arrival& a : line_.play(bytes, PlayedLine::incoming, net_.clock_.now_s()))
            net_.clock_.call(a.at_s, [net = &net_, me = number_, from, b = std::move(a.bytes)] {
                if (const auto at = net->ends_.find(me); at != net->ends_.end()) at->second->take(b, from);
            });
    }

  private:
    void take(const std::string& bytes, int from) {
        receiver_({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()},
                  stream() ? 0 : static_cast<std::uint64_t>(from));
    }
    void write(const std::string& bytes) {
        for (const auto& [number, other] : net_.ends_) {
            if (other->stream() != stream() || other->port() != port() || other->listens() == listens()) continue;
            // A datagram goes back only to who has spoken; the two ends of a stream know each other.
            const bool known = stream() || std::find(peers_.begin(), peers_.end(), number) != peers_.end();
            if (!listens() || known) net_.carry(number_, number, bytes);
        }
    }
    VirtualNet& net_;
    int number_;
    LinkAddress address_;
    Receiver receiver_;
    PlayedLine line_;
    std::vector<int> peers_;
};

LinkWorld VirtualNet::world() {
    return {&clock_,
            [this](const LinkAddress& address, Transport::Receiver receiver, const LinkConditions& conditions) {
                return open(address, std::move(receiver), conditions);
            }};
}

Result<std::unique_ptr<Transport>> VirtualNet::open(const LinkAddress& address, Transport::Receiver receiver,
                                                    const LinkConditions& conditions) {
    if (address.kind == LinkKind::serial) return fail("{}: no such device", address.host);
    auto end = std::make_unique<End>(*this, next_end_++, address, std::move(receiver), conditions);
    for (const auto& [number, other] : ends_)
        if (other != end.get() && other->listens() && end->listens() && other->stream() == end->stream() &&
            other->port() == end->port())
            return fail("link port:{} cannot be opened: it is taken", address.port);
    return end;
}

void VirtualNet::carry(int from, int to, std::string bytes) {
    constexpr double kLeast_s = 0.0001, kSpread_s = 0.0003;
    double& last_s = last_s_[{from, to}];
    last_s = std::max(last_s + 1e-7, clock_.now_s() + kLeast_s + kSpread_s * clock_.chance());
    clock_.call(last_s, [this, from, to, b = std::move(bytes)] {
        if (const auto at = ends_.find(to); at != ends_.end()) at->second->arrive(from, b);
    });
}

}  // namespace anhinga::testing
