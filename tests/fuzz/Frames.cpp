// Frames of the link, whatever arrives and in whatever pieces; their signatures, files and state.
#include "fuzz/Fuzz.h"

#include "core/link/Ftp.h"
#include "core/link/VehicleState.h"
#include "core/mavlink/Frame.h"
#include "core/mavlink/Signing.h"

using namespace anhinga;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = fuzz::text(data, size);
    const mavlink::SigningKey key = mavlink::signingKey("heron");
    mavlink::SignatureKeeper signatures;
    VehicleState state;
    mavlink::Parser parser;
    double now_ms = 0;
    const auto take = [&](const mavlink::Message& m, std::span<const std::uint8_t> frame) {
        // Nobody here has the key.
        fuzz::expect(signatures.judge(frame, key, 1) != mavlink::SignatureJudgement::good);
        state.take(m, now_ms += 50);
        if (m.is("FILE_TRANSFER_PROTOCOL")) (void)FtpPacket::of(m);
    };
    const std::size_t piece = size > 0 ? 1 + data[0] % 64 : 1;
    for (std::size_t at = 0; at < size; at += piece) parser.feed({data + at, std::min(piece, size - at)}, take);
    (void)state.at(now_ms);
    return 0;
}
