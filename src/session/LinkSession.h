// The link to the aircraft for the windows: connecting, the vehicles as last heard, hand-over with its seal, commands,
// parameters and onboard logs. Long work runs on a thread of its own; results come back as signals on the owner's
// thread.
#pragma once

#include <QDateTime>
#include <QObject>
#include <QString>
#include <memory>

#include "core/link/Batches.h"
#include "core/link/Commands.h"
#include "core/link/LogFetch.h"
#include "core/link/MissionTransfer.h"
#include "core/link/Parameters.h"
#include "core/watch/HoldState.h"
#include "session/ClockTimer.h"
#include "session/Mailbox.h"

namespace anhinga {

struct CommandNote {
    QString name;
    enum State { sent, accepted, refused } state = sent;
    QString reason;
    QDateTime time;
};

/// "48.6 GB free", "no card"; empty: not known.
QString cardText(const CameraSnapshot& camera);

class LinkSession : public QObject {
    Q_OBJECT
  public:
    /// Where and by which clock it lives; tests play both.
    explicit LinkSession(const LinkWorld& world = {}, QObject* parent = nullptr);
    ~LinkSession() override;

    /// Recordings go into this folder, one a connection.
    void setRecordFolder(const QString& folder) { record_folder_ = folder; }
    QString recordPath() const { return record_path_; }
    /// Whatever was heard so far is in the recording from then on, which may still be written.
    void flushRecording();
    std::uint64_t recordedBytes() const { return link_ ? link_->recordBytes() : 0; }
    /// Why nothing is written to the recording at present; empty while all is.
    QString recordProblem() const;
    /// A mark in the recording.
    void mark(const QString& note);
    /// What an aircraft held before a hand-over is kept in this folder; empty: nowhere.
    void setCopyFolder(const QString& folder) { copy_folder_ = folder; }
    /// All is signed with the key of this passphrase from the next connection on; empty: nothing is.
    void setPassphrase(const QString& passphrase) { passphrase_ = passphrase; }
    bool hasPassphrase() const { return !passphrase_.isEmpty(); }
    bool isSigned() const { return link_ && link_->isSigned(); }
    /// The key of the passphrase is sent to the aircraft, which is to sign with it from then on.
    void putKeyAboard();

    /// On failure the reason; nothing is changed then.
    Result<void> connectTo(const QString& address);
    void disconnectLink();
    bool connected() const { return link_ != nullptr; }
    /// Of the chosen vehicle; empty while there is no link.
    std::vector<LiveValue> liveValues() const { return link_ ? link_->liveValues() : std::vector<LiveValue>{}; }
    QString address() const { return address_; }
    const VehicleSnapshot& vehicle() const { return vehicle_; }
    /// System numbers of all vehicles on the link.
    const std::vector<int>& vehicles() const { return vehicles_; }
    /// The one that everything concerns from now on. Refused while something is under way.
    void choose(int system);

    /// Hands a compiled plan over. Refused while something is under way. What the aircraft held before is kept first;
    /// where it is known, only the difference is sent.
    void handOver(const ToSend& plan, const TranslationInput& input = {});
    /// A mission longer than the aircraft's memory: the first parts now, the rest in flight. Fails when it cannot be
    /// cut.
    Result<void> handOverBatches(const ToSend& plan, int limit, const TranslationInput& input = {});
    /// Null when no mission is flown in batches.
    const BatchSender* batches() const { return batches_.get(); }
    /// The item of the whole mission that is flown to.
    std::optional<int> flownItem() const;
    /// Reads what the aircraft holds and compares it with the plan, without sending any of it.
    void check(const ToSend& plan, const TranslationInput& input = {});
    /// Asks the aircraft to keep what is sealed over a power cut; sealStored() or storeAnswer() says what it answered.
    void storeForPowerOff();
    /// Empties all three lists on the aircraft, after a copy was kept.
    void clearAircraft();
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
    bool sealStored() const { return stored_; }
    /// Why it would not; empty when it was not asked, or has.
    QString storeAnswer() const { return store_answer_; }
    const std::vector<MissionDifference>& differences() const { return differences_; }
    /// What the aircraft rounds, leaves out or was told otherwise; in the items of what was handed over.
    const std::vector<KeptField>& kept() const { return kept_; }
    /// Why nothing was sent: what the aircraft cannot be told.
    const std::vector<Unsaid>& refusedItems() const { return refused_; }
    /// What the aircraft holds, as last read; nothing when it was not read in this connection.
    const std::optional<HeldPlan>& held() const { return held_; }
    /// Of each entry of a route how far it has got.
    std::vector<HoldState> states(const FlightProgram& program) const;
    /// Where the last copy of what an aircraft held was put; empty: none was needed.
    QString copyPath() const { return copy_path_; }
    /// Why the next batch could not be sent; it is tried again.
    QString batchProblem() const { return batch_problem_; }

