// The small tile server as a program and on the wire: what it answers to what it is asked.
#include <catch2/catch.hpp>

#include <asio.hpp>
#include <thread>

#include "core/base/Text.h"
#include "core/terrain/Imagery.h"
#include "core/tiles/TileStore.h"
#include "standin/TileServer.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;
using asio::ip::tcp;

namespace {

/// Sends bytes as they are and reads until the server closes, at most ten seconds.
std::string ask(int port, const std::string& request) {
    asio::io_context io;
    tcp::socket socket(io);
    asio::error_code error;
    socket.connect({asio::ip::address_v4::loopback(), static_cast<std::uint16_t>(port)}, error);
    if (error) return "no connection";
    asio::write(socket, asio::buffer(request), error);
    std::string answer;
    bool closed = false;
    asio::async_read(socket, asio::dynamic_buffer(answer), [&](asio::error_code, std::size_t) { closed = true; });
    io.run_for(std::chrono::seconds(10));
    return closed ? answer : answer + "[still open]";
}

std::string get(const std::string& path) {
    return "GET " + path + " HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n";
}

std::string bodyOf(const std::string& answer) {
    const auto at = answer.find("\r\n\r\n");
    return at == std::string::npos ? std::string() : answer.substr(at + 4);
}

}  // namespace

TEST_CASE("tiles asked for are PNG pictures of the right piece of ground", "[tiles][server]") {
    const auto server = TileServer::start({demo("quillmere-imagery.tif")});
    REQUIRE(server);
    const TileId island = tileAt({47.31, -20.12}, 14), sea = tileAt({0, 0}, 14);
    const auto bytesOf = [&](TileId t) {
        const std::string answer = ask((*server)->port(), get(fmt::format("/{}/{}/{}.png", t.z, t.x, t.y)));
        CHECK(answer.rfind("HTTP/1.1 200", 0) == 0);
        CHECK(answer.find("Content-Type: image/png") != std::string::npos);
        const std::string png = bodyOf(answer);
        CHECK(pictureFormat(png) == "png");
        CHECK(answer.find(fmt::format("Content-Length: {}", png.size())) != std::string::npos);
        return png.size();
    };
    CHECK(bytesOf(island) > 4 * bytesOf(sea));  // the island has detail, the open sea has none
    CHECK((*server)->served() == 2);
}

TEST_CASE("what is no tile is not found, and the server lives on", "[tiles][server][hostile]") {
    const auto server = TileServer::start({demo("quillmere-imagery.tif")});
    REQUIRE(server);
    for (const char* path : {"/", "/14", "/14/1/1", "/14/1/1.jpg", "/14/-1/1.png", "/14/99999/1.png", "/99/1/1.png",
                             "/a/b/c.png", "/14/1/1.pngx", "/../../../etc/passwd", "/14//1.png", "/4000000000/1/1.png",
                             "/14/1/99999999999999999999.png"}) {
        CAPTURE(path);
        CHECK(ask((*server)->port(), get(path)).rfind("HTTP/1.1 404", 0) == 0);
    }
    CHECK(ask((*server)->port(), "POST /14/1/1.png HTTP/1.1\r\n\r\n").rfind("HTTP/1.1 404", 0) == 0);
    // Rubbish and a request without end: dropped, not answered, not waited for without bound.
    for (const std::string& rubbish_bytes : {rubbish(9000, 6), std::string(20000, 'A')})
        CHECK(ask((*server)->port(), rubbish_bytes).rfind("HTTP/1.1 200", 0) == std::string::npos);
    CHECK(ask((*server)->port(), get("/3/3/2.png")).rfind("HTTP/1.1 200", 0) == 0);
}

TEST_CASE("the server is slow or fails when it is told to", "[tiles][server]") {
    const auto server = TileServer::start({.picture = demo("quillmere-imagery.tif"), .delay_ms = 150, .fail_after = 1});
    REQUIRE(server);
    const double start = monotonicMs();
    CHECK(ask((*server)->port(), get("/5/14/11.png")).rfind("HTTP/1.1 200", 0) == 0);
    CHECK(monotonicMs() - start >= 140);
    CHECK(ask((*server)->port(), get("/5/14/11.png")).rfind("HTTP/1.1 503", 0) == 0);
    const auto other = TileServer::start({demo("quillmere-imagery.tif")});
    REQUIRE(other);
    (*other)->setFailing(true);
    CHECK(ask((*other)->port(), get("/5/14/11.png")).rfind("HTTP/1.1 503", 0) == 0);
    (*other)->setFailing(false);
    CHECK(ask((*other)->port(), get("/5/14/11.png")).rfind("HTTP/1.1 200", 0) == 0);
}

TEST_CASE("several ask at once and all are answered", "[tiles][server]") {
    const auto server = TileServer::start({demo("quillmere-imagery.tif")});
    REQUIRE(server);
    std::vector<std::thread> threads;
    std::atomic<int> good{0};
    for (int i = 0; i < 8; ++i)
        threads.emplace_back([&, i] {
            for (int k = 0; k < 3; ++k)
                if (ask((*server)->port(), get(fmt::format("/6/{}/{}.png", 20 + i, 20 + k))).rfind("HTTP/1.1 200", 0) ==
                    0)
                    ++good;
        });
    for (std::thread& t : threads) t.join();
    CHECK(good == 24);
    CHECK((*server)->served() == 24);
}

TEST_CASE("the server program says where it serves and ends by itself", "[tiles][server][program]") {
    const auto run = [](const std::string& arguments) {
        const std::string command = fmt::format("'{}/anhinga-tiles' {} 2>&1", BIN_DIR, arguments);
        FILE* pipe = popen(command.c_str(), "r");
        REQUIRE(pipe != nullptr);
        std::string out(4096, '\0');
        out.resize(fread(out.data(), 1, out.size(), pipe));
        const int status = pclose(pipe);
        return std::pair(WEXITSTATUS(status), out);
    };
    const auto good = run(fmt::format("'{}' --port 0 --run-for 0.3", demo("quillmere-imagery.tif")));
    CHECK(good.first == 0);
    CHECK(good.second.find("serving http://127.0.0.1:") != std::string::npos);
    CHECK(good.second.find("/{z}/{x}/{y}.png") != std::string::npos);
    CHECK(good.second.find("0 tiles served") != std::string::npos);
    const auto missing = run("/nowhere/picture.tif --port 0 --run-for 0.3");
    CHECK(missing.first == 2);
    CHECK(missing.second.find("/nowhere/picture.tif") != std::string::npos);
    CHECK(run("--port 0").first == 2);
    CHECK(run("a.tif --port 99999").first == 2);
}
