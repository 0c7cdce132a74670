#include "core/exchange/CarryOver.h"

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/exchange/Import.h"

namespace anhinga {

namespace {

constexpr double kPlace_m = 0.2, kHeight_m = 0.1;

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '<')
            out += "&lt;";
        else if (c == '>')
            out += "&gt;";
        else if (c == '&')
            out += "&amp;";
        else
            out += c;
    }
    return out;
}

struct Found {
    GeoPoint place;
    std::optional<double> amsl_m;
};

/// Every point of the file with its height AMSL, where the file gives one.
std::vector<Found> pointsIn(const ImportedFile& file, std::optional<double> home_amsl) {
    std::vector<Found> out;
    for (const ImportedShape& s : file.shapes)
        for (std::size_t i = 0; i < s.points.size(); ++i) {
            std::optional<double> amsl;
            if (i < s.heights.size() && s.heights[i]) {
                if (s.heights[i]->ref == HeightRef::amsl) amsl = s.heights[i]->value_m;
                if (s.heights[i]->ref == HeightRef::home && home_amsl) amsl = *home_amsl + s.heights[i]->value_m;
            }
            out.push_back({s.points[i], amsl});
        }
    return out;
}

}  // namespace

std::string carryOverSheet(const Plan& plan, const Path& path, const std::string& file) {
    const auto row = [](const std::string& what, const std::string& value) {
        return fmt::format("<tr><th>{}</th><td>{}</td></tr>\n", escaped(what), escaped(value));
    };
    const auto metres = [](std::optional<double> m) {
        return m ? fmt::format("{:.1f} m", *m) : std::string("unknown");
    };
    std::string out =
        "<!DOCTYPE html><html><head><meta charset=\"utf-8\"><title>Carry-over sheet</title><style>body{font:11pt "
        "sans-serif;margin:18mm}table{border-collapse:collapse;width:100%}th{text-align:left;font-weight:normal;color:#"
        "444;"
        "width:38%}td,th{border-bottom:1px solid #bbb;padding:2px 6px;vertical-align:top}.n td,.n "
        "th{font-size:9pt;width:auto}"
        "</style></head><body>\n";
    out += fmt::format(
        "<h1>{}</h1><p>Carry-over sheet for <b>{}</b>, written {}. The file holds places and heights; what "
        "stands here must be set on the aircraft by hand and compared there.</p>\n<table>\n",
        escaped(plan.title), escaped(file.substr(file.rfind('/') + 1)), isoUtc(unixNow()));
    const std::optional<double> home = plan.home ? plan.home->amsl_m : std::nullopt;
    out += row("Heights in the file", "metres above mean sea level (AMSL), for every point");
    out += row("Home", plan.home ? fmt::format("{:.7f}, {:.7f}; ground {}", plan.home->position.lat_deg,
                                               plan.home->position.lon_deg, metres(home) + " AMSL")
                                 : "not set");
    out += row("To set a height above the take-off point",
               home ? fmt::format("subtract {:.1f} m from the height in the file", *home)
                    : "home's height is unknown: it cannot be worked out here");
    out += row("Angles", "headings clockwise from true north, 0 to 360 degrees; camera pitch -90 is straight down");
    out += row("Speed", fmt::format("{:.1f} m/s over ground unless a point says otherwise", plan.defaults.speed_mps));
    out += row("Counts as reached within", fmt::format("{:.1f} m", plan.defaults.acceptance_m));
    out += row("At the end",
               endsOpen(plan) ? plan.at_end == AtEnd::unsaid ? "not chosen: it stays in the air" : endText(plan.at_end)
                              : "as the last item says");
    out += row("When the link is lost", actionText(plan.lost_link));
    out += row("At low battery",
               fmt::format("{} at {:.0f} %", actionText(plan.low_battery), plan.vehicle.reserve_percent));
    out += row("Return height", fmt::format("{:.0f} m above home", plan.return_height_m));
    out += row(
        "Highest and lowest height allowed",
        fmt::format("{} and {} above home", plan.ceiling_m ? fmt::format("{:.0f} m", *plan.ceiling_m) : "no ceiling",
                    plan.floor_m ? fmt::format("{:.0f} m", *plan.floor_m) : "no floor"));
    out += row("Fences", fmt::format("{} in the plan; they must be set on the aircraft by hand", plan.fences.size()));
    bool by_distance = false, by_time = false, repeats = false, look_at = false;
    for (const Item& item : plan.items) {
        if (isPattern(item.kind)) {
            by_distance = by_distance || (item.pattern->takesPhotos() && item.pattern->when == PhotoWhen::distance);
            by_time = by_time || (item.pattern->takesPhotos() && item.pattern->when == PhotoWhen::time);
        }
        for (const Action& a : item.actions) {
            repeats = repeats || std::holds_alternative<Repeat>(a);
            look_at = look_at || std::holds_alternative<LookAt>(a);
            if (const auto* every = std::get_if<PhotoEvery>(&a)) by_distance = by_distance || every->distance_m > 0;
            by_time = by_time || std::holds_alternative<PhotoInterval>(a);
        }
    }
    out += row("Photos", by_distance ? "by distance flown: see the plan for the spacing"
                         : by_time   ? "by time: see the plan for the interval"
                                     : "none planned, or at single points");
    out += row("Repeats", repeats
                              ? "the plan repeats items; the file holds the way flown once, repeats must be set by hand"
                              : "none");
    out += row("Look-at", look_at ? "the plan looks at places; headings must be set by hand" : "none");
    out +=
        "</table>\n<h2>Points</h2><table "
        "class=\"n\"><tr><th>#</th><th>Name</th><th>Latitude</th><th>Longitude</th><th>AMSL</th><th>Above "
        "home</th></tr>\n";
    std::size_t n = 0;
    for (const PathPoint& p : path.points)
        out += fmt::format("<tr><td>{}</td><td>{}</td><td>{:.7f}</td><td>{:.7f}</td><td>{}</td><td>{}</td></tr>\n", ++n,
                           escaped(p.source != 0 ? pointText(plan, p) : std::string("Home")), p.position.lat_deg,
                           p.position.lon_deg, metres(p.amsl_m),
                           p.amsl_m && home ? fmt::format("{:.1f} m", *p.amsl_m - *home) : "unknown");
    return out + "</table></body></html>\n";
}

