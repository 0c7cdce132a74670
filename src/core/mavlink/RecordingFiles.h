// What the writer and the reader of recordings agree on beyond the packets: where packets lie that were not believed.
#pragma once

#include <string>

namespace anhinga::mavlink {

/// First words of a file of packets that were not believed, as a text of the ground; first of all its packets.
constexpr const char* kNotBelievedText = "mark: what follows was not believed";
/// Where that lies: "flight.tlog" has "flight-not-believed.tlog" beside it.
std::string notBelievedFile(const std::string& recording);
/// How many packets a recording's own file of them has, the ground's word left out; 0 without one. Reads at most
/// `most_bytes` of it.
std::size_t countNotBelieved(const std::string& recording, std::size_t most_bytes = std::size_t{128} << 20);

}  // namespace anhinga::mavlink
