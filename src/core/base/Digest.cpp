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

Result<std::string> sha256OfFile(const std::string& path) {
    std::error_code none;
    if (!std::filesystem::is_regular_file(path, none)) return fail("{}: is not a file", path);
    const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "rbe"), &std::fclose);
    if (!file) return fail("{}: cannot be read: {}", path, std::strerror(errno));
    Sha256 digest;
    std::string piece(1 << 18, '\0');
    for (std::size_t n = 0; (n = std::fread(piece.data(), 1, piece.size(), file.get())) > 0;)
        digest.add(std::string_view(piece).substr(0, n));
    if (std::ferror(file.get()) != 0) return fail("{}: cannot be read to its end", path);
    return digest.hex();
}

}  // namespace anhinga
