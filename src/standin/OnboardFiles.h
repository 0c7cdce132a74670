// The stand-in's onboard logs: listed and streamed by the log messages, and served as files over MAVLink FTP.
#pragma once

#include <array>
#include <functional>
#include <string>
#include <vector>

#include "core/link/Ftp.h"

namespace anhinga {

class OnboardFiles {
  public:
    OnboardFiles(std::string folder, std::function<void(mavlink::Message)> say)
        : folder_(std::move(folder)), say_(std::move(say)) {}
    /// True when the message was for this.
    bool receive(const mavlink::Message& message);
    /// Streams what was asked for, at most so many bytes of log.
    void advance(double seconds);
    /// What a stream gives out at most.
    void setRate(double bytes_per_s) { bytes_per_s_ = bytes_per_s; }

  private:
    using Message = mavlink::Message;
    struct File {
        std::string name;
        std::uint64_t bytes = 0;
        double time_unix_s = 0;
    };
    std::vector<File> files() const;
    const std::string* content(const std::string& name);
    void listLogs(const Message& message);
    void requestData(const Message& message);
    void sendBlock(std::uint32_t from, std::uint32_t count);
    void ftp(const Message& message);
    FtpPacket answer(const FtpPacket& request);
    static FtpPacket refusal(const FtpPacket& request, FtpPacket::Error error);

    std::string folder_;
    std::function<void(Message)> say_;
    std::string cached_name_, cached_;
    std::uint64_t cached_bytes_ = 0;
    double bytes_per_s_ = 4e6, owed_bytes_ = 0;
    int stream_log_ = 0;
    std::uint32_t stream_at_ = 0, stream_end_ = 0;
    std::array<std::string, 4> sessions_;  // names of open files
    FtpPacket last_answer_;
    int last_request_ = -1;
};

}  // namespace anhinga
