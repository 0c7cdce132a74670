#include "core/review/PresencePage.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/review/FlightReport.h"

namespace anhinga {

namespace {
std::string when(const PresenceFlight& f, double t_s) {
    return f.start_unix_s > 0 ? isoUtc(f.start_unix_s + t_s)
                              : durationText(std::max(0.0, t_s - f.first_s)) + " after the beginning";
}
}  // namespace

std::string presenceSummary(const PresencePageInput& in) {
    int entered = 0, unknown = 0, failed = 0;
    double nearest = INFINITY;
    for (const PresenceFlight& f : in.flights) {
        if (!f.presence) {
            ++failed;
            continue;
        }
        entered += f.presence->entered;
        unknown += !f.presence->unknown.empty();
        nearest = std::min(nearest, f.presence->entered ? 0.0 : f.presence->nearest_m);
    }
    std::string out;
    if (in.flights.empty()) return "No flight to look at.";
    if (entered > 0)
        out =
            fmt::format("Entered in {} of {} flight{}.", entered, in.flights.size(), in.flights.size() > 1 ? "s" : "");
    else if (std::isfinite(nearest))
        out = fmt::format("Not entered by the positions of {} flight{}; nearest {:.0f} m.",
                          in.flights.size() - static_cast<std::size_t>(failed), in.flights.size() > 1 ? "s" : "",
                          nearest);
    else
        out = "Not known: no flight has positions.";
    if (unknown > 0) out += fmt::format(" In {} of them stretches without positions leave room for it.", unknown);
    if (failed > 0) out += fmt::format(" {} could not be judged.", failed);
    return out;
}

std::string presencePage(const PresencePageInput& in) {
    std::string out =
        "<!DOCTYPE html>\n<html><head><meta charset=\"utf-8\"><title>Presence</title>\n"
        "<style>body{font-family:sans-serif;font-size:10pt;margin:16mm} table{border-collapse:collapse;margin:4px 0} "
        "th,td{border:1px solid #999;padding:3px 8px;text-align:left;vertical-align:top} h1{font-size:16pt} "
        "h2{font-size:12pt;margin-top:14px}</style></head>\n<body>\n<h1>Presence</h1>\n";
    out += fmt::format("<p><b>{}</b></p>\n<p>{}</p>\n", escaped(in.place), escaped(presenceSummary(in)));
    if (!in.map_png.empty())
        out += "<p><img src=\"data:image/png;base64," + base64(in.map_png) + "\" width=\"640\"></p>\n";
    for (const PresenceFlight& f : in.flights) {
        out += fmt::format("<h2>{}</h2>\n<table>\n", escaped(f.file));
        const auto row = [&](const char* head, const std::string& text) {
            if (!text.empty()) out += fmt::format("<tr><th>{}</th><td>{}</td></tr>\n", head, escaped(text));
        };
        row("Source", f.format);
        row("Aircraft", f.vehicle);
        row("Begun", f.start_unix_s > 0 ? isoUtc(f.start_unix_s) : "the log does not say");
        row("SHA-256 of the file", f.sha256);
        if (!f.presence) {
            row("Judged", "no: " + f.failed);
            out += "</table>\n";
            continue;
        }
        const Presence& p = *f.presence;
        row("Entered", p.entered ? fmt::format("yes, {} in all", durationText(p.inside_s)) : "no");
        for (const PresenceVisit& v : p.visits)
            row("Inside", fmt::format("{}{} to {}{}, {}; {:.0f} to {:.0f} m above home", v.from_begin ? "before " : "",
                                      when(f, v.enter_s), when(f, v.leave_s), v.to_end ? " or later" : "",
                                      durationText(v.leave_s - v.enter_s), v.lowest_m, v.highest_m));
        if (!p.entered)
            row("Nearest",
                fmt::format("{:.1f} m, {}{}", p.nearest_m, when(f, p.nearest_t_s),
                            p.height_home_m ? fmt::format(", {:.0f} m above home then", *p.height_home_m) : ""));
        row("A position every", fmt::format("{:.2f} s", p.position_every_s));
        for (const PresenceGap& g : p.unknown)
            row("Not known", fmt::format("{} to {}: nothing was recorded for so long that it could have been there",
                                         when(f, g.from_s), when(f, g.to_s)));
        out += "</table>\n";
    }
    out += fmt::format(
        "<p>Made {}. Positions are the ones the logs hold; what a log says is as true as its GPS. The files were not "
        "changed; a fingerprint tells whether a file is the one that was judged.</p>\n</body></html>\n",
        isoUtc(in.made_unix_s));
    return out;
}

}  // namespace anhinga
