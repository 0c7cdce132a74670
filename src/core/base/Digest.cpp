#include "core/base/Digest.h"

#include <fmt/format.h>
#include <openssl/evp.h>

#include <array>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <memory>

namespace anhinga {

namespace {
/// A digest that is being made.
class Sha256 {
  public:
    Sha256() : context_(EVP_MD_CTX_new(), EVP_MD_CTX_free) { EVP_DigestInit_ex(context_.get(), EVP_sha256(), nullptr); }
    void add(std::string_view bytes) { EVP_DigestUpdate(context_.get(), bytes.data(), bytes.size()); }
    std::string hex() {
        std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
        unsigned size = 0;
        EVP_DigestFinal_ex(context_.get(), digest.data(), &size);
        std::string out;
        for (unsigned i = 0; i < size; ++i) out += fmt::format("{:02x}", digest[i]);
        return out;
    }

  private:
    std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> context_;
};
}  // namespace

std::string sha256(std::string_view bytes) {
    Sha256 digest;
    digest.add(bytes);
    return digest.hex();
}

namespace {
/// Of the first `most` bytes, or of all there are; how many it were.
Result<std::pair<std::string, std::uint64_t>> digestOf(const std::string& path, std::uint64_t most) {
    std::error_code none;
    if (!std::filesystem::is_regular_file(path, none)) return fail("{}: is not a file", path);
    const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "rbe"), &std::fclose);
    if (!file) return fail("{}: cannot be read: {}", path, std::strerror(errno));
    Sha256 digest;
    std::string piece(1 << 18, '\0');
    std::uint64_t done = 0;
    while (done < most) {
        const auto wanted = static_cast<std::size_t>(std::min<std::uint64_t>(piece.size(), most - done));
        const std::size_t n = std::fread(piece.data(), 1, wanted, file.get());
        if (n == 0) break;
        digest.add(std::string_view(piece).substr(0, n));
        done += n;
    }
    if (std::ferror(file.get()) != 0) return fail("{}: cannot be read to its end", path);
    return std::pair(digest.hex(), done);
}
}  // namespace

Result<std::string> sha256OfFile(const std::string& path) {
    auto digest = digestOf(path, std::numeric_limits<std::uint64_t>::max());
    if (!digest) return tl::unexpected(digest.error());
    return std::move(digest->first);
}

Result<std::string> sha256OfBeginning(const std::string& path, std::uint64_t bytes) {
    auto digest = digestOf(path, bytes);
    if (!digest) return tl::unexpected(digest.error());
    if (digest->second < bytes) return fail("{}: has only {} bytes", path, digest->second);
    return std::move(digest->first);
}

}  // namespace anhinga
