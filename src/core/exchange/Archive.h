// KMZ: a ZIP archive whose first .kml file is the document.
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"

namespace anhinga {

/// The document inside; at most 64 MB unpacked.
Result<std::string> readKmz(const std::string& bytes, const std::string& name);
/// A file beside the document, which names it.
struct KmzFile {
    std::string name, content;
};
Result<std::string> writeKmz(const std::string& kml, const std::vector<KmzFile>& beside = {});

}  // namespace anhinga
