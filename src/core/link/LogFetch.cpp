#include "core/link/LogFetch.h"

#include <filesystem>

#include <cstring>

#include "core/base/Text.h"
#include "core/link/BlockWindow.h"
#include "core/link/Conversation.h"
#include "core/link/PartFile.h"

namespace anhinga {

using mavlink::Message;

namespace {

constexpr std::size_t kBlock = 90;  // bytes in a LOG_DATA message
constexpr double kSaveEvery_s = 3;

/// One log on its way into its file.
class LogStream {
  public:
    LogStream(VehicleLink& link, const OnboardLog& log, PartFile& part, const TransferOptions& options)
        : link_(link),
          log_(log),
          part_(part),
          options_(options),
          vehicle_(link.snapshot()),
          inbox_(link, {"LOG_DATA"}) {
        for (const bool there : part.have()) missing_ += there ? 0 : 1;
    }

    /// First everything that is missing in one go, then the gaps.
    Result<void> run() {
        heard_ms_ = link_.clock().now_ms();
        if (const auto ok = inOneGo(); !ok) return ok;
        return gaps();
    }
    std::uint64_t received() const { return received_; }

  private:
    void ask(std::size_t first, std::size_t blocks) {
        const std::uint64_t from = first * kBlock;
        link_.send(addressed("LOG_REQUEST_DATA", vehicle_)
                       .set("id", log_.id)
                       .set("ofs", static_cast<double>(from))
                       .set("count", static_cast<double>(std::min<std::uint64_t>(blocks * kBlock, log_.bytes - from))));
    }
    /// The block that has come within the time; an error when it cannot be written or the vehicle is silent.
    Result<std::optional<std::size_t>> hear(double seconds) {
        if (options_.stop.stop_requested()) return fail("stopped");
        if (link_.clock().now_ms() - heard_ms_ > options_.silence_s * 1000)
            return tl::unexpected(silent(options_, fmt::format("log {} was fetched", log_.id)));
        const auto m = inbox_.next(seconds, options_.stop);
        if (!m || m->system != vehicle_.system || m->integer("id") != log_.id) return std::optional<std::size_t>();
        const auto from = static_cast<std::uint64_t>(m->integer("ofs"));
        const auto count = static_cast<std::size_t>(m->integer("count"));
        const std::size_t block = static_cast<std::size_t>(from / kBlock);
        if (from % kBlock != 0 || block >= part_.blocks() || count != part_.lengthOf(block))
            return std::optional<std::size_t>();
        heard_ms_ = link_.clock().now_ms();
        if (!part_.have()[block]) {
            const mavlink::FieldInfo* data = m->info->field("data");
            if (const auto ok = part_.put(block, {m->payload + data->offset, count}); !ok)
                return tl::unexpected(ok.error());
            received_ += count;
            --missing_;
            if (heard_ms_ - told_ms_ > 100 || missing_ == 0) tell();
            if (heard_ms_ - saved_ms_ > kSaveEvery_s * 1000) {
                saved_ms_ = heard_ms_;
                if (const auto ok = part_.save(); !ok) return tl::unexpected(ok.error());
            }
        }
        return std::optional(block);
    }
    void tell() {
        told_ms_ = heard_ms_;
        const double share =
            1 - static_cast<double>(missing_) / static_cast<double>(std::max<std::size_t>(1, part_.blocks()));
        report(options_, share,
               fmt::format("log {}: {:.1f} of {:.1f} MB", log_.id, share * static_cast<double>(log_.bytes) / 1e6,
                           static_cast<double>(log_.bytes) / 1e6));
    }
    Result<void> inOneGo() {
        std::size_t next = 0;
        while (next < part_.blocks() && part_.have()[next]) ++next;
        // A few gaps at the end of an earlier try are better asked for one by one.
        if (missing_ * 4 < part_.blocks() - next) return {};
        double patience_s = 0.3 + 2 * link_.roundTrip_s();
        while (next < part_.blocks()) {
            ask(next, part_.blocks() - next);
            double quiet_ms = link_.clock().now_ms();
            bool any = false;
            while (next < part_.blocks() && link_.clock().now_ms() - quiet_ms < patience_s * 1000) {
                const auto block = hear(0.05);
                if (!block) return tl::unexpected(block.error());
                if (!*block) continue;
                quiet_ms = link_.clock().now_ms();
                any = true;
                next = std::max(next, **block + 1);
            }
            patience_s = any ? 0.3 + 2 * link_.roundTrip_s() : std::min(2.0, patience_s * 1.5);
        }
        return {};
    }
    Result<void> gaps() {
        BlockWindow window(part_.have(), link_.roundTrip_s());
        while (!window.complete()) {
            while (const auto block = window.toAsk(link_.clock().now_ms() / 1000)) ask(*block, 1);
            const auto block = hear(0.02);
            if (!block) return tl::unexpected(block.error());
            if (*block) window.arrived(**block, link_.clock().now_ms() / 1000);
        }
        return {};
    }