Result<CarryOver> carryOver(const Plan& plan, const Path& path, const std::string& file, const PlanExtras& extras) {
    if (path.points.empty()) return fail("the plan has no route to carry");
    const auto content = planExport(plan, path, file, extras);
    if (!content) return tl::unexpected(content.error());
    if (const auto ok = writeFileAtomic(file, *content); !ok) return tl::unexpected(ok.error());
    CarryOver out;
    out.file = file;
    out.sheet = file.substr(0, file.size() - extensionOf(file).size()) + "-sheet.html";
    if (const auto ok = writeFileAtomic(out.sheet, carryOverSheet(plan, path, file)); !ok)
        return tl::unexpected(ok.error());

    const auto back = readShapes(file);
    if (!back) return tl::unexpected(back.error());
    const auto points = pointsIn(*back, plan.home ? plan.home->amsl_m : std::nullopt);
    const LocalFrame frame(path.points.front().position);
    std::vector<Vec2> local;
    for (const Found& f : points) local.push_back(frame.toLocal(f.place));
    for (const PathPoint& p : path.points) {
        ++out.points;
        const Vec2 wanted = frame.toLocal(p.position);
        double best = INFINITY, off = INFINITY, nearest = INFINITY;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const double d = length(local[i] - wanted);
            nearest = std::min(nearest, d);
            if (d > kPlace_m) continue;
            const double h = p.amsl_m && points[i].amsl_m ? std::abs(*p.amsl_m - *points[i].amsl_m)
                             : p.amsl_m                   ? INFINITY
                                                          : 0;
            if (h < off || (h == off && d < best)) {
                off = h;
                best = d;
            }
        }
        const std::string name = p.source != 0 ? itemText(plan, p.source) : std::string("Home");
        if (best == INFINITY) {
            out.differences.push_back(
                fmt::format("{} is not in the file; the nearest point is {} away", name, distanceText(nearest)));
        } else if (off > kHeight_m) {
            out.differences.push_back(off == INFINITY
                                          ? fmt::format("{}: the file gives no height", name)
                                          : fmt::format("{}: the height in the file is {:.2f} m off", name, off));
        } else {
            out.worst_place_m = std::max(out.worst_place_m, best);
            out.worst_height_m = std::max(out.worst_height_m, off);
        }
    }
    return out;
}

}  // namespace anhinga
