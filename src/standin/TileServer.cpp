#include "standin/TileServer.h"

#include <asio.hpp>
#include <charconv>
#include <thread>

#include "core/terrain/Imagery.h"
#include "core/tiles/TileGrid.h"

namespace anhinga {

namespace {

using asio::ip::tcp;

constexpr std::size_t kRequestMax = 8192;
/// Where the picture has nothing: the colour of open sea.
constexpr std::uint8_t kSea[4] = {0xc9, 0xd8, 0xdc, 255};

/// "/12/1830/1442.png" of a request line.
std::optional<TileId> tileOf(std::string_view request) {
    if (!request.starts_with("GET /")) return std::nullopt;
    request = request.substr(5, request.find(' ', 5) - 5);
    int numbers[3] = {};
    const char *at = request.data(), *end = at + request.size();
    for (int i = 0; i < 3; ++i) {
        const auto [next, error] = std::from_chars(at, end, numbers[i]);
        if (error != std::errc() || next == end || *next != (i < 2 ? '/' : '.')) return std::nullopt;
        at = next + 1;
    }
    const auto [z, x, y] = numbers;
    if (std::string_view(at, static_cast<std::size_t>(end - at)) != "png" || z < 0 || z > kZoomMax || x < 0 || y < 0 ||
        x >= (1 << z) || y >= (1 << z))
        return std::nullopt;
    return TileId{z, x, y};
}

}  // namespace

struct TileServer::Impl {
    TileServerOptions options;
    std::shared_ptr<const ImagerySource> picture;
    asio::io_context io;
    tcp::acceptor acceptor{io};
    std::thread thread;
    std::atomic<std::uint64_t> served{0};
    std::atomic<bool> failing{false};

    struct Visit : std::enable_shared_from_this<Visit> {
        Visit(tcp::socket s, Impl* i) : socket(std::move(s)), impl(i), timer(socket.get_executor()) {}
        tcp::socket socket;
        Impl* impl;
        asio::steady_timer timer;
        std::string request, answer;

        void read() {
            asio::async_read_until(socket, asio::dynamic_buffer(request, kRequestMax), "\r\n\r\n",
                                   [self = shared_from_this()](asio::error_code error, std::size_t) {
                                       if (!error) self->wait();
                                   });
        }
        void wait() {
            timer.expires_after(std::chrono::milliseconds(impl->options.delay_ms));
            timer.async_wait([self = shared_from_this()](asio::error_code error) {
                if (!error) self->reply();
            });
        }
        void reply() {
            const auto say = [this](const char* status, const char* type, const std::string& body) {
                answer =
                    fmt::format("HTTP/1.1 {}\r\nContent-Type: {}\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
                                status, type, body.size()) +
                    body;
            };
            const auto tile = tileOf(request);
            const bool fails = impl->failing || (impl->options.fail_after >= 0 &&
                                                 impl->served >= static_cast<unsigned>(impl->options.fail_after));
            if (fails) {
                say("503 Service Unavailable", "text/plain", "failing on purpose\n");
            } else if (!tile || tile->z > impl->options.zoom_max) {
                say("404 Not Found", "text/plain", "no such tile\n");
            } else if (const auto png = impl->draw(*tile)) {
                ++impl->served;
                say("200 OK", "image/png", *png);
            } else {
                say("500 Internal Server Error", "text/plain", png.error().message + "\n");
            }
            asio::async_write(socket, asio::buffer(answer), [self = shared_from_this()](asio::error_code, std::size_t) {
                asio::error_code ignored;
                self->socket.shutdown(tcp::socket::shutdown_both, ignored);
            });
        }
    };

    Result<std::string> draw(TileId tile) const {
        auto pixels = picture->read(tileBox(tile), kTileSide_px, kTileSide_px);
        if (!pixels) return tl::unexpected(pixels.error());
        for (std::size_t i = 0; i < pixels->size(); i += 4) {
            const unsigned a = (*pixels)[i + 3];
            for (std::size_t c = 0; c < 4; ++c)
                (*pixels)[i + c] = static_cast<std::uint8_t>(((*pixels)[i + c] * a + kSea[c] * (255 - a)) / 255);
            (*pixels)[i + 3] = 255;
        }
        return encodePng(*pixels, kTileSide_px, kTileSide_px);
    }
    void accept() {
        acceptor.async_accept([this](asio::error_code error, tcp::socket socket) {
            if (error) return;
            std::make_shared<Visit>(std::move(socket), this)->read();
            accept();
        });
    }
};

TileServer::TileServer(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}

Result<std::unique_ptr<TileServer>> TileServer::start(const TileServerOptions& options) {
    auto impl = std::make_unique<Impl>();
    impl->options = options;
    auto picture = ImagerySource::open(options.picture);
    if (!picture) return tl::unexpected(picture.error());
    impl->picture = *picture;
    const tcp::endpoint here(asio::ip::address_v4::loopback(), static_cast<std::uint16_t>(options.port));
    asio::error_code error;
    impl->acceptor.open(here.protocol(), error);
    if (!error) impl->acceptor.set_option(tcp::acceptor::reuse_address(true), error);
    if (!error) impl->acceptor.bind(here, error);
    if (!error) impl->acceptor.listen(64, error);
    if (error) return fail("127.0.0.1:{} cannot be listened on: {}", options.port, error.message());
    impl->accept();
    impl->thread = std::thread([raw = impl.get()] { raw->io.run(); });
    return std::unique_ptr<TileServer>(new TileServer(std::move(impl)));
}

TileServer::~TileServer() {
    impl_->io.stop();
    impl_->thread.join();
}

int TileServer::port() const {
    return impl_->acceptor.local_endpoint().port();
}
std::string TileServer::pattern() const {
    return fmt::format("http://127.0.0.1:{}/{{z}}/{{x}}/{{y}}.png", port());
}
std::uint64_t TileServer::served() const {
    return impl_->served;
}
void TileServer::setFailing(bool on) {
    impl_->failing = on;
}

}  // namespace anhinga
