#include "session/LinkSession.h"

#include <QDir>

namespace anhinga {

LinkSession::LinkSession(QObject* parent) : QObject(parent) {
    timer_.setInterval(50);
    connect(&timer_, &QTimer::timeout, this, [this] {
        vehicle_ = link_->snapshot();
        emit vehicleChanged();
    });
}

LinkSession::~LinkSession() {
    // Whoever listens may be half gone already: an owner's members are taken down one by one.
    blockSignals(true);
    disconnectLink();
}

Result<void> LinkSession::connectTo(const QString& address) {
    VehicleLink::Options options;
    QString record;
    if (!record_folder_.isEmpty()) {
        if (!QDir().mkpath(record_folder_))
            return fail("{}: the folder for recordings cannot be made", record_folder_.toStdString());
        record = record_folder_ + "/" + QDateTime::currentDateTimeUtc().toString("yyyyMMdd-HHmmss-zzz") + ".tlog";
        options.record_path = record.toStdString();
    }
    disconnectLink();
    auto link = VehicleLink::open(address.toStdString(), options);
    if (!link) return tl::unexpected(link.error());
    link_ = std::move(*link);
    address_ = address;
    record_path_ = record;
    vehicle_ = {};
    commands_.clear();
    timer_.start();
    emit stateChanged();
    return {};
}

void LinkSession::flushRecording() {
    if (link_) link_->flushRecord();
}

void LinkSession::disconnectLink() {
    timer_.stop();
    transfer_ = {};
    commander_ = {};
    link_.reset();
    busy_ = false;
    emit stateChanged();
}

void LinkSession::finish(std::function<void()> then) {
    QMetaObject::invokeMethod(
        this,
        [this, then = std::move(then)] {
            busy_ = false;
            then();
            emit stateChanged();
        },
        Qt::QueuedConnection);
}

TransferOptions LinkSession::transferOptions() {
    TransferOptions options;
    options.progress = [this](double share, const std::string& text) {
        QMetaObject::invokeMethod(
            this,
            [this, share, t = QString::fromStdString(text)] {
                progress_ = share;
                progress_text_ = t;
                emit stateChanged();
            },
            Qt::QueuedConnection);
    };
    return options;
}

void LinkSession::handOver(const MissionSet& set, bool item0_is_home) {
    if (!link_ || busy_) return;
    busy_ = true;
    seal_ = Seal::none;
    seal_text_.clear();
    progress_ = 0;
    progress_text_ = "waiting for the vehicle";
    emit stateChanged();
    TransferOptions options = transferOptions();
    transfer_ = std::jthread([this, set, item0_is_home, options](const std::stop_token& stop) mutable {
        options.stop = stop;
        auto result = anhinga::handOver(*link_, set, item0_is_home, options);
        finish([this, result = std::move(result)] {
            differences_.clear();
            if (!result) {
                seal_ = Seal::failed;
                seal_text_ = QString::fromStdString(result.error().message);
                return;
            }
            differences_ = result->differences;
            fingerprint_ = result->fingerprint;
            seal_time_ = QDateTime::currentDateTime();
            seal_ = result->verified ? Seal::sealed : Seal::differs;
            seal_text_ = result->verified
                             ? QString("%1 items, %2 fence points and %3 rally points read back, all agree")
                                   .arg(result->held.mission.size())
                                   .arg(result->held.fence.size())
                                   .arg(result->held.rally.size())
                             : QString("%1 differences between plan and aircraft").arg(result->differences.size());
        });
    });
}

void LinkSession::fetch() {
    if (!link_ || busy_) return;
    busy_ = true;
    progress_ = 0;
    progress_text_ = "asking the vehicle";
    emit stateChanged();
    TransferOptions options = transferOptions();
    transfer_ = std::jthread([this, options](const std::stop_token& stop) mutable {
        options.stop = stop;
        auto held = downloadAll(*link_, options);
        finish([this, held = std::move(held)] {
            if (!held)
                emit fetchFailed(QString::fromStdString(held.error().message));
            else
                emit fetched(*held);
        });
    });
}

void LinkSession::cancel() {
    transfer_.request_stop();
}

void LinkSession::command(const QString& name, Command command) {
    if (!link_) return;
    // One after the other: a second command waits until the first is answered or given up.
    if (!commands_.empty() && commands_.back().state == CommandNote::sent) return;
    commands_.push_back({name, CommandNote::sent, ""});
    const std::size_t index = commands_.size() - 1;
    emit stateChanged();
    commander_ = std::jthread([this, command = std::move(command), index](const std::stop_token& stop) {
        const auto result = command(*link_, stop);
        QMetaObject::invokeMethod(
            this,
            [this, index, result] {
                if (index >= commands_.size()) return;
                commands_[index].state = result ? CommandNote::accepted : CommandNote::refused;
                if (!result) commands_[index].reason = QString::fromStdString(result.error().message);
                emit stateChanged();
            },
            Qt::QueuedConnection);
    });
}

}  // namespace anhinga
