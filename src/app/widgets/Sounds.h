// Sounds by severity: short tones made here, told apart by ear without looking.
#pragma once

#include <QByteArray>
#include <memory>

namespace anhinga {

enum class Sound { note, warning, danger };

/// A mono 16-bit PCM WAV file at 44.1 kHz: one soft tone, two falling tones, or three quick rising pairs.
QByteArray soundFile(Sound sound);

class Sounds {
  public:
    enum class Choice { all, warnings, none };
    Sounds();
    ~Sounds();
    /// What is heard; remembered.
    static Choice choice();
    static void setChoice(Choice choice);
    /// Plays it when that is chosen; at most one of a kind each second. Without any sound output the window system's
    /// bell stands in for warnings and dangers.
    void play(Sound sound);
    /// How many of that kind were played or belled since the start.
    int played(Sound sound) const { return played_[static_cast<int>(sound)]; }

  private:
    struct Output;
    std::unique_ptr<Output> output_;  // until the first sound
    int played_[3] = {};
    double last_ms_[3] = {-1e9, -1e9, -1e9};
};

}  // namespace anhinga
