// The same call over many logs, several at a time: what one call would say of each, in the order of their names.
#include <atomic>
#include <filesystem>
#include <functional>
#include <set>
#include <thread>

#include "cli/Common.h"
#include "core/base/Text.h"
#include "core/exchange/Export.h"
#include "core/logio/LogReader.h"

namespace anhinga {

namespace {
namespace fs = std::filesystem;

/// The logs that are meant: files as they are, and of folders whatever looks like a log.
Result<std::vector<std::string>> logsOf(const std::vector<std::string>& places) {
    std::vector<std::string> out;
    for (const std::string& place : places) {
        std::error_code error;
        if (!fs::exists(place, error)) return fail("{}: there is no such file or folder", place);
        if (!fs::is_directory(place, error)) {
            out.push_back(place);
            continue;
        }
        std::string missing;
        for (std::string& file : filesIn({place}, missing))
            if (looksLikeLog(file)) out.push_back(std::move(file));
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    if (out.empty()) return fail("no log is among what was named");
    return out;
}

bool isMany(const CliArguments& a) {
    std::error_code error;
    return a.files.size() != 1 || fs::is_directory(a.files.front(), error);
}

/// `call(index)` for each, on as many threads as were asked for or the machine has processors.
std::vector<CliResult> eachOf(std::size_t count, int jobs, const std::function<CliResult(std::size_t)>& call) {
    std::vector<CliResult> results(count);
    std::atomic<std::size_t> next = 0;
    const auto work = [&] {
        for (std::size_t i = next++; i < count; i = next++) try {
                results[i] = call(i);
            } catch (const std::exception& e) {
                results[i] = {2, {}, "", fmt::format("this cannot be done: {}", e.what())};
            }
    };
    const std::size_t most =
        jobs > 0 ? static_cast<std::size_t>(jobs) : std::max<std::size_t>(1, std::thread::hardware_concurrency());
    std::vector<std::jthread> others;
    for (std::size_t n = 1; n < std::min(most, count); ++n) others.emplace_back(work);
    work();
    others.clear();  // all are done
    return results;
}

/// One answer of many; the worst code is that of all.
CliResult together(const std::vector<std::string>& files, const std::vector<CliResult>& results) {
    CliResult out;
    Json logs = Json::array();
    int failed = 0;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const CliResult& r = results[i];
        Json each = {{"log", files[i]}};
        if (r.code >= 2) {
            ++failed;
            each["error"] = r.error;
            out.error += (out.error.empty() ? "" : "\n") + r.error;
        } else {
            each.update(r.json);
            out.text += files[i] + "\n" + r.text + (r.text.ends_with('\n') ? "\n" : "\n\n");
        }
        out.code = std::max(out.code, r.code);
        logs.push_back(std::move(each));
    }
    out.json = {{"logs", std::move(logs)}, {"failed", failed}};
    return out;
}

}  // namespace

CliResult cliDiagnoseEach(const CliArguments& a) {
    if (!isMany(a)) {
        CliArguments one = a;
        one.log = a.files.front();
        return cliDiagnose(one);
    }
    const auto files = logsOf(a.files);
    if (!files) return unusable(files.error());
    return together(*files, eachOf(files->size(), a.jobs, [&](std::size_t i) {
        CliArguments one = a;
        one.log = (*files)[i];
        return cliDiagnose(one);
    }));
}

CliResult cliExportEach(const CliArguments& a) {
    if (!isMany(a) && a.formats.empty()) {
        CliArguments one = a;
        one.log = a.files.front();
        return cliExport(one);
    }
    if (a.formats.empty()) return unusable({"export: of several logs the formats are said with --as, as kml,gpx"});
    const auto files = logsOf(a.files);
    if (!files) return unusable(files.error());
    std::error_code error;
    fs::create_directories(a.out, error);
    if (!fs::is_directory(a.out, error)) return unusable({a.out + ": a folder is needed for what is written"});
    // One name each; and nothing that is read is written over.
    struct Writing {
        std::size_t file;
        std::string to;
    };
    std::vector<Writing> all;
    std::set<std::string> taken;
    for (std::size_t i = 0; i < files->size(); ++i) {
        const std::string stem = fs::path((*files)[i]).stem().string();
        const auto free = [&](const std::string& name) {
            return std::none_of(a.formats.begin(), a.formats.end(),
                                [&](const std::string& f) { return taken.contains(name + "." + f); });
        };
        std::string name = stem;
        for (int n = 2; !free(name); ++n) name = fmt::format("{}-{}", stem, n);
        for (const std::string& format : a.formats) {
            taken.insert(name + "." + format);
            all.push_back({i, (fs::path(a.out) / (name + "." + format)).string()});
            for (const std::string& source : *files)
                if (fs::exists(all.back().to, error) && fs::equivalent(source, all.back().to, error))
                    return unusable({all.back().to + ": this is one of the logs; write into another folder"});
        }
    }
    std::vector<std::string> sources;
    for (const Writing& w : all) sources.push_back((*files)[w.file]);
    return together(sources, eachOf(all.size(), a.jobs, [&](std::size_t i) {
                        CliArguments one = a;
                        one.log = sources[i];
                        one.out = all[i].to;
                        return cliExport(one);
                    }));
}

}  // namespace anhinga
