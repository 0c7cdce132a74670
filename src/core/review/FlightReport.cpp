#include "core/review/FlightReport.h"

#include "core/base/Text.h"
#include "core/plan/Plan.h"

namespace anhinga {

namespace {
/// A table of two columns.
class Figures {
  public:
    void add(const std::string& name, const std::string& value) {
        rows_ += fmt::format("<tr><th>{}</th><td>{}</td></tr>\n", escaped(name), escaped(value));
    }
    std::string html() const { return "<table>\n" + rows_ + "</table>\n"; }

  private:
    std::string rows_;
};

std::string beside(const std::optional<double>& planned, const std::string& unit, const std::optional<double>& flown,
                   int decimals) {
    const auto text = [&](const std::optional<double>& v) {
        return v ? fmt::format("{:.{}f} {}", *v, decimals, unit) : std::string("unknown");
    };
    return text(planned) + " planned, " + text(flown) + " flown";
}

std::string flightPart(const ReportInput& in) {
    const FlightLog& log = *in.log;
    Figures f;
    f.add("Log", in.file.empty() ? "not a file" : in.file);
    if (!in.sha256.empty()) f.add("SHA-256", in.sha256);
    f.add("Kind", log.format);
    if (!log.vehicle.empty()) f.add("Aircraft", log.vehicle);
    f.add("Begun", log.start_unix_s > 0 ? isoUtc(log.start_unix_s) : "the log does not say");
    for (std::size_t i = 0; i < log.sessions.size(); ++i) {
        const LogSession& s = log.sessions[i];
        f.add(log.sessions.size() == 1 ? "Flight" : fmt::format("Flight {}", i + 1),
              fmt::format("{}, {}, top {:.0f} m above home, armed {}", durationText(s.to_s - s.from_s),
                          distanceText(s.distance_m), s.max_height_home_m, durationText(s.armed_s)));
    }
    if (log.damaged_bytes > 0) f.add("Damaged", fmt::format("{} bytes passed over", log.damaged_bytes));
    return "<h2>Flight</h2>\n" + f.html();
}

std::string comparisonPart(const ReportInput& in) {
    std::string out = "<h2>Planned against flown</h2>\n";
    if (in.flown == nullptr)
        return out + fmt::format("<p>Not compared: {}.</p>\n",
                                 escaped(in.not_compared.empty() ? "no plan is known" : in.not_compared));
    const PlannedFlown& c = *in.flown;
    Figures f;
    const auto meanAndMost = [](std::optional<double> mean, std::optional<double> most) {
        return mean && most ? fmt::format("mean {:.1f} m, largest {:.1f} m", *mean, *most) : std::string("not known");
    };
    if (!in.against.empty()) f.add("Held against", in.against);
    f.add("Beside the line", meanAndMost(c.cross_mean_m, c.cross_max_m));
    f.add("Height error", meanAndMost(c.height_mean_m, c.height_max_m));
    f.add("Time", beside(in.planned_s, "s", c.flown_s, 0));
    f.add("Photos",
          beside(in.planned_photos ? std::optional<double>(*in.planned_photos) : std::nullopt, "", c.photos_flown, 0));
    f.add("Energy", beside(in.planned_wh, "Wh", c.energy_wh, 1));
    return out + f.html();
}

std::string healthPart(const std::vector<Answer>& answers) {
    if (answers.empty()) return "";
    std::string out = "<h2>Health report</h2>\n<table>\n<tr><th>Question</th><th>Verdict</th><th>Evidence</th></tr>\n";
    for (const Answer& a : answers) {
        std::string words = escaped(a.evidence);
        const auto add = [&](const char* head, const std::string& text) {
            if (!text.empty()) words += fmt::format("<br><i>{}</i> {}", head, escaped(text));
        };
        for (const std::string& r : a.ruled_out) add("ruled out:", r);
        for (const std::string& r : a.held_back) add("but:", r);
        add("try:", a.advice);
        add("next flight:", a.next_flight);
        out += fmt::format("<tr><td>{}</td><td>{}</td><td>{}</td></tr>\n", escaped(a.question), verdictText(a.verdict),
                           words);
    }
    return out + "</table>\n";
}

std::string checklistPart(const Plan& plan) {
    if (plan.checklist.empty()) return "<h2>Checklist</h2>\n<p>The plan has none.</p>\n";
    std::string out = "<h2>Checklist</h2>\n<table>\n<tr><th>Item</th><th>Must</th><th>Ticked</th></tr>\n";
    for (const CheckItem& c : plan.checklist)
        out += fmt::format("<tr><td>{}</td><td>{}</td><td>{}</td></tr>\n", escaped(c.text), c.must ? "must" : "",
                           c.ticked_unix_s > 0    ? isoUtc(c.ticked_unix_s)
                           : !c.automatic.empty() ? "looks for itself"
                                                  : "not ticked");
    return out + "</table>\n";
}

std::string planPart(const Plan& plan) {
    Figures f;
    f.add("Title", plan.title);
    f.add("Revision", fmt::format("{}{}", plan.revision, plan.frozen ? ", frozen" : ""));
    if (!plan.notes.empty()) f.add("Notes", plan.notes);
    for (const Seal& s : plan.seals)
        f.add(s.sortie == 0 ? "Sealed" : fmt::format("Sortie {} sealed", s.sortie),
              fmt::format("{}, vehicle {}, revision {}, fingerprint {:016x}{}{}", isoUtc(s.time_unix_s), s.vehicle,
                          s.revision, s.fingerprint, s.stored ? ", stored for power-off" : "",
                          s.flown_unix_s > 0 ? ", flown until " + isoUtc(s.flown_unix_s) : ""));
    return "<h2>Plan</h2>\n" + f.html();
}

std::string eventsPart(const FlightLog& log) {
    std::string rows;
    for (const LogEvent& e : log.events)
        if (e.kind != "photo" && e.kind != "item")
            rows += fmt::format("<tr><td>{}</td><td>{}</td><td>{}</td></tr>\n",
                                durationText(std::max(0.0, e.t_s - log.zero())), escaped(e.kind), escaped(e.text));
    for (const ModeChange& m : log.modes)
        rows += fmt::format("<tr><td>{}</td><td>mode</td><td>{}</td></tr>\n",
                            durationText(std::max(0.0, m.t_s - log.zero())), escaped(m.name));
    if (rows.empty()) return "<h2>Events</h2>\n<p>None in this log.</p>\n";
    return "<h2>Events</h2>\n<table>\n<tr><th>After</th><th>What</th><th>Text</th></tr>\n" + rows + "</table>\n";
}
}  // namespace

std::string base64(std::string_view bytes) {
    constexpr const char* kDigits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t v = 0;
        for (std::size_t k = 0; k < 3; ++k)
            v = v << 8 | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
        for (std::size_t k = 0; k < 4; ++k) out += i + k > bytes.size() ? '=' : kDigits[v >> (18 - 6 * k) & 63];
    }
    return out;
}