    VehicleLink& link_;
    const OnboardLog& log_;
    PartFile& part_;
    const TransferOptions& options_;
    VehicleSnapshot vehicle_;
    VehicleLink::Inbox inbox_;
    std::size_t missing_ = 0;
    std::uint64_t received_ = 0;
    double heard_ms_ = 0, told_ms_ = 0, saved_ms_ = 0;
};

}  // namespace

Result<std::vector<OnboardLog>> listLogs(VehicleLink& link, const TransferOptions& options) {
    const VehicleSnapshot v = link.snapshot();
    VehicleLink::Inbox inbox(link, {"LOG_ENTRY"});
    std::map<int, OnboardLog> logs;
    int count = -1, last = 0;
    double asked_ms = 0, heard_ms = link.clock().now_ms();
    while (count < 0 || static_cast<int>(logs.size()) < count) {
        if (options.stop.stop_requested()) return fail("stopped");
        const double now = link.clock().now_ms();
        if (now - heard_ms > options.silence_s * 1000) return tl::unexpected(silent(options, "its logs were listed"));
        if (now - asked_ms > (0.5 + 2 * link.roundTrip_s()) * 1000 && now - heard_ms > 300) {
            asked_ms = now;
            // What is missing at the front is asked for again; the first time that is all.
            int from = 0;
            if (count > 0)
                for (from = std::max(0, last - count + 1); logs.contains(from); ++from) {
                }
            link.send(addressed("LOG_REQUEST_LIST", v).set("start", from).set("end", 0xFFFF));
        } else if (asked_ms == 0) {
            asked_ms = now;
            link.send(addressed("LOG_REQUEST_LIST", v).set("start", 0).set("end", 0xFFFF));
        }
        const auto m = inbox.next(0.1, options.stop);
        if (!m || m->system != v.system) continue;
        count = static_cast<int>(m->integer("num_logs"));
        last = static_cast<int>(m->integer("last_log_num"));
        if (count == 0) break;
        const auto id = static_cast<int>(m->integer("id"));
        // Said again and again, the same entry is not the next one.
        if (!logs.contains(id)) heard_ms = link.clock().now_ms();
        logs[id] = {id, static_cast<std::uint64_t>(m->integer("size")), m->number("time_utc")};
        report(options, static_cast<double>(logs.size()) / count,
               fmt::format("{} of {} logs listed", logs.size(), count));
    }
    std::vector<OnboardLog> out;
    for (auto& [id, log] : logs) out.push_back(log);
    return out;
}

Result<Fetched> fetchLog(VehicleLink& link, const OnboardLog& log, const std::string& path,
                         const TransferOptions& options) {
    const double start = link.clock().now_ms();
    std::error_code none;
    const auto folder = std::filesystem::absolute(path, none).parent_path();
    if (const auto space = std::filesystem::space(folder, none); !none && log.bytes > space.available)
        return fail("{}: log {} is {:.1f} MB, {:.1f} MB are free there", path, log.id,
                    static_cast<double>(log.bytes) / 1e6, static_cast<double>(space.available) / 1e6);
    const auto part = PartFile::open(
        path, fmt::format("vehicle {} log {} time {:.0f}", link.snapshot().system, log.id, log.time_unix_s), log.bytes,
        kBlock);
    if (!part) return tl::unexpected(part.error());
    LogStream stream(link, log, **part, options);
    const auto done = stream.run();
    link.send(addressed("LOG_REQUEST_END", link.snapshot()));
    if (!done) {
        (void)(*part)->save();
        return tl::unexpected(done.error());
    }
    if (const auto ok = (*part)->finish(); !ok) return tl::unexpected(ok.error());
    return Fetched{log.bytes, stream.received(), (link.clock().now_ms() - start) / 1000};
}

Result<void> eraseLogs(VehicleLink& link, const TransferOptions& options) {
    link.send(addressed("LOG_ERASE", link.snapshot()));
    // There is no acknowledgement; the list says whether it was done.
    for (int i = 0; i < 20; ++i) {
        const auto left = listLogs(link, options);
        if (!left) return tl::unexpected(left.error());
        if (left->empty()) return {};
        if (i == 5) link.send(addressed("LOG_ERASE", link.snapshot()));
        link.clock().sleep(0.2, options.stop);
    }
    return fail("the vehicle still lists logs after it was asked to erase them");
}

}  // namespace anhinga