    using Command = std::function<Result<void>(VehicleLink&, std::stop_token)>;
    void command(const QString& name, Command command);
    const std::vector<CommandNote>& commands() const { return commands_; }

    void readParameters();
    /// One after the other, each read back. Answered by parametersChanged(), and parametersFailed() where one was not
    /// taken.
    void setParameters(const ParameterSet& wanted);
    /// As read in this connection; empty when they were not.
    const ParameterSet& parameters() const { return parameters_; }

    void listLogs();
    void fetchLog(const OnboardLog& log, const QString& path);
    void eraseLogs();
    const std::vector<OnboardLog>& logs() const { return logs_; }

    VehicleLink* link() { return link_.get(); }
    Clock& clock() const { return *world_.clock; }

  signals:
    void vehicleChanged();  // at display rate while connected
    void stateChanged();    // connection, progress, seal, commands
    /// The aircraft holds what was handed over, as read back.
    void sealed(const HandOver& result);
    /// What is sealed outlives a power cut, says the aircraft.
    void storedAboard();
    void fetched(const HeldPlan& held);
    void fetchFailed(const QString& why);
    void parametersChanged();
    void parametersFailed(const QString& why);
    void logsChanged();
    void logFetched(const QString& path, double seconds);
    void logFailed(const QString& why);
    /// The connection is over and its recording complete.
    void recordingEnded(const QString& path);

  private:
    TransferOptions transferOptions();
    /// Runs `job` on the transfer thread; what it returns runs on ours afterwards. False while something is under way.
    bool run(const QString& what, std::function<std::function<void()>(TransferOptions)> job);
    void takeHandOver(const Result<HandOver>& result);
    void tendBatches();
    std::string keepCopy(const HeldPlan& held);

    LinkWorld world_;
    std::unique_ptr<VehicleLink> link_;
    VehicleSnapshot vehicle_;
    std::vector<int> vehicles_;
    ClockTimer timer_;
    QString address_, record_folder_, record_path_, copy_folder_, copy_path_, passphrase_;
    bool busy_ = false;
    /// Of the connection: what was asked in another has nothing to say in this one.
    unsigned generation_ = 0;
    double progress_ = 0;
    QString progress_text_;
    Seal seal_ = Seal::none;
    QString seal_text_;
    std::uint64_t fingerprint_ = 0;
    QDateTime seal_time_;
    bool stored_ = false;
    QString store_answer_;
    std::optional<HeldPlan> held_;
    std::vector<MissionDifference> differences_;
    std::vector<KeptField> kept_;
    std::vector<Unsaid> refused_;
    std::vector<CommandNote> commands_;
    ParameterSet parameters_;
    std::vector<OnboardLog> logs_;
    std::unique_ptr<BatchSender> batches_;
    std::uint64_t whole_fingerprint_ = 0;  // of the mission that is flown in batches
    QString batch_problem_;
    Mailbox mail_;  // before the thread that posts
    Worker transfer_, commander_;
};

}  // namespace anhinga
