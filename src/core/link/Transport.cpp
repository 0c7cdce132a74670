#include "core/link/Transport.h"

#include <array>
#include <asio.hpp>
#include <deque>
#include <random>
#include <thread>

namespace anhinga {

namespace {

using asio::ip::tcp;
using asio::ip::udp;

/// The thread, the played conditions, and the two directions; sockets are the children's.
class AsioTransport : public Transport {
  public:
    AsioTransport(Receiver receiver, const LinkConditions& conditions)
        : receiver_(std::move(receiver)), conditions_(conditions), random_(conditions.seed) {}
    void send(std::string bytes) override {
        asio::post(io_, [this, b = std::move(bytes)]() mutable {
            play(std::move(b), [this](std::string&& late) { write(std::move(late)); });
        });
    }

  protected:
    void run() {
        thread_ = std::jthread([this] { io_.run(); });
    }
    void stop() {
        io_.stop();
        if (thread_.joinable()) thread_.join();
    }
    void received(const char* data, std::size_t size) {
        play(std::string(data, size), [this](std::string&& late) {
            receiver_({reinterpret_cast<const std::uint8_t*>(late.data()), late.size()});
        });
    }
    virtual void write(std::string&& bytes) = 0;

    asio::io_context io_;
    asio::executor_work_guard<asio::io_context::executor_type> work_{io_.get_executor()};

  private:
    void play(std::string bytes, const std::function<void(std::string&&)>& deliver) {
        std::uniform_real_distribution<double> share(0, 1);
        if (conditions_.loss > 0 && share(random_) < conditions_.loss) return;
        const int copies = conditions_.duplicate > 0 && share(random_) < conditions_.duplicate ? 2 : 1;
        for (int i = 0; i < copies; ++i) {
            if (conditions_.latency_ms <= 0) {
                deliver(std::string(bytes));
                continue;
            }
            auto timer = std::make_shared<asio::steady_timer>(io_, std::chrono::milliseconds(conditions_.latency_ms));
            timer->async_wait([timer, deliver, bytes](const asio::error_code& error) {
                if (!error) deliver(std::string(bytes));
            });
        }
    }

    Receiver receiver_;
    LinkConditions conditions_;
    std::mt19937 random_;
    std::jthread thread_;
};

class UdpTransport : public AsioTransport {
  public:
    UdpTransport(const LinkAddress& address, Receiver receiver, const LinkConditions& conditions)
        : AsioTransport(std::move(receiver), conditions),
          socket_(io_),
          listening_(address.kind == LinkKind::udpListen) {
        if (listening_) {
            socket_.open(udp::v4());
            socket_.bind({asio::ip::address_v4::any(), static_cast<unsigned short>(address.port)});
        } else {
            peer_ = *udp::resolver(io_).resolve(udp::v4(), address.host, std::to_string(address.port)).begin();
            socket_.open(udp::v4());
            socket_.bind({asio::ip::address_v4::any(), 0});
        }
        socket_.set_option(asio::socket_base::receive_buffer_size(1 << 20));
        receive();
        run();
    }
    ~UdpTransport() override { stop(); }

  protected:
    void write(std::string&& bytes) override {
        if (peer_.port() == 0) return;  // listening, nobody has spoken yet
        asio::error_code ignored;
        socket_.send_to(asio::buffer(bytes), peer_, 0, ignored);
    }

  private:
    void receive() {
        socket_.async_receive_from(asio::buffer(buffer_), from_, [this](const asio::error_code& error, std::size_t n) {
            if (error == asio::error::operation_aborted) return;
            if (!error && n > 0) {
                if (listening_) peer_ = from_;
                received(buffer_.data(), n);
            }
            receive();
        });
    }
    udp::socket socket_;
    udp::endpoint peer_, from_;
    bool listening_;
    std::array<char, 65536> buffer_{};
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
        return std::make_unique<TcpTransport>(address, std::move(receiver), conditions);
    } catch (const std::exception& e) {
        return fail("link {}:{} cannot be opened: {}", address.host.empty() ? "port" : address.host, address.port,
                    e.what());
    }
}

}  // namespace anhinga
