#include "app/widgets/Sounds.h"

#include <canberra.h>

#include <QApplication>
#include <QDir>
#include <QFile>
#include <QSettings>
#include <QStandardPaths>
#include <cmath>

#include "core/base/Text.h"

namespace anhinga {

namespace {
constexpr int kRate = 44100;

struct Tone {
    double hz, seconds, loud;
};

QByteArray wav(std::initializer_list<Tone> tones) {
    QByteArray samples;
    double phase = 0;
    for (const Tone& tone : tones) {
        const int n = static_cast<int>(tone.seconds * kRate);
        for (int i = 0; i < n; ++i) {
            // Soft edges, so that nothing clicks; a little of the octave makes it carry outdoors.
            const double edge = std::min({1.0, i / (0.008 * kRate), (n - i) / (0.02 * kRate)});
            phase += 2 * M_PI * tone.hz / kRate;
            const double v = tone.loud * edge * (0.75 * std::sin(phase) + 0.25 * std::sin(2 * phase));
            const auto s = static_cast<std::int16_t>(std::lround(v * 32000));
            samples.append(static_cast<char>(s & 0xFF));
            samples.append(static_cast<char>(s >> 8 & 0xFF));
        }
    }
    QByteArray out;
    const auto number = [&](quint32 v, int bytes) {
        for (int i = 0; i < bytes; ++i) out.append(static_cast<char>(v >> (8 * i) & 0xFF));
    };
    out += "RIFF";
    number(static_cast<quint32>(36 + samples.size()), 4);
    out += "WAVEfmt ";
    number(16, 4);
    number(1, 2);  // PCM
    number(1, 2);  // mono
    number(kRate, 4);
    number(kRate * 2, 4);
    number(2, 2);
    number(16, 2);
    out += "data";
    number(static_cast<quint32>(samples.size()), 4);
    return out + samples;
}
}  // namespace

QByteArray soundFile(Sound sound) {
    constexpr Tone kPause{0, 0.06, 0};
    switch (sound) {
        case Sound::note:
            return wav({{587, 0.14, 0.4}});
        case Sound::warning:
            return wav({{784, 0.16, 0.7}, kPause, {587, 0.22, 0.7}});
        case Sound::danger:
            break;
    }
    return wav({{740, 0.09, 1},
                {1109, 0.14, 1},
                kPause,
                {740, 0.09, 1},
                {1109, 0.14, 1},
                kPause,
                {740, 0.09, 1},
                {1109, 0.2, 1}});
}

struct Sounds::Output {
    Output() {
        const QString folder = QStandardPaths::writableLocation(QStandardPaths::CacheLocation);
        QDir().mkpath(folder);
        for (int i = 0; i < 3; ++i) {
            files[i] = QFile::encodeName(folder + QString("/sound-%1.wav").arg(i));
            QFile file(QFile::decodeName(files[i]));
            if (file.open(QIODevice::WriteOnly)) file.write(soundFile(static_cast<Sound>(i)));
        }
        if (ca_context_create(&context) != CA_SUCCESS) context = nullptr;
    }
    ~Output() {
        if (context != nullptr) ca_context_destroy(context);
    }
    ca_context* context = nullptr;
    double silent_until_ms = 0;
    QByteArray files[3];
};

Sounds::Sounds() = default;
Sounds::~Sounds() = default;

Sounds::Choice Sounds::choice() {
    const int i = QSettings().value("sounds", 0).toInt();
    return i == 1 ? Choice::warnings : i == 2 ? Choice::none : Choice::all;
}
void Sounds::setChoice(Choice choice) {
    QSettings().setValue("sounds", static_cast<int>(choice));
}

void Sounds::play(Sound sound) {
    const int i = static_cast<int>(sound);
    if (choice() == Choice::none || (choice() == Choice::warnings && sound == Sound::note)) return;
    constexpr double kApart_ms = 1000;
    const double now = monotonicMs();
    if (now - last_ms_[i] < kApart_ms) return;
    last_ms_[i] = now;
    ++played_[i];
    if (!output_) output_ = std::make_unique<Output>();
    // Without an output nothing is tried for a while: each try takes time.
    constexpr double kTryAgain_ms = 60000;
    bool heard = false;
    if (output_->context != nullptr && now >= output_->silent_until_ms) {
        heard = ca_context_play(output_->context, static_cast<std::uint32_t>(i), CA_PROP_MEDIA_FILENAME,
                                output_->files[i].constData(), nullptr) == CA_SUCCESS;
        if (!heard) output_->silent_until_ms = now + kTryAgain_ms;
    }
    if (!heard && sound != Sound::note) QApplication::beep();
}

}  // namespace anhinga
