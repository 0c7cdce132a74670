#include "core/exchange/Archive.h"

#include <zip.h>

#include <memory>

namespace anhinga {

namespace {

constexpr zip_uint64_t kMaxUnpacked = zip_uint64_t{64} << 20;

std::string reason(zip_error_t& error) {
    std::string text = zip_error_strerror(&error);
    zip_error_fini(&error);
    return text;
}

}  // namespace

Result<std::string> readKmz(const std::string& bytes, const std::string& name) {
    zip_error_t error;
    zip_error_init(&error);
    zip_source_t* source = zip_source_buffer_create(bytes.data(), bytes.size(), 0, &error);
    if (source == nullptr) return fail("{}: {}", name, reason(error));
    zip_t* raw = zip_open_from_source(source, ZIP_RDONLY | ZIP_CHECKCONS, &error);
    if (raw == nullptr) {
        zip_source_free(source);
        return fail("{}: not a KMZ archive that can be read ({})", name, reason(error));
    }
    const std::unique_ptr<zip_t, decltype(&zip_discard)> archive(raw, zip_discard);
    const zip_int64_t n = zip_get_num_entries(raw, 0);
    for (zip_int64_t i = 0; i < n; ++i) {
        zip_stat_t stat;
        zip_stat_init(&stat);
        if (zip_stat_index(raw, static_cast<zip_uint64_t>(i), 0, &stat) != 0 || stat.name == nullptr) continue;
        const std::string inner = stat.name;
        if (inner.size() < 4 || inner.compare(inner.size() - 4, 4, ".kml") != 0) continue;
        if (stat.size > kMaxUnpacked) return fail("{}: {} is larger than 64 MB", name, inner);
        zip_file_t* file = zip_fopen_index(raw, static_cast<zip_uint64_t>(i), 0);
        if (file == nullptr) return fail("{}: {} cannot be unpacked", name, inner);
        std::string text(stat.size, '\0');
        const zip_int64_t got = zip_fread(file, text.data(), stat.size);
        const int closed = zip_fclose(file);
        if (got != static_cast<zip_int64_t>(stat.size) || closed != 0) return fail("{}: {} is damaged", name, inner);
        return text;
    }
    return fail("{}: the archive holds no .kml file", name);
}

Result<std::string> writeKmz(const std::string& kml, const std::vector<KmzFile>& beside) {
    zip_error_t error;
    zip_error_init(&error);
    zip_source_t* target = zip_source_buffer_create(nullptr, 0, 0, &error);
    if (target == nullptr) return fail("KMZ: {}", reason(error));
    zip_source_keep(target);
    zip_t* archive = zip_open_from_source(target, ZIP_CREATE | ZIP_TRUNCATE, &error);
    std::string problem;
    if (archive == nullptr) {
        problem = reason(error);
    } else {
        const auto add = [archive](const char* name, const std::string& bytes) {
            zip_source_t* content = zip_source_buffer(archive, bytes.data(), bytes.size(), 0);
            return content != nullptr && zip_file_add(archive, name, content, ZIP_FL_ENC_UTF_8) >= 0;
        };
        bool added = add("doc.kml", kml);  // the first one is the document
        for (const KmzFile& file : beside) added = added && add(file.name.c_str(), file.content);
        if (!added || zip_close(archive) != 0) {
            problem = zip_strerror(archive);
            zip_discard(archive);
        }
    }
    std::string bytes;
    zip_stat_t stat;
    zip_stat_init(&stat);
    if (problem.empty() && zip_source_stat(target, &stat) == 0 && zip_source_open(target) == 0) {
        bytes.resize(stat.size);
        if (zip_source_read(target, bytes.data(), stat.size) != static_cast<zip_int64_t>(stat.size))
            problem = "the archive cannot be read back";
        zip_source_close(target);
    }
    zip_source_free(target);
    if (!problem.empty()) return fail("KMZ: {}", problem);
    return bytes;
}

}  // namespace anhinga
