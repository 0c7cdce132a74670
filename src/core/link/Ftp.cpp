#include "core/link/Ftp.h"

#include <charconv>
#include <cstring>

#include "core/base/Text.h"
#include "core/link/BlockWindow.h"
#include "core/link/PartFile.h"

namespace anhinga {

using mavlink::Message;

namespace {

constexpr std::size_t kHeader = 12;

const char* errorText(const FtpPacket& nak) {
    switch (nak.data.empty() ? 0 : static_cast<std::uint8_t>(nak.data[0])) {
        case FtpPacket::noSessions:
            return "it serves no further transfer now";
        case FtpPacket::fileProtected:
            return "the file is protected";
        case FtpPacket::fileNotFound:
            return "there is no such file";
        case FtpPacket::unknownCommand:
            return "it does not know how";
        default:
            return "refused";
    }
}

/// Requests to one vehicle and their answers.
class FtpTalk {
  public:
    FtpTalk(VehicleLink& link, const TransferOptions& options)
        : link_(link),
          options_(options),
          vehicle_(link.snapshot()),
          inbox_(link, {"FILE_TRANSFER_PROTOCOL"}),
          time_(link.roundTrip_s()) {}

    void send(const FtpPacket& packet) { link_.send(packet.message(vehicle_.system, vehicle_.component)); }
    std::optional<FtpPacket> hear(double seconds) {
        const auto m = inbox_.next(seconds, options_.stop);
        if (!m || m->system != vehicle_.system) return std::nullopt;
        return FtpPacket::of(*m);
    }
    /// Sends until it is answered.
    Result<FtpPacket> ask(FtpPacket packet) {
        packet.sequence = next_sequence_++;
        const double start = link_.clock().now_ms();
        double said = 0;
        while (link_.clock().now_ms() - start < options_.silence_s * 1000) {
            if (options_.stop.stop_requested()) return fail("stopped");
            if (link_.clock().now_ms() - said > time_.wait_s() * 1000) {
                if (said > 0) time_.missed();
                said = link_.clock().now_ms();
                send(packet);
            }
            const auto answer = hear(0.05);
            if (answer && answer->request == packet.opcode && answer->sequence == packet.sequence + 1) {
                time_.answered((link_.clock().now_ms() - said) / 1000);
                return *answer;
            }
        }
        return fail("the vehicle has not answered for {:.0f} s when asked for a file; check the link and try again",
                    options_.silence_s);
    }
    std::uint16_t nextSequence() { return next_sequence_++; }

