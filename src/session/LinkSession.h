// The link to the aircraft for the windows: connecting, the vehicle as last heard, hand-over with its seal, commands.
// Long work runs on a thread of its own; results come back as signals on the owner's thread.
#pragma once

#include <QDateTime>
#include <QObject>
#include <QString>
#include <QTimer>
#include <memory>
#include <thread>

#include "core/link/Services.h"
#include "core/mission/Compile.h"

namespace anhinga {

struct CommandNote {
    QString name;
    enum State { sent, accepted, refused } state = sent;
    QString reason;
};

class LinkSession : public QObject {
    Q_OBJECT
  public:
    explicit LinkSession(QObject* parent = nullptr);
    ~LinkSession() override;

    /// Recordings go into this folder, one a connection.
    void setRecordFolder(const QString& folder) { record_folder_ = folder; }
    QString recordPath() const { return record_path_; }
    /// Whatever was heard so far is in the recording from then on, which may still be written.
    void flushRecording();
    /// On failure the reason; nothing is changed then.
    Result<void> connectTo(const QString& address);
    void disconnectLink();
    bool connected() const { return link_ != nullptr; }
    QString address() const { return address_; }
    const VehicleSnapshot& vehicle() const { return vehicle_; }

    /// Hands a compiled plan over. Refused while something is under way.
    void handOver(const MissionSet& set, bool item0_is_home);
    /// Reads what the aircraft holds; answered by fetched() or fetchFailed().
    void fetch();
    void cancel();
    bool busy() const { return busy_; }
    double progress() const { return progress_; }
    QString progressText() const { return progress_text_; }

    enum class Seal { none, failed, differs, sealed };
    Seal seal() const { return seal_; }
    QString sealText() const { return seal_text_; }
    std::uint64_t sealFingerprint() const { return fingerprint_; }
    QDateTime sealTime() const { return seal_time_; }
    const std::vector<MissionDifference>& differences() const { return differences_; }

    using Command = std::function<Result<void>(VehicleLink&, std::stop_token)>;
    void command(const QString& name, Command command);
    const std::vector<CommandNote>& commands() const { return commands_; }

  signals:
    void vehicleChanged();  // at display rate while connected
    void stateChanged();    // connection, progress, seal, commands
    void fetched(const MissionSet& held);
    void fetchFailed(const QString& why);

  private:
    TransferOptions transferOptions();
    void finish(std::function<void()> then);

    std::unique_ptr<VehicleLink> link_;
    VehicleSnapshot vehicle_;
    QTimer timer_;
    QString address_, record_folder_, record_path_;
    bool busy_ = false;
    double progress_ = 0;
    QString progress_text_;
    Seal seal_ = Seal::none;
    QString seal_text_;
    std::uint64_t fingerprint_ = 0;
    QDateTime seal_time_;
    std::vector<MissionDifference> differences_;
    std::vector<CommandNote> commands_;
    std::jthread transfer_, commander_;
};

}  // namespace anhinga
