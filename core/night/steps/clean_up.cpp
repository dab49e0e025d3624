#include "core/night/steps/clean_up.h"

#include "core/frame/fits_file.h"

#include <set>

namespace pathmark::night {

namespace fs = std::filesystem;

Result<bool> cleanUp(const NightRun& run) {
    std::set<std::string> wanted(run.starStackKeys.begin(), run.starStackKeys.end());
    for (const BodyStack& stack : run.stacks) {
        wanted.insert(stack.key);
    }
    std::error_code status;
    const fs::path folder = run.calibration.out / infoOf(ProductKind::Stack).folder;
    for (const auto& entry : fs::directory_iterator(folder, status)) {
        const auto header = entry.path().extension() == ".fits"
                                ? frame::readFitsHeader(entry.path())
                                : Result<frame::Header>(frame::Header());
        const auto key = header ? header->text(frame::kResultKeyword) : std::nullopt;
        // Only what a run wrote, and none of this one's.
        if (key && !wanted.contains(*key)) {
            std::error_code ignored;
            fs::remove(entry.path(), ignored);
        }
    }
    const auto stored = run.file().products(ProductKind::Stack);
    if (!stored) {
        return fail(stored.error());
    }
    std::vector<std::string> stale;
    for (const Product& product : *stored) {
        if (!wanted.contains(product.key)) {
            stale.push_back(product.key);
        }
    }
    if (auto forgotten = run.file().forgetProducts(stale); !forgotten) {
        return forgotten;
    }
    return run.file().forgetOldProducts();
}

} // namespace pathmark::night
