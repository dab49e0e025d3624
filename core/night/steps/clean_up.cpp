#include "core/night/steps/clean_up.h"

#include "core/frame/fits_file.h"
#include "core/night/linear_picture.h"

#include <set>

namespace pathmark::night {

namespace fs = std::filesystem;

namespace {

/// Takes away the files and products of a kind that a run wrote and this one does not have.
Result<bool>
forgetOthers(const NightRun& run, ProductKind kind, const std::set<std::string>& wanted) {
    std::error_code status;
    const fs::path folder = run.calibration.out / infoOf(kind).folder;
    for (const auto& entry : fs::directory_iterator(folder, status)) {
        const auto header = entry.path().extension() == ".fits"
                                ? frame::readFitsHeader(entry.path())
                                : Result<frame::Header>(frame::Header());
        const auto key = header ? header->text(frame::kResultKeyword) : std::nullopt;
        // Only what a run wrote, and none of this one's.
        if (key && !wanted.contains(*key)) {
            std::error_code ignored;
            fs::remove(entry.path(), ignored);
            for (const char* beside : {".png", ".mp4"}) {
                fs::remove(fs::path(entry.path()).replace_extension(beside), ignored);
            }
            fs::remove(coloursBeside(entry.path()), ignored);
        }
    }
    const auto stored = run.file().products(kind);
    if (!stored) {
        return fail(stored.error());
    }
    std::vector<std::string> stale;
    for (const Product& product : *stored) {
        if (!wanted.contains(product.key)) {
            stale.push_back(product.key);
        }
    }
    return run.file().forgetProducts(stale);
}

} // namespace

Result<bool> cleanUp(const NightRun& run) {
    std::set<std::string> stacks(run.starStackKeys.begin(), run.starStackKeys.end());
    stacks.insert(run.sweptStackKeys.begin(), run.sweptStackKeys.end());
    for (const BodyStack& stack : run.stacks) {
        stacks.insert(stack.key);
    }
    if (auto done = forgetOthers(run, ProductKind::Stack, stacks); !done) {
        return done;
    }
    const std::set<std::string> pictures(run.pictureKeys.begin(), run.pictureKeys.end());
    if (auto done = forgetOthers(run, ProductKind::Picture, pictures); !done) {
        return done;
    }
    return run.file().forgetOldProducts();
}

} // namespace pathmark::night
