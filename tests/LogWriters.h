// Writers of onboard logs of the tests' own: only what the formats say, none of the readers' code.
#pragma once

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <random>
#include <string>
#include <variant>
#include <vector>

namespace anhinga::testing {

using Cell = std::variant<double, std::string>;

template <class T>
void put(std::string& out, T v) {
    out.append(reinterpret_cast<const char*>(&v), sizeof v);
}
inline std::string filled(std::string text, std::size_t n) {
    text.resize(n, '\0');
    return text;
}

/// Writes self-describing logs in both forms: only what the format says, none of the reader's code.
class SelfWriter {
  public:
    std::string binary, text;
    void format(int id, const std::string& name, const std::string& types, const std::string& labels) {
        types_[id] = types;
        names_[id] = name;
        std::size_t length = 3;
        for (const char c : types) length += widths().at(c);
        binary += "\xA3\x95\x80";
        binary += static_cast<char>(id);
        binary += static_cast<char>(length);
        binary += filled(name, 4) + filled(types, 16) + filled(labels, 64);
        text += fmt::format("FMT, {}, {}, {}, {}, {}\n", id, length, name, types, labels);
    }
    void record(int id, const std::vector<Cell>& cells) {
        binary += "\xA3\x95";
        binary += static_cast<char>(id);
        text += names_.at(id);
        for (std::size_t i = 0; i < cells.size(); ++i) {
            const char c = types_.at(id)[i];
            text += ", ";
            if (const auto* words = std::get_if<std::string>(&cells[i])) {
                binary += filled(*words, widths().at(c));
                text += *words;
                continue;
            }
            const double v = std::get<double>(cells[i]);
            text += fmt::format("{}", v);
            switch (c) {
                case 'b':
                    put(binary, static_cast<std::int8_t>(v));
                    break;
                case 'B':
                case 'M':
                    put(binary, static_cast<std::uint8_t>(v));
                    break;
                case 'h':
                    put(binary, static_cast<std::int16_t>(v));
                    break;
                case 'H':
                    put(binary, static_cast<std::uint16_t>(v));
                    break;
                case 'c':
                    put(binary, static_cast<std::int16_t>(std::lround(v * 100)));
                    break;
                case 'C':
                    put(binary, static_cast<std::uint16_t>(std::lround(v * 100)));
                    break;
                case 'i':
                    put(binary, static_cast<std::int32_t>(v));
                    break;
                case 'I':
                    put(binary, static_cast<std::uint32_t>(v));
                    break;
                case 'e':
                    put(binary, static_cast<std::int32_t>(std::lround(v * 100)));
                    break;
                case 'E':
                    put(binary, static_cast<std::uint32_t>(std::llround(v * 100)));
                    break;
                case 'L':
                    put(binary, static_cast<std::int32_t>(std::lround(v * 1e7)));
                    break;
                case 'f':
                    put(binary, static_cast<float>(v));
                    break;
                case 'd':
                    put(binary, v);
                    break;
                case 'q':
                    put(binary, static_cast<std::int64_t>(v));
                    break;
                case 'Q':
                    put(binary, static_cast<std::uint64_t>(v));
                    break;
                default:
                    FAIL("type " << c);
            }
        }
        text += "\n";
    }

