// A large onboard log, for figures and for what a window does with one.
#pragma once

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <fstream>
#include <string>

namespace anhinga {

template <class T>
void putLarge(std::string& out, T v) {
    out.append(reinterpret_cast<const char*>(&v), sizeof v);
}
/// A self-describing log of about so many bytes: two inertial sensors at 1 kHz, attitude at 100 Hz, position at 10 Hz.
inline void writeLargeLog(const std::string& path, std::size_t bytes) {
    std::ofstream file(path, std::ios::binary);
    const auto filled = [](std::string text, std::size_t n) {
        text.resize(n, '\0');
        return text;
    };
    const auto format = [&](int id, int length, const char* name, const char* types, const char* labels) {
        std::string r("\xA3\x95\x80", 3);
        r += static_cast<char>(id);
        r += static_cast<char>(length);
        file << r << filled(name, 4) << filled(types, 16) << filled(labels, 64);
    };
    format(1, 36, "IMU", "QBffffff", "TimeUS,I,GyrX,GyrY,GyrZ,AccX,AccY,AccZ");
    format(2, 23, "ATT", "Qfff", "TimeUS,Roll,Pitch,Yaw");
    format(3, 27, "POS", "QLLff", "TimeUS,Lat,Lng,Alt,RelHomeAlt");
    std::size_t written = 0;
    std::string block;
    for (std::uint64_t ms = 0; written < bytes; ++ms) {
        const double t = static_cast<double>(ms) / 1000;
        const auto head = [&](int id, std::uint64_t us) {
            block += "\xA3\x95";
            block += static_cast<char>(id);
            putLarge(block, us);
        };
        for (int i = 0; i < 2; ++i) {
            head(1, ms * 1000 + static_cast<std::uint64_t>(i));
            putLarge(block, static_cast<std::uint8_t>(i));
            for (int k = 0; k < 6; ++k) putLarge(block, static_cast<float>(std::sin(t * (10 + k))));
        }
        if (ms % 10 == 0) {
            head(2, ms * 1000 + 2);
            for (int k = 0; k < 3; ++k) putLarge(block, static_cast<float>(10 * std::sin(t + k)));
        }
        if (ms % 100 == 0) {
            head(3, ms * 1000 + 3);
            putLarge(block, static_cast<std::int32_t>(473000000 + ms % 100000));
            putLarge(block, static_cast<std::int32_t>(-201000000));
            putLarge(block, 60.0F);
            putLarge(block, 30.0F);
        }
        if (block.size() > 1 << 20) {
            file << block;
            written += block.size();
            block.clear();
        }
    }
}

}  // namespace anhinga
