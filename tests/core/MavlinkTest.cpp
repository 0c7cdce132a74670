#include <catch2/catch.hpp>

#include "core/mavlink/Frame.h"
#include "core/mavlink/ModeNames.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::mavlink;

namespace {
std::span<const std::uint8_t> bytesOf(const std::string& s) {
    return {reinterpret_cast<const std::uint8_t*>(s.data()), s.size()};
}

/// A version 1 frame of a message, built here by the standard's layout.
std::string versionOne(const Message& m) {
    std::string out("\xFE", 1);
    out += static_cast<char>(m.info->length);
    out += '\x07';
    out += '\x01';
    out += '\x01';
    out += static_cast<char>(m.info->id);
    out.append(reinterpret_cast<const char*>(m.payload), m.info->length);
    std::uint16_t crc = crc16(bytesOf(out).subspan(1));
    crc = crc16({&m.info->crc_extra, 1}, crc);
    out += static_cast<char>(crc & 0xFF);
    out += static_cast<char>(crc >> 8);
    return out;
}
std::vector<Message> parsed(const std::string& stream, ParserCounts* counts = nullptr, std::size_t piece = 0) {
    Parser parser;
    std::vector<Message> out;
    const auto take = [&](const Message& m, std::span<const std::uint8_t>) { out.push_back(m); };
    if (piece == 0)
        parser.feed(bytesOf(stream), take);
    else
        for (std::size_t i = 0; i < stream.size(); i += piece)
            parser.feed(bytesOf(stream).subspan(i, std::min(piece, stream.size() - i)), take);
    if (counts != nullptr) *counts = parser.counts();
    return out;
}
}  // namespace

TEST_CASE("the checksum is the standard's", "[mavlink][crc]") {
    // CRC-16/MCRF4XX of "123456789" is 0x6F91.
    CHECK(crc16(bytesOf("123456789")) == 0x6F91);
    CHECK(crc16({}) == 0xFFFF);
    const std::string long_text(1000, 'x');
    CHECK(crc16(bytesOf(long_text).subspan(13), crc16(bytesOf(long_text).subspan(0, 13))) == crc16(bytesOf(long_text)));
}

TEST_CASE("a heartbeat has the very bytes of the standard", "[mavlink][codec]") {
    Message m("HEARTBEAT");
    m.system = 1;
    m.component = 1;
    m.sequence = 0;
    m.set("type", 2)
        .set("autopilot", 3)
        .set("base_mode", 81)
        .set("custom_mode", 0)
        .set("system_status", 3)
        .set("mavlink_version", 3);
    const std::string frame = encode(m);
    const std::string head("\xFD\x09\x00\x00\x00\x01\x01\x00\x00\x00\x00\x00\x00\x00\x02\x03\x51\x03\x03", 19);
    CHECK(frame.substr(0, 19) == head);
    CHECK(frame.size() == 21);
}

TEST_CASE("every message of the table comes back as it was sent, field by field", "[mavlink][codec][property]") {
    std::mt19937 random(5);
    for (const MessageInfo& info : allMessages()) {
        INFO(std::string(info.name));
        Message m(info.name);
        m.system = 42;
        for (int i = 0; i < info.full_length; ++i) m.payload[i] = static_cast<std::uint8_t>(random());
        const auto back = parsed(encode(m));
        REQUIRE(back.size() == 1);
        CHECK(back[0].info == m.info);
        CHECK(back[0].system == 42);
        CHECK(std::equal(m.payload, m.payload + info.full_length, back[0].payload));
    }
    CHECK(allMessages().size() > 200);
}

TEST_CASE("trailing zeros are cut and read back as zeros", "[mavlink][codec]") {
    Message m("COMMAND_LONG");
    m.set("command", 400).set("param1", 1);
    const std::string frame = encode(m);
    CHECK(frame.size() < 12 + 33);
    const auto back = parsed(frame);
    REQUIRE(back.size() == 1);
    CHECK(back[0].number("param7") == 0);
    CHECK(back[0].integer("confirmation") == 0);
    CHECK(encode(Message("MISSION_ACK")).size() == 13);  // one byte stays
}

TEST_CASE("fields keep within their type", "[mavlink][codec]") {
    Message m("GLOBAL_POSITION_INT");
    m.set("vx", 99999).set("vy", -99999).set("hdg", NAN).set("lat", 473100000.4).set("lon", -1799999999.0);
    CHECK(m.integer("vx") == 32767);
    CHECK(m.integer("vy") == -32768);
    CHECK(m.integer("hdg") == 0);
    CHECK(m.integer("lat") == 473100000);
    CHECK(m.integer("lon") == -1799999999);
    Message text("STATUSTEXT");
    text.setText("text", std::string(80, 'a'));
    CHECK(text.text("text").size() == 50);
}

TEST_CASE("a stream cut anywhere gives the same messages", "[mavlink][parser]") {
    std::string stream;
    for (int i = 0; i < 30; ++i)
        stream += encode(Message("ATTITUDE").set("roll", 0.01 * i)) + encode(Message("HEARTBEAT").set("type", 2));
    for (const std::size_t piece : {1u, 2u, 7u, 64u, 1000u}) {
        const auto back = parsed(stream, nullptr, piece);
        REQUIRE(back.size() == 60);
        CHECK(back[40].number("roll") == Approx(0.2));
    }
}