  private:
    static const std::map<char, std::size_t>& widths() {
        static const std::map<char, std::size_t> all{
            {'b', 1}, {'B', 1}, {'M', 1}, {'h', 2}, {'H', 2}, {'c', 2}, {'C', 2}, {'i', 4},  {'I', 4},  {'f', 4},
            {'e', 4}, {'E', 4}, {'L', 4}, {'n', 4}, {'d', 8}, {'q', 8}, {'Q', 8}, {'N', 16}, {'Z', 64}, {'g', 2}};
        return all;
    }
    std::map<int, std::string> types_, names_;
};

/// A short flight: up, along, down, with everything a canonical channel is made of.
inline SelfWriter flightWriter(int seconds = 40, int imu_hz = 5) {
    SelfWriter w;
    w.format(1, "UNIT", "QbZ", "TimeUS,Id,Label");
    w.format(2, "MULT", "Qbd", "TimeUS,Id,Mult");
    w.format(3, "FMTU", "QBNN", "TimeUS,FmtType,UnitIds,MultIds");
    w.format(10, "PARM", "QNf", "TimeUS,Name,Value");
    w.format(11, "GPS", "QBBIHBcLLeff", "TimeUS,I,Status,GMS,GWk,NSats,HDop,Lat,Lng,Alt,Spd,VZ");
    w.format(12, "POS", "QLLff", "TimeUS,Lat,Lng,Alt,RelHomeAlt");
    w.format(13, "ATT", "Qccccccff", "TimeUS,DesRoll,Roll,DesPitch,Pitch,DesYaw,Yaw,ErrRP,ErrYaw");
    w.format(14, "IMU", "QBffffff", "TimeUS,I,GyrX,GyrY,GyrZ,AccX,AccY,AccZ");
    w.format(15, "MODE", "QMBB", "TimeUS,Mode,ModeNum,Rsn");
    w.format(16, "MSG", "QZ", "TimeUS,Message");
    w.format(17, "ARM", "QB", "TimeUS,ArmState");
    w.format(18, "BAT", "QBfff", "TimeUS,C,Volt,Curr,CurrTot");
    w.format(19, "MAG", "Qhhh", "TimeUS,MagX,MagY,MagZ");
    w.format(20, "RCOU", "QHH", "TimeUS,C1,C2");
    w.format(21, "CAM", "QI", "TimeUS,Img");
    w.format(22, "CMD", "QHHHLLf", "TimeUS,CTot,CNum,CId,Lat,Lng,Alt");
    w.record(1, {0.0, double('m'), std::string("m")});
    w.record(1, {0.0, double('v'), std::string("V")});
    w.record(2, {0.0, double('C'), 0.01});
    w.record(3, {0.0, 18.0, std::string("s#vAa"), std::string("F----")});
    w.record(3, {0.0, 12.0, std::string("sDUmm"), std::string("FGG00")});
    w.record(10, {5e6, std::string("FRAME_CLASS"), 1.0});
    w.record(10, {5e6, std::string("SYSID_THISMAV"), 4.0});
    w.record(10, {5e6, std::string("WPNAV_SPEED"), 512.5});
    const double start = 5e6;  // microseconds since boot
    for (int n = 0; n < 3; ++n) w.record(22, {start, 3.0, double(n), 16.0, 47.3, -20.1, 30.0});
    w.record(17, {start, 1.0});
    for (int s = 0; s <= seconds; ++s) {
        const double t = start + s * 1e6, height = 30 * std::sin(M_PI * s / seconds);
        if (s == 0) w.record(15, {t, 3.0, 3.0, 0.0});
        if (s == seconds / 2) w.record(15, {t, 6.0, 6.0, 1.0});
        if (s == 3) w.record(16, {t, std::string("hello, world: 3")});
        w.record(11, {t, 0.0, 3.0, 100000.0 + s * 1000, 2400.0, 14.0, 0.8, 47.3 + 1e-5 * s, -20.1, 45.0, 1.1, -0.5});
        w.record(11, {t + 1, 1.0, 3.0, 100000.0 + s * 1000, 2400.0, 9.0, 1.2, 47.31, -20.1, 44.0, 1.1, -0.5});
        w.record(12, {t + 2, 47.3 + 1e-5 * s, -20.1 + 2e-5 * s, 45 + height, height});
        w.record(13, {t + 3, 1.5, 1.25, -2.5, -2.25, 90.0, 91.5, 0.0, 0.0});
        w.record(18, {t + 4, 0.0, 16.0 - s / 64.0, 12.5, s * 3.5});
        w.record(19, {t + 5, 300.0, -100.0, 400.0});
        w.record(20, {t + 6, 1500.0 + s % 2, 1250.0 + s % 2});
        for (int i = 0; i < imu_hz; ++i) {
            const double ti = t + 10 + 1e6 / imu_hz * i;
            w.record(14, {ti, 0.0, 0.25, -0.5, 0.125, 0.5, 0.25, -9.75});
            w.record(14, {ti + 1, 1.0, 0.5, -0.5, 0.125, 0.5, 0.25, -9.75});
        }
        if (s % 10 == 5) w.record(21, {t + 20, double(s)});
    }
    w.record(17, {start + seconds * 1e6 + 100, 0.0});
    return w;
}

/// Writes predictor-encoded logs: its own encoders, and its own idea of what is predicted.
class PredictorWriter {
  public:
    std::string out;
    int version = 2;

