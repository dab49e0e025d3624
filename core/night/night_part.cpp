#include "core/night/night_part.h"

#include "core/base/atomic_file.h"
#include "core/base/copy_files.h"
#include "core/night/night_file.h"

#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr const char* kNightFile = "night.pmnight";

/// A copy of a night file; it goes with this object.
class PassingCopy {
  public:
    PassingCopy(const fs::path& from, const fs::path& folder)
        : path_(folder / ".part.pmnight"), copied_(copyFile(from, path_)) {}

    ~PassingCopy() {
        std::error_code ignored;
        for (const char* ending : {"", "-wal", "-shm"}) {
            fs::remove(path_.string() + ending, ignored);
        }
    }

    PassingCopy(const PassingCopy&) = delete;
    PassingCopy& operator=(const PassingCopy&) = delete;

    [[nodiscard]] const fs::path& path() const { return path_; }

    [[nodiscard]] const Result<std::string>& copied() const { return copied_; }

  private:
    fs::path path_;
    Result<std::string> copied_;
};

/// The file of a product where it is to be in `out`, brought there.
Result<bool> bringFile(const Product& product, const fs::path& results, const fs::path& out) {
    if (product.path.empty()) {
        return true;
    }
    const fs::path inside = product.path.lexically_relative(out);
    std::error_code status;
    if (inside.empty() || *inside.begin() == ".." || fs::exists(out / inside, status)) {
        return true;
    }
    if (auto made = makeFolder((out / inside).parent_path()); !made) {
        return made;
    }
    auto copied = copyFile(results / inside, out / inside);
    return copied ? Result<bool>(true) : fail(copied.error());
}

} // namespace

Result<bool> goOnFrom(const fs::path& results, const fs::path& out) {
    std::error_code status;
    return fs::exists(out / kNightFile, status) ? Result<bool>(true) : copyFolder(results, out);
}

Result<bool> takeProducts(const fs::path& results, NightFile& file, const fs::path& out) {
    const PassingCopy copy(results / kNightFile, out);
    if (!copy.copied()) {
        return fail(copy.copied().error());
    }
    const auto other = NightFile::open(copy.path());
    if (!other) {
        return fail(other.error());
    }
    std::vector<Product> taken;
    for (const ProductKindInfo& kind : kProductKinds) {
        const auto own = file.products(kind.kind);
        auto theirs = other->products(kind.kind);
        if (!own || !theirs) {
            return fail(own ? theirs.error() : own.error());
        }
        std::set<std::string> known;
        for (const Product& product : *own) {
            known.insert(product.key);
        }
        for (Product& product : *theirs) {
            if (known.contains(product.key)) {
                continue;
            }
            if (auto brought = bringFile(product, results, out); !brought) {
                return brought;
            }
            taken.push_back(std::move(product));
        }
    }
    return file.putProducts(taken);
}

} // namespace pathmark::night