TEST_CASE("version 1 frames, signed frames and unknown messages are met as the standard says", "[mavlink][parser]") {
    const std::string one = versionOne(Message("ATTITUDE").set("pitch", 0.5));
    std::string with_signature = encode(Message("HEARTBEAT").set("type", 2));
    with_signature[2] = 1;
    const std::uint8_t extra = messageInfo("HEARTBEAT")->crc_extra;
    const std::uint16_t crc = crc16({&extra, 1}, crc16(bytesOf(with_signature).subspan(1, with_signature.size() - 3)));
    with_signature[with_signature.size() - 2] = static_cast<char>(crc & 0xFF);
    with_signature[with_signature.size() - 1] = static_cast<char>(crc >> 8);
    with_signature += std::string(13, '\x55');
    std::string unknown = encode(Message("HEARTBEAT").set("type", 2));
    unknown[7] = '\x7F';
    unknown[8] = '\x7F';
    unknown[9] = '\x7F';
    ParserCounts counts;
    const auto back = parsed("noise" + one + with_signature + unknown + one, &counts);
    REQUIRE(back.size() == 3);
    CHECK(back[0].number("pitch") == Approx(0.5));
    CHECK(back[0].sequence == 7);
    CHECK(counts.unknown == 1);
    CHECK(counts.skipped_bytes == 5);
}

TEST_CASE("a flipped bit is never taken for a message, and the next one is still found", "[mavlink][parser][hostile]") {
    const std::string good = encode(Message("VFR_HUD").set("airspeed", 8.25).set("alt", 60).set("heading", 90));
    for (std::size_t byte = 0; byte < good.size(); ++byte)
        for (int bit = 0; bit < 8; ++bit) {
            std::string bad = good;
            bad[byte] = static_cast<char>(bad[byte] ^ (1 << bit));
            // Padding lets a parser misled by a length come to its senses.
            const auto back = parsed(bad + std::string(300, '\0') + good);
            REQUIRE_FALSE(back.empty());
            CHECK(back.back().number("airspeed") == Approx(8.25));
            for (const Message& m : back) CHECK((!m.is("VFR_HUD") || m.number("airspeed") == Approx(8.25)));
        }
}

TEST_CASE("rubbish gives no message and no crash", "[mavlink][parser][hostile]") {
    for (unsigned i = 0; i < 50; ++i) CHECK(parsed(anhinga::testing::rubbish(4000, i)).size() < 2);
}

TEST_CASE("modes have words, and numbers where there is none", "[mavlink]") {
    CHECK(modeName(3, 2, 3) == "mission");
    CHECK(modeName(3, 2, 6) == "return");
    CHECK(modeName(3, 1, 10) == "mission");  // a fixed wing counts otherwise
    CHECK(modeName(3, 1, 3) == "mode 3");
    CHECK(modeName(12, 2, 6) == "mode 6");
    for (const int type : {1, 2, 4})
        for (const auto& [kind, name] : {std::pair{anhinga::ModeKind::mission, "mission"},
                                         {anhinga::ModeKind::hold, "hold"},
                                         {anhinga::ModeKind::returnHome, "return"},
                                         {anhinga::ModeKind::land, "land"},
                                         {anhinga::ModeKind::led, "led from the ground"}}) {
            const auto number = modeNumber(3, type, kind);
            REQUIRE(number);
            CHECK(modeName(3, type, *number) == name);
            CHECK(modeKind(3, type, *number) == kind);
        }
    CHECK_FALSE(modeNumber(3, 2, anhinga::ModeKind::cruise));
    // Family 12: automatic (4) and mission (4), in the third and the fourth byte.
    CHECK(modeNumber(12, 2, anhinga::ModeKind::mission) == 0x04040000u);
    CHECK(modeNumber(12, 1, anhinga::ModeKind::returnHome) == 0x05040000u);
    CHECK(modeKind(12, 2, 0x06040000) == anhinga::ModeKind::land);
    CHECK_FALSE(modeKind(12, 2, 3));
    // Its main mode 10 ends the flight: it has a word, and no number to command.
    CHECK(modeKind(12, 2, 10u << 16) == anhinga::ModeKind::ended);
    CHECK_FALSE(modeNumber(12, 2, anhinga::ModeKind::ended));
    CHECK_FALSE(modeNumber(0, 2, anhinga::ModeKind::mission));
}

TEST_CASE("the names of modes in the command line's JSON stay when words on screens change", "[mavlink][modes]") {
    for (const auto& [word, name] : {std::pair{"led from the ground", "guided"},
                                     {"levelled", "stabilised"},
                                     {"stop", "brake"},
                                     {"hold", "hold"},
                                     {"mission", "mission"},
                                     {"mode 42", "mode 42"}}) {
        CHECK(anhinga::modeInterfaceName(word) == name);
        CHECK(anhinga::modeWordToday(name) == word);  // logs of ours that are older than the words
    }
}
