// Calls that talk to a vehicle: send, fetch, fly.
#include <thread>

#include <termios.h>
#include <unistd.h>

#include <cmath>
#include <iostream>
#include <limits>

#include "cli/Common.h"
#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/link/Commands.h"
#include "core/link/Ftp.h"
#include "core/link/LogFetch.h"
#include "core/link/MissionTransfer.h"
#include "core/link/Parameters.h"

namespace anhinga {

namespace {

CliResult linkFailed(const std::string& what) {
    return {3, Json::object(), "", what};
}

/// The first line of a file that is for its owner's eyes alone, or of what is typed unseen.
Result<std::string> passphraseOf(const std::string& file) {
    std::string line;
    if (file == "-") {
        termios before{};
        const bool typed = ::isatty(STDIN_FILENO) != 0 && ::tcgetattr(STDIN_FILENO, &before) == 0;
        if (typed) {
            std::fputs("passphrase: ", stderr);
            termios unseen = before;
            unseen.c_lflag &= ~static_cast<tcflag_t>(ECHO);
            ::tcsetattr(STDIN_FILENO, TCSANOW, &unseen);
        }
        std::getline(std::cin, line);
        if (typed) {
            ::tcsetattr(STDIN_FILENO, TCSANOW, &before);
            std::fputs("\n", stderr);
        }
    } else {
        const auto text = readFile(file, 65536);
        if (!text) return tl::unexpected(text.error());
        line = text->substr(0, text->find('\n'));
    }
    if (!line.empty() && line.back() == '\r') line.pop_back();
    if (line.empty()) return fail("{}: holds no passphrase", file);
    return line;
}

/// Opens the link and waits for a heartbeat; on failure `failed` holds the answer.
std::unique_ptr<VehicleLink> connect(const CliArguments& a, CliResult& failed) {
    if (const auto address = parseLinkAddress(a.link); !address) {
        failed = unusable(address.error());
        return nullptr;
    }
    VehicleLink::Options options;
    options.record_path = a.record;
    if (!a.sign_file.empty()) {
        const auto passphrase = passphraseOf(a.sign_file);
        if (!passphrase) {
            failed = unusable(passphrase.error());
            return nullptr;
        }
        options.key = mavlink::signingKey(*passphrase);
    }
    auto link = VehicleLink::open(a.link, options);
    if (!link) {
        failed = linkFailed(link.error().message);
        return nullptr;
    }
    if (!(*link)->waitForVehicle(10)) {
        failed = linkFailed(a.link + ": no vehicle heard within 10 s");
        return nullptr;
    }
    return std::move(*link);
}

Json countsOf(const HeldPlan& held) {
    return {{"mission", held.route()}, {"fence", held.fence()}, {"rally", held.rally()}};
}

/// Exit code 4: nothing was sent, and why, all of it.
CliResult refusedAnswer(const std::vector<std::pair<std::string, std::string>>& reasons) {
    CliResult out;
    Json refused = Json::array();
    for (const auto& [item, reason] : reasons) {
        refused.push_back({{"item", item}, {"reason", reason}});
        out.error += fmt::format("{}{}: {}", out.error.empty() ? "" : "\n", item, reason);
    }
    out.json = {{"refused", refused}};
    out.code = 4;
    return out;
}

/// Stop findings, unless they are accepted.
std::vector<std::pair<std::string, std::string>> stopsOf(const CliArguments& a, const LoadedPlan& loaded) {
    std::vector<std::pair<std::string, std::string>> out;
    if (a.accept_stops) return out;
    for (const Finding& f : stopsBefore(completed(loaded.analysis), loaded.sortie))
        out.emplace_back(f.item == 0 ? "plan" : itemText(loaded.plan(), f.item), f.message);
    return out;
}

TranslationInput toTranslate(const CliArguments& a, const LoadedPlan& loaded) {
    TranslationInput in = translationInput(loaded.plan(), loaded.terrain());
    if (a.accept_stops) in.planned_for.reset();
    return in;
}

CliResult handOverAnswer(const HandOver& h, const LoadedPlan& loaded) {
    if (!h.refused.empty()) {
        std::vector<std::pair<std::string, std::string>> reasons;
        for (const Unsaid& u : h.refused) {
            const bool of_item = loaded.view().program.at(u.seq) != nullptr;
            std::pair reason(of_item ? itemText(loaded.plan(), loaded.view().program.sourceAt(u.seq)) : "plan",
                             u.reason);
            // A pattern says the same at each of its photos.
            if (std::find(reasons.begin(), reasons.end(), reason) == reasons.end())
                reasons.push_back(std::move(reason));
        }
        return refusedAnswer(reasons);
    }
    CliResult out;
    Json differences = Json::array(), kept = Json::array();
    for (const KeptField& k : h.kept) {
        kept.push_back({{"type", k.type},
                        {"seq", k.seq},
                        {"field", k.field},
                        {"plan", k.plan},
                        {"vehicle", k.vehicle},
                        {"why", k.why}});
        out.text += fmt::format("{} item {} {}: {} kept as {}, {}\n", k.type, k.seq, k.field, k.plan, k.vehicle, k.why);
    }
    for (const MissionDifference& d : h.differences) {
        differences.push_back(
            {{"type", d.type}, {"seq", d.seq}, {"field", d.field}, {"plan", d.plan}, {"vehicle", d.vehicle}});
        out.text += fmt::format("{} item {} {}: plan {}, vehicle {}\n", d.type, d.seq, d.field, d.plan, d.vehicle);
    }
    out.json = {{"sent", countsOf(h.held)},
                {"verified", h.verified},
                {"dialect", h.dialect},
                {"kept", kept},
                {"differences", differences}};
    if (!h.objection.empty()) {
        out.json["objection"] = h.objection;
        out.text += fmt::format("the aircraft took it and then found it not valid: {}\n", h.objection);
    }
    out.text += fmt::format(
        "{}: {} mission, {} fence and {} rally items read back: {}", h.dialect, h.held.route(), h.held.fence(),
        h.held.rally(),
        h.verified ? fmt::format("verified, agrees in meaning, seal {:016x}", h.fingerprint) : "NOT as sent");
    out.code = h.verified ? 0 : 1;
    return out;
}

}  // namespace

CliResult cliSend(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    if (const auto stops = stopsOf(a, *loaded); !stops.empty()) return refusedAnswer(stops);
    if (!loaded->view().sendable()) return unusable({a.plan + ": " + loaded->view().not_sendable});
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    const auto h = handOver(*link, loaded->view().toSend(loaded->plan()), {}, nullptr, toTranslate(a, *loaded));
    if (!h) return linkFailed(h.error().message);
    CliResult out = handOverAnswer(*h, *loaded);
    if (a.store_aboard && h->verified) {
        const auto stored = commandStoreMission(*link);
        out.json["stored"] = stored.has_value();
        out.text += stored ? "\nstored for power-off, says the aircraft" : "\nnot stored: " + stored.error().message;
        if (!stored) out.code = 1;
    }
    return out;
}

CliResult cliFetch(const CliArguments& a) {
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    const auto held = readHeld(*link);
    if (!held) return linkFailed(held.error().message);
    Plan base;
    base.title = "Fetched from the aircraft";
    const auto back = held->plan(base);
    if (!back) return linkFailed(back.error().message);
    if (const auto ok = savePlan(back->plan, a.out); !ok) return unusable(ok.error());
    CliResult out;
    out.json = {{"items", countsOf(*held)}, {"notes", back->notes}};
    out.text = fmt::format("{} mission, {} fence and {} rally items into {}", held->route(), held->fence(),
                           held->rally(), a.out);
    for (const std::string& note : back->notes) out.text += "\n" + note;
    return out;
}

CliResult cliParams(const CliArguments& a) {
    std::vector<std::pair<std::string, double>> wanted;
    for (const std::string& text : a.sets) {
        const auto equals = text.find('=');
        const auto value = equals == std::string::npos ? std::nullopt : parseNumber(text.substr(equals + 1));
        if (!value) return unusable({"--set " + text + ": expected NAME=VALUE"});
        if (std::abs(*value) > static_cast<double>(std::numeric_limits<float>::max()))
            return unusable({"--set " + text + ": no parameter can hold that"});
        wanted.emplace_back(text.substr(0, equals), *value);
    }
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    auto set = readParameters(*link);
    if (!set) return linkFailed(set.error().message);
    CliResult out;
    for (const auto& [name, value] : wanted) {
        const auto at = set->find(name);
        if (at == set->end()) return unusable({name + ": the aircraft has no such parameter"});
        const auto held = setParameter(*link, name, {value, at->second.type});
        if (held) {
            at->second = *held;
            continue;
        }
        // Answered, but not as told: that is a no; no answer is a failure of the link.
        if (held.error().code != ErrorCode::differs) return linkFailed(held.error().message);
        out.error = held.error().message;
        out.code = 1;
    }
    if (!a.out.empty()) {
        const std::string text = writeParameters(
            *set, fmt::format("parameters of vehicle {}, read {}", link->snapshot().system, isoUtc(unixNow())));
        if (const auto ok = writeFileAtomic(a.out, text); !ok) return unusable(ok.error());
    }
    Json params = Json::object();
    for (const auto& [name, p] : *set) {
        params[name] = p.value;
        out.text += fmt::format("{} {}\n", name, parameterText(p.value));
    }
    out.json = {{"params", params}};
    return out;
}

CliResult cliLogs(const CliArguments& a) {
    if (a.get_log >= 0 && a.out.empty()) return unusable({"--get needs --out FILE"});
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    const auto logs = listLogs(*link);
    if (!logs) return linkFailed(logs.error().message);
    CliResult out;
    Json list = Json::array();
    const OnboardLog* wanted = nullptr;
    for (const OnboardLog& log : *logs) {
        const std::string time = log.time_unix_s > 0 ? isoUtc(log.time_unix_s) : "";
        list.push_back({{"id", log.id}, {"bytes", log.bytes}, {"time_utc", time}});
        out.text += fmt::format("{:4} {:10} bytes  {}\n", log.id, log.bytes, time);
        if (log.id == a.get_log) wanted = &log;
    }
    out.json = {{"logs", list}};
    if (a.get_log < 0) return out;
    if (wanted == nullptr) return unusable({fmt::format("there is no log {} aboard", a.get_log)});
    TransferOptions patient;
    patient.silence_s = 60;
    Result<Fetched> got = tl::unexpected(Error{"not tried"});
    if (a.over_ftp) {
        // The files stand in the order of the log numbers.
        const auto files = ftpList(*link, "/logs");
        if (!files) return linkFailed(files.error().message);
        const auto index = static_cast<std::size_t>(wanted - logs->data());
        if (index >= files->size()) return linkFailed("the aircraft offers no such file");
        got = ftpFetch(*link, "/logs/" + (*files)[index].name, a.out, patient);
    } else {
        got = fetchLog(*link, *wanted, a.out, patient);
    }
    if (!got) return linkFailed(got.error().message);
    out.json["bytes"] = got->bytes;
    out.json["seconds"] = got->seconds;
    out.text += fmt::format("log {}: {} bytes in {:.1f} s into {}", a.get_log, got->bytes, got->seconds, a.out);
    return out;
}

CliResult cliFly(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    if (const auto stops = stopsOf(a, *loaded); !stops.empty()) return refusedAnswer(stops);
    if (!loaded->view().sendable()) return unusable({a.plan + ": " + loaded->view().not_sendable});
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    const auto h = handOver(*link, loaded->view().toSend(loaded->plan()), {}, nullptr, toTranslate(a, *loaded));
    if (!h) return linkFailed(h.error().message);
    if (!h->verified) return handOverAnswer(*h, *loaded);
    if (const auto ok = commandArm(*link); !ok) return linkFailed(ok.error().message);
    if (const auto ok = commandStart(*link); !ok) return linkFailed(ok.error().message);
    const double start = monotonicMs();
    bool landed = false, seen_armed = false, paused = false, resumed = false, returned = false;
    Json modes = Json::array();
    std::optional<std::uint32_t> last_mode;
    while (monotonicMs() - start < a.timeout_s * 1000) {
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
        const VehicleSnapshot v = link->snapshot();
        const double t_s = (monotonicMs() - start) / 1000;
        if (v.heartbeat_age_s > 15) return linkFailed("the vehicle has been silent for 15 s in flight");
        if (last_mode != v.custom_mode) {
            last_mode = v.custom_mode;
            modes.push_back({{"t_s", t_s}, {"name", modeInterfaceName(modeName(v))}});
        }
        seen_armed |= v.armed;
        if (seen_armed && !v.armed) {
            landed = true;
            break;
        }
        const auto order = [&](bool& done, bool due, Result<void> (*tell)(VehicleLink&, std::stop_token)) {
            if (done || !due) return Result<void>{};
            done = true;
            return tell(*link, {});
        };
        for (const auto& ok : {order(paused, a.pause_at_s >= 0 && t_s >= a.pause_at_s, commandPause),
                               order(resumed, paused && t_s >= a.pause_at_s + a.resume_after_s, commandResume),
                               order(returned, a.return_at_s >= 0 && t_s >= a.return_at_s, commandReturn)})
            if (!ok) return linkFailed(ok.error().message);
    }
    const VehicleSnapshot v = link->snapshot();
    const double now_s = v.boot_s.value_or(0);
    const double flown = v.disarmed_at_s.value_or(now_s) - v.armed_at_s.value_or(now_s);
    double distance = 0;
    for (std::size_t i = 1; i < v.track->size(); ++i)
        distance += distance_m((*v.track)[i - 1].place, (*v.track)[i].place);
    CliResult out;
    out.json = {{"landed", landed},       {"duration_s", flown},
                {"distance_m", distance}, {"items_reached", v.reached->size()},
                {"photos", v.photos},     {"modes", modes}};
    out.text = fmt::format("{} after {}, {}, {} items reached, {} photos", landed ? "landed" : "still flying",
                           durationText(flown), distanceText(distance), v.reached->size(), v.photos);
    if (const std::string wrong = link->recordError(); !wrong.empty()) return linkFailed(wrong);
    out.code = landed ? 0 : 1;
    return out;
}

namespace {

using Order = std::function<Result<void>(VehicleLink&)>;

/// "hold", "height=60", "goto=47.3,-20.1,60" as something to do; an error says what was expected.
Result<Order> orderOf(const std::string& text) {
    const auto equals = text.find('=');
    const std::string name = text.substr(0, equals);
    std::vector<double> n;
    for (std::size_t at = equals; at != std::string::npos && at < text.size();) {
        const std::size_t end = text.find(',', at + 1);
        const auto value = parseNumber(text.substr(at + 1, end == std::string::npos ? end : end - at - 1));
        if (!value) return fail("--do {}: a number was expected after {}", text, text.substr(0, at + 1));
        n.push_back(*value);
        at = end;
    }
    const auto plain = [&](Result<void> (*tell)(VehicleLink&, std::stop_token)) -> Result<Order> {
        if (!n.empty()) return fail("--do {}: takes no number", text);
        return [tell](VehicleLink& l) { return tell(l, {}); };
    };
    if (name == "hold") return plain(commandPause);
    if (name == "resume") return plain(commandResume);
    if (name == "return") return plain(commandReturn);
    if (name == "land") return plain(commandLand);
    if (name == "height" && n.size() == 1 && n[0] >= 0 && n[0] <= 10000)
        return [h = n[0]](VehicleLink& l) { return commandHeight(l, h); };
    if (name == "speed" && n.size() == 1 && n[0] > 0 && n[0] <= 150)
        return [v = n[0]](VehicleLink& l) { return commandSpeed(l, v); };
    if (name == "goto" && n.size() == 3 && isValid({n[0], n[1]}) && n[2] >= 0 && n[2] <= 10000)
        return [n](VehicleLink& l) { return commandGoTo(l, {n[0], n[1]}, n[2]); };
    return fail("--do {}: expected hold, resume, return, land, height=M, speed=MPS or goto=LAT,LON,M", text);
}

}  // namespace

CliResult cliOrders(const CliArguments& a) {
    std::vector<Order> orders;
    for (const std::string& text : a.orders) {
        auto order = orderOf(text);
        if (!order) return unusable(order.error());
        orders.push_back(std::move(*order));
    }
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    CliResult out;
    Json done = Json::array();
    for (std::size_t i = 0; i < orders.size(); ++i) {
        link->setTold("");
        const auto ok = orders[i](*link);
        const std::string how = link->told(), reason = ok ? "" : ok.error().message;
        done.push_back({{"order", a.orders[i]}, {"accepted", ok.has_value()}, {"how", how}, {"reason", reason}});
        out.text += fmt::format("{}{}: {}\n", a.orders[i], how.empty() ? "" : " by " + how, ok ? "accepted" : reason);
        if (!ok) out.code = ok.error().code == ErrorCode::silent ? 3 : std::max(out.code, 1);
    }
    out.json = {{"done", done}};
    return out;
}

}  // namespace anhinga
