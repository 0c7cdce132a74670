#include "core/link/Transport.h"

#include <algorithm>
#include <array>
#include <asio.hpp>
#include <deque>
#include <map>
#include <thread>
#include <vector>

#include "core/link/PlayedLine.h"

namespace anhinga {

namespace {

using asio::ip::tcp;
using asio::ip::udp;

/// Asio's clock, as PlayedLine counts.
double now_s() {
    return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

/// The thread, the played conditions, and the two directions; sockets are the children's.
class AsioTransport : public Transport {
  public:
    AsioTransport(Receiver receiver, const LinkConditions& conditions)
        : receiver_(std::move(receiver)), line_(conditions) {}
    void send(std::string bytes) override {
        asio::post(io_, [this, b = std::move(bytes)]() mutable {
            if (line_.good()) return write(std::move(b));
            play(b, PlayedLine::outgoing);
        });
    }
    void setConditions(const LinkConditions& conditions) override {
        asio::post(io_, [this, conditions] { line_.setConditions(conditions); });
    }

  protected:
    void run() {
        thread_ = std::jthread([this] { io_.run(); });
    }
    void stop() {
        io_.stop();
        if (thread_.joinable()) thread_.join();
    }
    void received(const char* data, std::size_t size, std::uint64_t from = 0) {
        if (line_.good()) return receiver_({reinterpret_cast<const std::uint8_t*>(data), size}, from);
        play(std::string(data, size), PlayedLine::incoming, from);
    }
    virtual void write(std::string&& bytes) = 0;

    asio::io_context io_;
    asio::executor_work_guard<asio::io_context::executor_type> work_{io_.get_executor()};

  private:
    void deliver(std::string&& bytes, PlayedLine::Way way, std::uint64_t from) {
        if (way == PlayedLine::outgoing) return write(std::move(bytes));
        receiver_({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()}, from);
    }
    void play(const std::string& bytes, PlayedLine::Way way, std::uint64_t from = 0) {
        const double now = now_s();
        for (PlayedLine::Arrival& a : line_.play(bytes, way, now)) {
            if (a.at_s <= now)
                deliver(std::move(a.bytes), way, from);
            else
                late_.emplace(std::pair(a.at_s, ++late_count_), Late{std::move(a.bytes), way, from});
        }
        wake();
    }
    /// One timer for all that is on its way, in the order it is due.
    void wake() {
        if (late_.empty() || (waiting_ && late_.begin()->first.first >= waiting_until_s_)) return;
        waiting_ = true;
        waiting_until_s_ = late_.begin()->first.first;
        timer_.expires_after(std::chrono::duration_cast<std::chrono::nanoseconds>(
            std::chrono::duration<double>(std::max(0.0, waiting_until_s_ - now_s()))));
        timer_.async_wait([this](const asio::error_code& error) {
            if (error) return;
            waiting_ = false;
            const double now = now_s();
            while (!late_.empty() && late_.begin()->first.first <= now) {
                auto node = late_.extract(late_.begin());
                deliver(std::move(node.mapped().bytes), node.mapped().way, node.mapped().from);
            }
            wake();
        });
    }
    struct Late {
        std::string bytes;
        PlayedLine::Way way;
        std::uint64_t from;
    };

    Receiver receiver_;
    PlayedLine line_;
    std::map<std::pair<double, std::uint64_t>, Late> late_;
    std::uint64_t late_count_ = 0;
    asio::steady_timer timer_{io_};
    bool waiting_ = false;
    double waiting_until_s_ = 0;
    std::jthread thread_;
};

/// Talks to one host, or listens and then talks to whoever has spoken lately: several vehicles may share a port.
class UdpTransport : public AsioTransport {
  public:
    UdpTransport(const LinkAddress& address, Receiver receiver, const LinkConditions& conditions)
        : AsioTransport(std::move(receiver), conditions),
          socket_(io_),
          listening_(address.kind == LinkKind::udpListen) {
        socket_.open(udp::v4());
        if (listening_) {
            socket_.bind({asio::ip::address_v4::any(), static_cast<unsigned short>(address.port)});
        } else {
            peers_.push_back(
                {*udp::resolver(io_).resolve(udp::v4(), address.host, std::to_string(address.port)).begin(),
                 Clock::now()});
            socket_.bind({asio::ip::address_v4::any(), 0});
        }
        asio::error_code ignored;
        socket_.set_option(asio::socket_base::receive_buffer_size(1 << 22), ignored);
        socket_.non_blocking(true, ignored);
        receive();
        run();
    }
    ~UdpTransport() override { stop(); }

  protected:
    void write(std::string&& bytes) override {
        asio::error_code ignored;
        for (const Peer& p : peers_) socket_.send_to(asio::buffer(bytes), p.endpoint, 0, ignored);
    }

  private:
    using Clock = std::chrono::steady_clock;
    struct Peer {
        udp::endpoint endpoint;
        Clock::time_point heard;
    };
    void receive() {
        socket_.async_receive_from(asio::buffer(buffer_), from_, [this](const asio::error_code& error, std::size_t n) {
            if (error == asio::error::operation_aborted) return;
            if (!error && n > 0) {
                if (listening_) remember();
                received(buffer_.data(), n, sender());
                // What else has come is taken at once, without a wait for each packet.
                asio::error_code none_left;
                for (int i = 0; i < 64; ++i) {
                    n = socket_.receive_from(asio::buffer(buffer_), from_, 0, none_left);
                    if (none_left || n == 0) break;
                    if (listening_) remember();
                    received(buffer_.data(), n, sender());
                }
            }
            receive();
        });
    }
    std::uint64_t sender() const {
        const auto address = from_.address();
        const std::uint64_t host =
            address.is_v4() ? address.to_v4().to_uint() : std::hash<std::string>{}(address.to_string());
        return (host << 16 | from_.port()) + 1;
    }
    void remember() {
        constexpr std::size_t kMostPeers = 8;
        constexpr auto kForgotten = std::chrono::seconds(30);
        const auto now = Clock::now();
        for (Peer& p : peers_)
            if (p.endpoint == from_) {
                p.heard = now;
                return;
            }
        std::erase_if(peers_, [&](const Peer& p) { return now - p.heard > kForgotten; });
        if (peers_.size() >= kMostPeers)
            peers_.erase(std::min_element(peers_.begin(), peers_.end(),
                                          [](const Peer& a, const Peer& b) { return a.heard < b.heard; }));
        peers_.push_back({from_, now});
    }
    udp::socket socket_;
    std::vector<Peer> peers_;
    udp::endpoint from_;
    bool listening_;
    std::array<char, 65536> buffer_{};
};

/// A serial line, 8 data bits, no parity, one stop bit; a device that is pulled out is opened again when it is back.
class SerialTransport : public AsioTransport {
  public:
    SerialTransport(const LinkAddress& address, Receiver receiver, const LinkConditions& conditions)
        : AsioTransport(std::move(receiver), conditions), address_(address), port_(io_), retry_(io_) {
        openPort();
        receive();
        run();
    }
    ~SerialTransport() override { stop(); }

  protected:
    void write(std::string&& bytes) override {
        constexpr std::size_t kMostWaiting = 4096;
        if (!port_.is_open() || waiting_.size() > kMostWaiting) return;
        waiting_.push_back(std::move(bytes));
        if (waiting_.size() == 1) writeNext();
    }

  private:
    void openPort() {
        using Port = asio::serial_port_base;
        port_.open(address_.host);
        port_.set_option(Port::baud_rate(static_cast<unsigned>(address_.port)));
        port_.set_option(Port::character_size(8));
        port_.set_option(Port::parity(Port::parity::none));
        port_.set_option(Port::stop_bits(Port::stop_bits::one));
        port_.set_option(Port::flow_control(Port::flow_control::none));
    }
    void receive() {
        port_.async_read_some(asio::buffer(buffer_), [this](const asio::error_code& error, std::size_t n) {
            if (error == asio::error::operation_aborted) return;
            if (error) return later();
            received(buffer_.data(), n);
            receive();
        });
    }
    void later() {
        asio::error_code ignored;
        port_.close(ignored);
        waiting_.clear();
        retry_.expires_after(std::chrono::milliseconds(500));
        retry_.async_wait([this](const asio::error_code& error) {
            if (error) return;
            try {
                openPort();
            } catch (const std::exception&) {
                return later();
            }
            receive();
        });
    }
    void writeNext() {
        asio::async_write(port_, asio::buffer(waiting_.front()), [this](const asio::error_code& error, std::size_t) {
            if (error || waiting_.empty()) return;
            waiting_.pop_front();
            if (!waiting_.empty()) writeNext();
        });
    }
    LinkAddress address_;
    asio::serial_port port_;
    asio::steady_timer retry_;
    std::deque<std::string> waiting_;
    std::array<char, 4096> buffer_{};
};

class TcpTransport : public AsioTransport {
  public:
    TcpTransport(const LinkAddress& address, Receiver receiver, const LinkConditions& conditions)
        : AsioTransport(std::move(receiver), conditions), socket_(io_), retry_(io_) {
        if (address.kind == LinkKind::tcpListen) {
            acceptor_ = std::make_unique<tcp::acceptor>(
                io_, tcp::endpoint(asio::ip::address_v4::loopback(), static_cast<unsigned short>(address.port)));
        } else {
            peers_ = tcp::resolver(io_).resolve(address.host, std::to_string(address.port));
        }
        connect();
        run();
    }
    ~TcpTransport() override { stop(); }

  protected:
    void write(std::string&& bytes) override {
        if (!connected_ || outgoing_.size() > 4096) return;
        outgoing_.push_back(std::move(bytes));
        if (outgoing_.size() == 1) writeNext();
    }

  private:
    void connect() {
        connected_ = false;
        outgoing_.clear();
        const auto done = [this](const asio::error_code& error) {
            if (error == asio::error::operation_aborted) return;
            if (error) return later();
            connected_ = true;
            asio::error_code ignored;
            socket_.set_option(tcp::no_delay(true), ignored);
            receive();
        };
        if (acceptor_) {
            acceptor_->async_accept(socket_, done);
        } else {
            asio::async_connect(socket_, peers_,
                                [done](const asio::error_code& error, const tcp::endpoint&) { done(error); });
        }
    }
    void later() {
        asio::error_code ignored;
        socket_.close(ignored);
        retry_.expires_after(std::chrono::milliseconds(500));
        retry_.async_wait([this](const asio::error_code& error) {
            if (!error) connect();
        });
    }
    void receive() {
        socket_.async_read_some(asio::buffer(buffer_), [this](const asio::error_code& error, std::size_t n) {
            if (error == asio::error::operation_aborted) return;
            if (error) return later();
            received(buffer_.data(), n);
            receive();
        });
    }
    void writeNext() {
        asio::async_write(socket_, asio::buffer(outgoing_.front()), [this](const asio::error_code& error, std::size_t) {
            if (error || outgoing_.empty()) return;
            outgoing_.pop_front();
            if (!outgoing_.empty()) writeNext();
        });
    }
    tcp::socket socket_;
    std::unique_ptr<tcp::acceptor> acceptor_;
    tcp::resolver::results_type peers_;
    asio::steady_timer retry_;
    bool connected_ = false;
    std::deque<std::string> outgoing_;
    std::array<char, 65536> buffer_{};
};

}  // namespace

Result<std::unique_ptr<Transport>> Transport::open(const LinkAddress& address, Receiver receiver,
                                                   const LinkConditions& conditions) {
    try {
        if (address.kind == LinkKind::udp || address.kind == LinkKind::udpListen)
            return std::make_unique<UdpTransport>(address, std::move(receiver), conditions);
        if (address.kind == LinkKind::serial)
            return std::make_unique<SerialTransport>(address, std::move(receiver), conditions);
        return std::make_unique<TcpTransport>(address, std::move(receiver), conditions);
    } catch (const std::exception& e) {
        return fail("link {}:{} cannot be opened: {}", address.host.empty() ? "port" : address.host, address.port,
                    e.what());
    }
}

}  // namespace anhinga