std::string escaped(std::string_view text) {
    std::string out;
    for (const char c : text) switch (c) {
            case '&':
                out += "&amp;";
                break;
            case '<':
                out += "&lt;";
                break;
            case '>':
                out += "&gt;";
                break;
            case '"':
                out += "&quot;";
                break;
            case '\n':
                out += "<br>";
                break;
            default:
                out += c;
        }
    return out;
}

std::string flightReport(const ReportInput& in) {
    const std::string title = in.plan != nullptr && !in.plan->title.empty() ? in.plan->title : "Flight";
    std::string out = fmt::format(
        "<!DOCTYPE html>\n<html><head><meta charset=\"utf-8\"><title>{} - flight report</title>\n"
        "<style>body{{font-family:sans-serif;font-size:10pt;margin:16mm}} table{{border-collapse:collapse;margin:4px "
        "0}} "
        "th,td{{border:1px solid #999;padding:3px 8px;text-align:left;vertical-align:top}} h1{{font-size:16pt}} "
        "h2{{font-size:12pt;margin-top:14px}}</style></head>\n<body>\n<h1>{}: flight report</h1>\n",
        escaped(title), escaped(title));
    if (!in.map_png.empty())
        out += "<p><img src=\"data:image/png;base64," + base64(in.map_png) + "\" width=\"620\"></p>\n";
    out += flightPart(in);
    out += comparisonPart(in) + healthPart(in.health);
    if (in.plan != nullptr) out += planPart(*in.plan) + checklistPart(*in.plan);
    out += eventsPart(*in.log);
    return out + "</body></html>\n";
}

}  // namespace anhinga