  private:
    VehicleLink& link_;
    const TransferOptions& options_;
    VehicleSnapshot vehicle_;
    VehicleLink::Inbox inbox_;
    AnswerTime time_;
    std::uint16_t next_sequence_ = 1;
};

}  // namespace

Message FtpPacket::message(int system, int component) const {
    Message m("FILE_TRANSFER_PROTOCOL");
    m.set("target_system", system).set("target_component", component);
    std::uint8_t* p = m.payload + m.info->field("payload")->offset;
    p[0] = static_cast<std::uint8_t>(sequence);
    p[1] = static_cast<std::uint8_t>(sequence >> 8);
    p[2] = session;
    p[3] = opcode;
    const std::size_t length = std::min(data.size(), kMostData);
    p[4] = static_cast<std::uint8_t>(length);
    p[5] = request;
    for (int i = 0; i < 4; ++i) p[8 + i] = static_cast<std::uint8_t>(offset >> (8 * i));
    std::memcpy(p + kHeader, data.data(), length);
    return m;
}

std::optional<FtpPacket> FtpPacket::of(const Message& m) {
    const std::uint8_t* p = m.payload + m.info->field("payload")->offset;
    if (p[4] > kMostData) return std::nullopt;
    FtpPacket packet;
    packet.sequence = static_cast<std::uint16_t>(p[0] | p[1] << 8);
    packet.session = p[2];
    packet.opcode = p[3];
    packet.request = p[5];
    for (int i = 0; i < 4; ++i) packet.offset |= static_cast<std::uint32_t>(p[8 + i]) << (8 * i);
    packet.data.assign(reinterpret_cast<const char*>(p) + kHeader, p[4]);
    return packet;
}

Result<std::vector<FtpEntry>> ftpList(VehicleLink& link, const std::string& folder, const TransferOptions& options) {
    FtpTalk talk(link, options);
    std::vector<FtpEntry> entries;
    constexpr std::uint32_t kMostEntries = 100000;
    std::uint32_t offset = 0;
    while (offset < kMostEntries) {
        FtpPacket ask;
        ask.opcode = FtpPacket::listDirectory;
        ask.offset = offset;
        ask.data = folder;
        const auto answer = talk.ask(ask);
        if (!answer) return tl::unexpected(answer.error());
        if (answer->opcode == FtpPacket::nak) {
            if (!answer->data.empty() && answer->data[0] == FtpPacket::endOfFile) break;
            return fail("folder {} on the vehicle: {}", folder, errorText(*answer));
        }
        const std::uint32_t before = offset;
        std::size_t at = 0;
        while (at < answer->data.size()) {
            const std::size_t end = std::min(answer->data.find('\0', at), answer->data.size());
            const std::string entry = answer->data.substr(at, end - at);
            at = end + 1;
            if (entry.empty()) continue;
            ++offset;
            // A name that leads elsewhere or cannot be shown is none.
            const std::string name =
                entry.substr(1, entry.find('\t', 1) == std::string::npos ? std::string::npos : entry.find('\t', 1) - 1);
            if (name == "." || name == ".." || name.find('/') != std::string::npos ||
                std::any_of(name.begin(), name.end(), [](unsigned char c) { return c < 0x20 || c == 0x7f; }))
                continue;
            if (entry[0] == 'D') entries.push_back({entry.substr(1), true, 0});
            if (entry[0] != 'F') continue;
            const auto tab = entry.find('\t');
            FtpEntry file{entry.substr(1, tab - 1), false, 0};
            if (tab != std::string::npos)
                std::from_chars(entry.data() + tab + 1, entry.data() + entry.size(), file.bytes);
            entries.push_back(file);
        }
        if (offset == before) break;
    }
    return entries;
}

Result<Fetched> ftpFetch(VehicleLink& link, const std::string& remote, const std::string& path,
                         const TransferOptions& options) {
    const double start = link.clock().now_ms();
    FtpTalk talk(link, options);
    FtpPacket open;
    open.opcode = FtpPacket::openFileReadOnly;
    open.data = remote;
    const auto opened = talk.ask(open);
    if (!opened) return tl::unexpected(opened.error());
    if (opened->opcode == FtpPacket::nak || opened->data.size() < 4)
        return fail("{} on the vehicle: {}", remote, errorText(*opened));
    std::uint64_t size = 0;
    for (std::size_t i = 0; i < 4; ++i)
        size |= static_cast<std::uint64_t>(static_cast<std::uint8_t>(opened->data[i])) << (8 * i);
    const std::uint8_t session = opened->session;

    const auto part = PartFile::open(path, fmt::format("vehicle {} file {}", link.snapshot().system, remote), size,
                                     FtpPacket::kMostData);
    if (!part) return tl::unexpected(part.error());
    BlockWindow window((*part)->have(), link.roundTrip_s());
    std::uint64_t received = 0;
    double heard_ms = link.clock().now_ms(), told_ms = 0, saved_ms = heard_ms;
    const auto broken = [&](Error error) -> Result<Fetched> {
        (void)(*part)->save();
        FtpPacket end;
        end.opcode = FtpPacket::terminateSession;
        end.session = session;
        end.sequence = talk.nextSequence();
        talk.send(end);
        return tl::unexpected(std::move(error));
    };
    while (!window.complete()) {
        const double now = link.clock().now_ms();
        if (options.stop.stop_requested()) return broken({"stopped"});
        if (now - heard_ms > options.silence_s * 1000)
            return broken(
                {fmt::format("the vehicle has not answered for {:.0f} s while {} was fetched; check the link "
                             "and try again",
                             options.silence_s, remote)});
        while (const auto block = window.toAsk(now / 1000)) {
            FtpPacket read;
            read.opcode = FtpPacket::readFile;
            read.session = session;
            read.sequence = talk.nextSequence();
            read.offset = static_cast<std::uint32_t>(*block * FtpPacket::kMostData);
            Message m = read.message(link.snapshot().system, link.snapshot().component);
            m.payload[m.info->field("payload")->offset + 4] = static_cast<std::uint8_t>((*part)->lengthOf(*block));
            link.send(m);
        }
        const auto answer = talk.hear(0.02);
        if (!answer || answer->request != FtpPacket::readFile || answer->session != session) continue;
        if (answer->opcode == FtpPacket::nak) {
            if (!answer->data.empty() && answer->data[0] == FtpPacket::invalidSession)
                return broken({fmt::format(
                    "{}: the vehicle has closed the transfer; try again, it goes on where it was", remote)});
            continue;
        }
        heard_ms = link.clock().now_ms();
        const std::size_t block = answer->offset / FtpPacket::kMostData;
        if (answer->offset % FtpPacket::kMostData != 0 || block >= (*part)->blocks() ||
            answer->data.size() != (*part)->lengthOf(block))
            continue;
        if (!window.arrived(block, heard_ms / 1000)) continue;
        if (const auto ok =
                (*part)->put(block, {reinterpret_cast<const std::uint8_t*>(answer->data.data()), answer->data.size()});
            !ok)
            return broken(ok.error());
        received += answer->data.size();
        if (heard_ms - told_ms > 100 || window.complete()) {
            told_ms = heard_ms;
            const double share = 1 - static_cast<double>(window.missing()) / static_cast<double>((*part)->blocks());
            report(options, share,
                   fmt::format("{}: {:.1f} of {:.1f} MB", remote, share * static_cast<double>(size) / 1e6,
                               static_cast<double>(size) / 1e6));
        }
        if (heard_ms - saved_ms > 3000) {
            saved_ms = heard_ms;
            if (const auto ok = (*part)->save(); !ok) return broken(ok.error());
        }
    }
    FtpPacket end;
    end.opcode = FtpPacket::terminateSession;
    end.session = session;
    (void)talk.ask(end);
    if (const auto ok = (*part)->finish(); !ok) return tl::unexpected(ok.error());
    return Fetched{size, received, (link.clock().now_ms() - start) / 1000};
}

}  // namespace anhinga