    void byte(unsigned v) { out += static_cast<char>(v & 255); }
    void uvb(std::uint32_t v) {
        for (; v > 127; v >>= 7) byte((v & 127) | 128);
        byte(v);
    }
    void svb(std::int32_t v) { uvb((static_cast<std::uint32_t>(v) << 1) ^ static_cast<std::uint32_t>(v >> 31)); }
    static bool fits(std::int32_t v, int bits) { return v >= -(1 << (bits - 1)) && v < (1 << (bits - 1)); }
    void whole(const std::vector<std::int32_t>& v) {
        unsigned lead = 3 << 6;
        for (std::size_t i = 0; i < 3; ++i)
            lead |= (fits(v[i], 8) ? 0U : fits(v[i], 16) ? 1U : fits(v[i], 24) ? 2U : 3U) << (2 * i);
        byte(lead);
        for (std::size_t i = 0; i < 3; ++i)
            for (unsigned k = 0; k <= (lead >> (2 * i) & 3); ++k) byte(static_cast<std::uint32_t>(v[i]) >> (8 * k));
    }
    bool all(const std::vector<std::int32_t>& v, int a, int b, int c) {
        return fits(v[0], a) && fits(v[1], b) && fits(v[2], c);
    }
    void tag3s32(const std::vector<std::int32_t>& v) {
        if (all(v, 2, 2, 2)) return byte((v[0] & 3) << 4 | (v[1] & 3) << 2 | (v[2] & 3));
        if (all(v, 4, 4, 4)) {
            byte(1 << 6 | (v[0] & 15));
            return byte((v[1] & 15) << 4 | (v[2] & 15));
        }
        if (all(v, 6, 6, 6)) {
            byte(2 << 6 | (v[0] & 63));
            byte(v[1] & 63);
            return byte(v[2] & 63);
        }
        whole(v);
    }
    void tag3var(const std::vector<std::int32_t>& v) {
        if (all(v, 2, 2, 2)) return byte((v[0] & 3) << 4 | (v[1] & 3) << 2 | (v[2] & 3));
        if (all(v, 5, 5, 4)) {
            byte(1 << 6 | (v[0] & 31) << 1 | (v[1] & 31) >> 4);
            return byte((v[1] & 15) << 4 | (v[2] & 15));
        }
        if (all(v, 8, 7, 7)) {
            byte(2 << 6 | (v[0] & 255) >> 2);
            byte((v[0] & 3) << 6 | (v[1] & 127) >> 1);
            return byte((v[1] & 1) << 7 | (v[2] & 127));
        }
        whole(v);
    }
    void tag4s16(const std::vector<std::int32_t>& v) {
        if (version < 2) {
            // Pairs of half bytes, or one and two bytes, the low one first.
            unsigned selector = 0;
            std::string body;
            for (std::size_t i = 0; i < 4; ++i) {
                if (v[i] == 0) continue;
                if (i < 3 && fits(v[i], 4) && fits(v[i + 1], 4)) {
                    selector |= 5U << (2 * i);
                    body += static_cast<char>((v[i] & 15) | (v[i + 1] & 15) << 4);
                    ++i;
                } else if (fits(v[i], 8)) {
                    selector |= 2U << (2 * i);
                    body += static_cast<char>(v[i]);
                } else {
                    selector |= 3U << (2 * i);
                    body += static_cast<char>(v[i] & 255);
                    body += static_cast<char>(v[i] >> 8 & 255);
                }
            }
            byte(selector);
            out += body;
            return;
        }
        unsigned selector = 0;
        std::vector<unsigned> halves;
        for (std::size_t i = 0; i < 4; ++i) {
            const int n = v[i] == 0 ? 0 : fits(v[i], 4) ? 1 : fits(v[i], 8) ? 2 : 4;
            selector |= (n == 4 ? 3U : static_cast<unsigned>(n)) << (2 * i);
            for (int k = n - 1; k >= 0; --k) halves.push_back(static_cast<std::uint32_t>(v[i]) >> (4 * k) & 15);
        }
        byte(selector);
        if (halves.size() % 2 == 1) halves.push_back(0);
        for (std::size_t i = 0; i < halves.size(); i += 2) byte(halves[i] << 4 | halves[i + 1]);
    }
    void tag8(const std::vector<std::int32_t>& v) {
        unsigned mask = 0;
        for (std::size_t i = 0; i < v.size(); ++i) mask |= (v[i] != 0 ? 1U : 0U) << i;
        byte(mask);
        for (const std::int32_t x : v)
            if (x != 0) svb(x);
    }
};

inline const std::vector<std::string> kMainFields{
    "loopIteration", "time",       "axisP[0]",     "rcCommand[3]", "vbatLatest", "motor[0]", "motor[1]", "gyroADC[0]",
    "gyroADC[1]",    "gyroADC[2]", "accSmooth[0]", "debug[0]",     "debug[1]",   "debug[2]", "var[0]",   "var[1]",
    "var[2]",        "BaroAlt",    "eight[1]",     "eight[2]",     "eight[3]",   "half"};

inline std::string joined(const std::vector<std::string>& words) {
    std::string out;
    for (const std::string& w : words) out += (out.empty() ? "" : ",") + w;
    return out;
}

struct PredictorLog {
    std::string bytes;
    std::vector<std::vector<std::int32_t>> frames;
};

/// `frames` main frames every second iteration, an I frame each 16 iterations; values wander by steps of every size.
inline PredictorLog predictorLog(int frames, int version = 2, unsigned seed = 1, bool place = true) {
    PredictorWriter w;
    w.version = version;
    w.out = "H Product:Flight data\nH Data version:" + std::to_string(version) +
            "\nH I interval:16\nH P interval:1/2\nH minthrottle:1070\nH maxthrottle:2000\nH vbatref:1680\n"
            "H motorOutput:48,2047\nH gyro_scale:0x3f800000\nH acc_1G:2048\nH vbatcellvoltage:330,350,430\n"
            "H rate:1.25\n";
    w.out += "H Field I name:" + joined(kMainFields) + "\nH Field I signed:0\n";
    w.out += "H Field I predictor:0,0,0,4,9,11,5,0,0,0,0,0,0,0,0,0,0,0,0,0,0,8\n";
    w.out += "H Field I encoding:1,1,0,1,3,1,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0\n";
    w.out += "H Field P predictor:6,2,1,1,1,3,3,3,3,3,1,1,1,1,1,1,1,1,1,1,1,0\n";
    w.out += "H Field P encoding:9,0,0,0,0,0,0,7,7,7,8,8,8,8,10,10,10,6,6,6,6,9\n";
    w.out +=
        "H Field S name:flightModeFlags,state\nH Field S signed:0,0\nH Field S predictor:0,0\nH Field S encoding:1,1\n";
    w.out +=
        "H Field H name:GPS_home[0],GPS_home[1]\nH Field H signed:1,1\nH Field H predictor:0,0\nH Field H "
        "encoding:0,0\n";
    w.out += "H Field G name:time,GPS_numSat,GPS_coord[0],GPS_coord[1],GPS_speed\nH Field G signed:0,0,1,1,0\n";
    w.out += "H Field G predictor:10,0,7,7,0\nH Field G encoding:1,1,0,0,1\n";
    PredictorLog log;
    std::mt19937 random(seed);
    const auto step = [&] {
        const int bits = static_cast<int>(random() % 15);
        const auto span = static_cast<std::int32_t>(1) << bits;
        return random() % 3 == 0 ? 0 : static_cast<std::int32_t>(random() % static_cast<unsigned>(2 * span)) - span;
    };
    std::vector<std::int32_t> last(kMainFields.size(), 0), last2;
    for (int f = 0; f < frames; ++f) {
        const std::int32_t iteration = f * 2;
        std::vector<std::int32_t> v = last;
        v[0] = iteration;
        v[1] = 1000000 + f * 2500 + static_cast<std::int32_t>(random() % 7);
        for (std::size_t i = 2; i + 1 < v.size(); ++i) v[i] = std::clamp(v[i] + step(), -30000, 30000);
        v[3] = 1070 + f % 900;
        v[4] = 1680 - f % 300;
        v[5] = 48 + static_cast<std::int32_t>(random() % 2000);
        v[17] = static_cast<std::int32_t>(3000 * std::sin(M_PI * f / frames));  // height, cm
        const bool intra = iteration % 16 == 0;
        v.back() = intra ? 1500 + step() : 0;
        if (intra) {
            w.byte('I');
            w.uvb(static_cast<std::uint32_t>(v[0]));
            w.uvb(static_cast<std::uint32_t>(v[1]));
            w.svb(v[2]);
            w.uvb(static_cast<std::uint32_t>(v[3] - 1070));
            w.uvb(static_cast<std::uint32_t>(1680 - v[4]) & 0x3FFF);
            w.uvb(static_cast<std::uint32_t>(v[5] - 48));
            w.svb(v[6] - v[5]);
            for (std::size_t i = 7; i + 1 < v.size(); ++i) w.svb(v[i]);
            w.svb(v.back() - 1500);
            last2 = v;
        } else {
            const auto from_last = [&](std::size_t i) { return v[i] - last[i]; };
            const auto from_mean = [&](std::size_t i) { return v[i] - (last[i] + last2[i]) / 2; };
            w.byte('P');
            w.svb(v[1] - (2 * last[1] - last2[1]));
            for (const std::size_t i : {2, 3, 4}) w.svb(from_last(i));
            for (const std::size_t i : {5, 6}) w.svb(from_mean(i));
            w.tag3s32({from_mean(7), from_mean(8), from_mean(9)});
            w.tag4s16({from_last(10), from_last(11), from_last(12), from_last(13)});
            w.tag3var({from_last(14), from_last(15), from_last(16)});
            w.tag8({from_last(17), from_last(18), from_last(19), from_last(20)});
            last2 = last;
        }
        last = v;
        log.frames.push_back(v);
        if (f == 0) {
            w.byte('E');
            w.byte(30);
            w.uvb(1);
            w.uvb(0);
            w.byte('S');
            w.uvb(1);
            w.uvb(5);
        }
        if (place && f == 1) {
            w.byte('H');
            w.svb(473000000);
            w.svb(-201000000);
        }
        if (place && f > 0 && f % 20 == 1) {
            w.byte('G');
            w.uvb(7);
            w.uvb(11);
            w.svb(f * 100);
            w.svb(-f * 50);
            w.uvb(840);
        }
    }
    w.out += std::string(
        "E\xFF"
        "End of log\0",
        13);
    log.bytes = w.out;
    return log;
}

}  // namespace anhinga::testing
