#include "session/FieldSession.h"

#include "core/base/Text.h"
#include "core/geo/MagneticField.h"
#include "core/pattern/Heights.h"
#include "core/watch/SafetyChecks.h"

namespace anhinga {

FieldSession::FieldSession(PlanSession* plan, LinkSession* link, QObject* parent)
    : QObject(parent), plan_(plan), link_(link), timer_(link->clock(), 200) {
    connect(&timer_, &ClockTimer::timeout, this, &FieldSession::look);
    timer_.start();
    connect(plan_, &PlanSession::planChanged, this, &FieldSession::look);
    connect(plan_, &PlanSession::derivedChanged, this, &FieldSession::look);
    connect(link_, &LinkSession::stateChanged, this, &FieldSession::look);
    connect(link_, &LinkSession::sealed, this, &FieldSession::noteSeal);
    connect(link_, &LinkSession::storedAboard, this, &FieldSession::noteStored);
    connect(link_, &LinkSession::parametersChanged, this, [this] { alarms_.setParameters(link_->parameters()); });
}

// ---- the plan on the aircraft

bool FieldSession::sealHolds() const {
    const PlanView& view = plan_->flownView();
    // Sorties are those of the plan as it is only once they are worked out.
    const bool known = plan_->upToDate() && (plan_->sortie() == 0 || plan_->derived()->complete);
    return link_->seal() == LinkSession::Seal::sealed && known && view.sendable() &&
           fingerprint(view) == link_->sealFingerprint();
}

/// Of a view of the present derived(): worked out once.
std::uint64_t FieldSession::fingerprint(const PlanView& view) const {
    if (fingerprints_of_ != plan_->derived()) {
        fingerprints_of_ = plan_->derived();
        fingerprints_.clear();
    }
    const auto [at, fresh] = fingerprints_.try_emplace(&view, 0);
    if (fresh) at->second = planFingerprint(view.toSend(*fingerprints_of_->plan));
    return at->second;
}

std::vector<FieldSession::DayEntry> FieldSession::day() const {
    const auto derived = plan_->derived();
    const Plan& plan = *plan_->plan();
    std::vector<std::pair<int, const PlanView*>> views;
    for (const FlownSortiePtr& s : derived->sorties) views.emplace_back(s->sortie.number, &s->view);
    if (views.empty()) views.emplace_back(0, &derived->view);
    std::vector<DayEntry> out;
    for (const auto& [sortie, view] : views) {
        DayEntry e;
        e.sortie = sortie;
        const Seal* seal = plan.sealOf(sortie);
        if (seal == nullptr) {
            e.text = "not sent";
        } else {
            const auto time = [](double unix_s) {
                const QDateTime t = QDateTime::fromSecsSinceEpoch(static_cast<qint64>(unix_s));
                return t.toString(t.date() == QDate::currentDate() ? "HH:mm" : "d MMM HH:mm");
            };
            // While the plan is being worked out nothing is said against the seal, nor for it.
            const bool known = plan_->upToDate();
            const bool fits = !known || (view->sendable() && fingerprint(*view) == seal->fingerprint);
            const bool aboard = known && fits && link_->seal() == LinkSession::Seal::sealed &&
                                link_->sealFingerprint() == seal->fingerprint;
            e.state = !fits                    ? DayEntry::changed
                      : aboard                 ? DayEntry::aboard
                      : seal->flown_unix_s > 0 ? DayEntry::flown
                                               : DayEntry::sealed;
            e.text = (fits ? "sealed " : "changed since sealed ") + time(seal->time_unix_s);
            if (aboard) e.text += ", on the aircraft";
            if (seal->flown_unix_s > 0) e.text += ", flown " + time(seal->flown_unix_s);
        }
        out.push_back(std::move(e));
    }
    return out;
}

const Seal* FieldSession::notedSeal() const {
    return plan_->plan()->sealOf(plan_->sortie());
}

bool FieldSession::notedSealFits() const {
    const Seal* seal = notedSeal();
    const PlanView& view = plan_->flownView();
    return seal != nullptr && plan_->upToDate() && view.sendable() && fingerprint(view) == seal->fingerprint;
}

QString FieldSession::sealLine() const {
    switch (link_->seal()) {
        case LinkSession::Seal::none:
            break;
        case LinkSession::Seal::failed:
            return "not handed over";
        case LinkSession::Seal::differs:
            return "aircraft differs";
        case LinkSession::Seal::sealed:
            return sealHolds() ? "sealed " + link_->sealTime().toString("HH:mm") : "changed since sealed";
    }
    const Seal* seal = notedSeal();
    if (seal == nullptr) return "kept here, not sent";
    const QString when = QDateTime::fromSecsSinceEpoch(static_cast<qint64>(seal->time_unix_s)).toString("d MMM HH:mm");
    return notedSealFits() ? "sealed " + when + ", not checked" : "changed since " + when;
}

FieldSession::SealedFlight FieldSession::asOnScreen() const {
    const auto derived = plan_->derived();
    const int sortie = plan_->sortie();
    const PlanView& view = derived->viewOf(sortie);
    return {fingerprint(view), sortie,       link_->vehicle().system,
            derived->plan,     view.program, derived->complete ? derived->rehearsalOf(sortie) : nullptr};
}

/// What is watched is what the aircraft holds: it stays when the plan on screen goes on. After a new connection in
/// flight the record in the plan has to do until it is read back.
void FieldSession::lookAtSealed() {
    const int vehicle = link_->vehicle().system;
    if (!link_->connected() || (sealed_ && sealed_->vehicle != vehicle)) sealed_.reset();
    // While something is sent, and when nothing was, it holds what it held.
    if (!link_->connected() || link_->busy() || !link_->refusedItems().empty()) return;
    const bool now_sealed = link_->seal() == LinkSession::Seal::sealed,
               not_asked = link_->seal() == LinkSession::Seal::none;
    const Seal* noted = notedSeal();
    const bool on_record = not_asked && noted != nullptr && noted->vehicle == vehicle && notedSealFits();
    if (on_record || sealHolds()) {
        // Its rehearsal may have come later, or be of another wind now.
        const auto derived = plan_->derived();
        const bool anew = !sealed_ || sealed_->plan != derived->plan ||
                          (derived->complete && sealed_->rehearsal != derived->rehearsalOf(plan_->sortie()));
        if (!anew) return;
        SealedFlight now = asOnScreen();
        // In flight it is followed by the rehearsal it began with.
        const bool keep = sealed_ && sealed_->rehearsal && (!now.rehearsal || link_->vehicle().armed);
        if (keep && sealed_->fingerprint == now.fingerprint) now.rehearsal = sealed_->rehearsal;
        sealed_ = std::move(now);
    } else if (now_sealed ? sealed_ && sealed_->fingerprint != link_->sealFingerprint() : !not_asked) {
        sealed_.reset();
    }
}

void FieldSession::noteSeal(const HandOver& result) {
    // The plan on screen may have gone on while it was sent.
    const bool as_sent = sent_ && sent_->fingerprint == link_->sealFingerprint();
    if (as_sent) sealed_ = sent_;
    const int sortie = as_sent ? sent_->sortie : plan_->sortie();
    const bool in_parts = link_->batches() != nullptr;
    Seal seal;
    seal.sortie = sortie;
    seal.fingerprint = link_->sealFingerprint();
    seal.time_unix_s = std::floor(link_->clock().unix_s());
    seal.vehicle = link_->vehicle().system;
    seal.revision = (as_sent ? sent_->plan : plan_->plan())->revision;
    seal.mission = static_cast<int>(in_parts ? (as_sent ? sent_->program : plan_->flownView().program).entries()
                                             : result.held.route());
    seal.fence = static_cast<int>(result.held.fence());
    seal.rally = static_cast<int>(result.held.rally());
    const Seal* before = plan_->plan()->sealOf(sortie);
    // Read back once more and still the same: the time it was sealed stays.
    if (before != nullptr && before->fingerprint == seal.fingerprint && before->vehicle == seal.vehicle) return;
    plan_->record([&](std::vector<Seal>& seals) {
        std::erase_if(seals, [&](const Seal& s) { return s.sortie == sortie; });
        seals.push_back(seal);
    });
}

void FieldSession::noteStored() {
    plan_->record([this](std::vector<Seal>& seals) {
        for (Seal& s : seals)
            if (s.fingerprint == link_->sealFingerprint() && s.vehicle == link_->vehicle().system) s.stored = true;
    });
}

/// What was flown was the sealed plan: its seal says so from now on, whatever is on screen.
void FieldSession::noteFlown() {
    if (!sealed_ || link_->seal() != LinkSession::Seal::sealed) return;
    plan_->record([&](std::vector<Seal>& seals) {
        for (Seal& s : seals)
            if (s.sortie == sealed_->sortie && s.fingerprint == sealed_->fingerprint)
                s.flown_unix_s = std::floor(link_->clock().unix_s());
    });
}

std::optional<FieldSession::Change> FieldSession::findChange() const {
    const VehicleSnapshot& v = link_->vehicle();
    const PlanView& view = plan_->flownView();
    if (!link_->connected() || !v.armed || !link_->held() || !v.mission_item || !view.sendable() || sealHolds())
        return std::nullopt;
    const auto first = link_->held()->firstDifference(view.program);
    if (!first) return std::nullopt;
    return Change{*first, firstChangeable(v.mission_item, plan_->plan()->traits.change_ahead)};
}

std::vector<Finding> FieldSession::stops() const {
    const auto waits = findChange();
    std::vector<Finding> out =
        stopsBefore(*plan_->derived(), plan_->sortie(), waits ? waits->changeable : std::nullopt);
    const auto rehearsal = plan_->flownRehearsal();
    for (Finding& f : aircraftFindings(fieldInput(rehearsal.get())))
        if (f.severity == Severity::stop) out.push_back(std::move(f));
    return out;
}

std::optional<double> FieldSession::changeTime_s() const {
    const auto& waits = change_;
    if (!waits || !waits->changeable || !follower_) return std::nullopt;
    if (waits->first < *waits->changeable) return 0.0;
    // It can be sent as long as the aircraft is no further than so many entries before it.
    return follower_->until(waits->first - plan_->plan()->traits.change_ahead + 1);
}

bool FieldSession::changeTooLate() const {
    const auto& waits = change_;
    return waits && sealed_ && (!waits->changeable || waits->first < *waits->changeable);
}

void FieldSession::takeChangeBack() {
    if (sealed_) plan_->takeBack("Take the change back", *sealed_->plan);
}

Result<void> FieldSession::handOver(bool in_batches) {
    const PlanView& view = plan_->flownView();
    if (!view.sendable()) return tl::unexpected(Error{view.not_sendable});
    const Plan& plan = *plan_->plan();
    const ToSend sent = view.toSend(plan);
    if (!plan_->upToDate()) return fail("the plan is still being worked out; try again in a moment");
    if (link_->batches() != nullptr && link_->vehicle().armed)
        return fail("the plan is flown in batches: it cannot be changed in flight");
    if (const auto waits = findChange()) {
        if (!waits->changeable) return fail("this autopilot cannot be given a change in flight");
        if (waits->first < *waits->changeable) {
            const auto name = [&](int number) {
                const ItemId id = view.program.sourceAt(number);
                return id != 0 ? itemText(plan, id) : std::string("the end of the plan");
            };
            return fail("{} is flown or too near: changes can be sent from {} on. The change can be taken back",
                        name(waits->first), name(*waits->changeable));
        }
    }
    sent_ = asOnScreen();
    if (in_batches)
        return link_->handOverBatches(sent, plan.traits.item_limit, translationInput(plan, plan_->terrain()));
    link_->handOver(sent, translationInput(plan, plan_->terrain()));
    return {};
}

bool FieldSession::changeWaits() const {
    return link_->connected() && link_->vehicle().armed && link_->held() && !sealHolds() &&
           plan_->flownView().sendable() && modeKind(link_->vehicle()) != ModeKind::returnHome;
}

std::vector<FieldSession::GoOnPlace> FieldSession::goOnPlaces() const {
    std::vector<GoOnPlace> out;
    if (!link_->connected() || !link_->vehicle().heard || !sealHolds() || link_->batches() != nullptr) return out;
    const FlightProgram& program = plan_->flownView().program;
    const Plan& plan = *plan_->plan();
    ItemId last = 0, last_section = 0;
    for (std::size_t k = 0; k < program.steps.size(); ++k) {
        const ItemId id = program.steps[k].source;
        const ProgramLeg* leg = program.steps[k].leg();
        const Item* item = id == 0 || id == last || leg == nullptr || leg->on_the_way ? nullptr : plan.find(id);
        if (item == nullptr) continue;
        last = id;
        const Section* section = plan.findSection(item->section);
        const bool begins = section != nullptr && section->id != last_section;
        last_section = section != nullptr ? section->id : 0;
        if (program.numberOf(k) > 0)
            out.push_back({id, program.numberOf(k), QString::fromStdString(itemText(plan, id)),
                           begins ? QString::fromStdString(section->name) : QString()});
    }
    return out;
}

std::set<ItemId> FieldSession::frozen() const {
    std::set<ItemId> out;
    const VehicleSnapshot& v = link_->vehicle();
    const PlanView& view = plan_->flownView();
    if (!link_->connected() || !v.heard || !v.armed || !view.sendable() || !link_->held()) return out;
    const FlightProgram& program = sealed_ ? sealed_->program : view.program;
    const auto flown = link_->flownItem();
    if (!flown || *flown <= 0) return out;
    // With repeats, what was flown may be flown again: the item is frozen, not its way back.
    const auto first = firstChangeable(flown, plan_->plan()->traits.change_ahead);
    const int entries = static_cast<int>(program.entries());
    for (int number = 0; number < std::min(first.value_or(entries), entries); ++number)
        if (const ItemId id = program.sourceAt(number); id != 0) out.insert(id);
    return out;
}

void FieldSession::check() {
    const PlanView& view = plan_->flownView();
    if (view.sendable()) link_->check(view.toSend(*plan_->plan()), translationInput(*plan_->plan(), plan_->terrain()));
}

void FieldSession::setFrozen(bool frozen) {
    if (!frozen) return plan_->newRevision();
    plan_->edit("Freeze", [](Plan& p) { p.frozen = true; });
}

// ---- checklist

/// What there is to go by; pointers into the present plan, link and `rehearsal`.
FieldInput FieldSession::fieldInput(const Rehearsal* rehearsal) const {
    const Plan& plan = *plan_->plan();
    FieldInput in;
    in.plan = &plan;
    in.vehicle = link_->connected() ? &link_->vehicle() : nullptr;
    in.rehearsal = rehearsal;
    in.program = plan_->flownView().sendable() ? &plan_->flownView().program : nullptr;
    in.home_amsl_m = homeAmsl(plan, plan_->terrain().get());
    in.sealed = in.fence_sent = sealHolds();
    in.parameters = link_->parameters().empty() ? nullptr : &link_->parameters();
    if (heading_.stage() != HeadingTest::Stage::idle) in.heading_test = heading_.text();
    in.heading_test_good = heading_.good();
    in.year = 1970 + link_->clock().unix_s() / (365.2425 * 86400);
    return in;
}

void FieldSession::lookAtChecklist() {
    const Plan& plan = *plan_->plan();
    const auto rehearsal = plan_->flownRehearsal();
    const FieldInput in = fieldInput(rehearsal.get());
    // Of a plan that is still being worked out nothing is said anew.
    if (!link_->connected())
        plan_->setAircraftFindings({});
    else if (plan_->upToDate() && plan_->derived()->complete)
        plan_->setAircraftFindings(aircraftFindings(in));
    checklist_.clear();
    for (const CheckItem& item : plan.checklist) {
        ChecklistEntry entry{item, false, CheckState::unknown, "", {}, {}};
        if (const AutoCheck* check = item.automatic.empty() ? nullptr : autoCheck(item.automatic)) {
            const CheckResult r = check->look(in);
            entry.automatic = true;
            entry.state = r.state;
            entry.text = QString::fromStdString(r.text);
            entry.setting = r.setting;
            entry.take = r.take;
        } else if (item.ticked_unix_s > 0) {
            entry.state = CheckState::good;
            entry.text =
                QDateTime::fromSecsSinceEpoch(static_cast<qint64>(item.ticked_unix_s)).toString("d MMM yyyy HH:mm");
        }
        // One that cannot be known may be vouched for by hand.
        if (entry.automatic && entry.state == CheckState::unknown && item.ticked_unix_s > 0) {
            entry.state = CheckState::good;
            entry.text += ", ticked by hand";
        }
        checklist_.push_back(std::move(entry));
    }
}

void FieldSession::tick(ItemId id, bool on) {
    plan_->edit(on ? "Tick" : "Untick", [&](Plan& p) {
        for (CheckItem& c : p.checklist)
            if (c.id == id) c.ticked_unix_s = on ? std::floor(link_->clock().unix_s()) : 0;
    });
}

void FieldSession::setOnAircraft(ItemId id) {
    if (link_->vehicle().armed) return;
    for (const ChecklistEntry& e : checklist_)
        if (e.item.id == id && e.setting) return link_->setParameters({*e.setting});
}

void FieldSession::setOnAircraft(const Finding& finding) {
    if (link_->vehicle().armed) return plan_->refused("It flies: on the ground this can be set");
    const AutoCheck* check = autoCheck(finding.line);
    if (check == nullptr) return;
    const auto rehearsal = plan_->flownRehearsal();
    if (const CheckResult r = check->look(fieldInput(rehearsal.get())); r.setting) link_->setParameters({*r.setting});
}

void FieldSession::takeIntoPlan(ItemId id) {
    for (const ChecklistEntry& e : checklist_)
        if (e.item.id == id && e.take) {
            const auto take = e.take;
            (void)plan_->edit("Take from the aircraft", [&](Plan& plan) { take(plan); });
            return;
        }
}

void FieldSession::untickAll() {
    plan_->edit("Untick all", [](Plan& p) {
        for (CheckItem& c : p.checklist) c.ticked_unix_s = 0;
    });
}

QStringList FieldSession::openMusts() const {
    QStringList out;
    for (const ChecklistEntry& e : checklist_)
        if (e.item.must && e.open())
            out << QString::fromStdString(e.item.text) + (e.text.isEmpty() ? QString() : ": " + e.text);
    return out;
}

void FieldSession::beginHeadingTest() {
    const VehicleSnapshot& v = link_->vehicle();
    const GeoPoint place = v.position ? *v.position : plan_->plan()->home ? plan_->plan()->home->position : GeoPoint{};
    const double year = 1970 + link_->clock().unix_s() / (365.2425 * 86400);
    heading_.begin(magneticField(place, v.amsl_m.value_or(0), year).field_nt / 1000);
}

// ---- measured home

void FieldSession::lookAtHome() {
    const VehicleSnapshot& v = link_->vehicle();
    if (!link_->connected() || !v.home || v.armed) {
        home_moved_.reset();
        home_of_plan_.reset();
        return;
    }
    // Worked out anew only when something of it is another.
    if (home_of_plan_ == plan_->plan() && home_of_vehicle_ == v.home && home_of_vehicle_amsl_m_ == v.home_amsl_m)
        return;
    home_of_plan_ = plan_->plan();
    home_of_vehicle_ = v.home;
    home_of_vehicle_amsl_m_ = v.home_amsl_m;
    home_moved_ = homeMove(*plan_->plan(), plan_->terrain().get(), v);
    constexpr double kSame_m = 1, kSameHeight_m = 0.5;
    if (home_moved_ && home_moved_->distance_m < kSame_m && std::abs(home_moved_->higher_m.value_or(0)) < kSameHeight_m)
        home_moved_.reset();
}

void FieldSession::takeMeasuredHome() {
    const VehicleSnapshot& v = link_->vehicle();
    if (!v.home) return;
    plan_->edit("Home as the aircraft measured it", [&](Plan& p) { p = withMeasuredHome(p, v); });
}

// ---- in flight

void FieldSession::look() {
    const VehicleSnapshot& v = link_->vehicle();
    const bool heard = link_->connected() && v.heard;
    const double now_s = link_->clock().now_s();
    if (heard) {
        lookAtSealed();
        const PlanPtr watched = sealed_ ? sealed_->plan : plan_->plan();
        if (watched_plan_ != watched) {
            watched_plan_ = watched;
            alarms_.setPlan(*watched_plan_);
            alarms_.setParameters(link_->parameters());
        }
        // What is not known to be aboard says nothing about the flight.
        const auto rehearsal = sealed_ ? sealed_->rehearsal : nullptr;
        if (rehearsal != followed_ || !follower_) {
            followed_ = rehearsal;
            auto follower = std::make_unique<ProgressFollower>(rehearsal ? rehearsal->log : nullptr,
                                                               rehearsal ? rehearsal->endless : std::nullopt);
            if (follower_) follower->goOnFrom(*follower_);
            follower_ = std::move(follower);
        }
        VehicleSnapshot seen = v;
        seen.mission_item = link_->flownItem();
        progress_ = follower_->follow(seen);
        heading_.look(v, now_s);
        alarms_.setRecordingProblem(link_->recordProblem().toStdString());
        const bool different = alarms_.watch(v, progress_, now_s);
        for (const Alarm& a : alarms_.takeRaised()) {
            link_->mark("alarm " + QString::fromStdString(a.text));
            emit raised(QString::fromStdString(a.text), a.level);
        }
        if (different) emit alarmsChanged();
        for (const SpokenText& t : *v.texts) {
            if (t.number <= texts_heard_) continue;
            texts_heard_ = t.number;
            emit spoken(QString::fromStdString(t.text), t.severity);
        }
        flew_ = flew_ || (v.armed && v.height_home_m.value_or(0) > 2);
        if (was_armed_ && !v.armed && flew_) {
            landed_ = true;
            flew_ = false;
            noteFlown();
            emit hasLanded();
        }
        if (v.armed) landed_ = false;
        was_armed_ = v.armed;
    } else {
        lookAtSealed();
        progress_.reset();
        texts_heard_ = 0;
        if (!alarms_.alarms().empty()) {
            alarms_.clear();
            emit alarmsChanged();
        }
        was_armed_ = flew_ = false;
    }
    change_ = findChange();
    plan_->setFrozen(frozen());
    lookAtHome();
    lookAtChecklist();
    emit changed();
}

void FieldSession::putLandedAway() {
    landed_ = false;
    emit changed();
}

QString FieldSession::landedText() const {
    const VehicleSnapshot& v = link_->vehicle();
    const auto r = sealed_ ? sealed_->rehearsal : nullptr;
    QString text = "Landed";
    if (v.armed_at_s && v.disarmed_at_s)
        text += " after " + QString::fromStdString(durationText(*v.disarmed_at_s - *v.armed_at_s));
    if (r && r->photos > 0)
        text += QString(": %1 photos, %2 planned").arg(v.photos).arg(r->photos);
    else if (v.photos > 0)
        text += QString(": %1 photos").arg(v.photos);
    if (v.battery_percent) {
        text += QString(", battery %1 %").arg(*v.battery_percent, 0, 'f', 0);
        if (r) text += QString(" (rehearsed %1 %)").arg(r->energy_left_percent, 0, 'f', 0);
    }
    return text;
}

void FieldSession::acknowledge(const std::string& id) {
    alarms_.acknowledge(id);
    emit alarmsChanged();
}

void FieldSession::mark(const QString& note) {
    link_->mark(note);
}

}  // namespace anhinga
