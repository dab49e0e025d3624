#include "command/frame_solver.h"

#include "command/frame_input.h"
#include "core/calibrate/ceiling.h"
#include "core/frame/open_frame.h"
#include "core/night/light_band.h"

#include <chrono>
#include <cmath>

namespace pathmark::command {
namespace {

/// Without a time proper motion is taken to 2016, the epoch of most catalogues.
constexpr double kCatalogueEpoch = 2457389.0;

/// What the caller and the header know of the frame's place.
solve::SolveHint hintFor(const PointingHint& given, const frame::FrameInfo& info) {
    solve::SolveHint hint;
    if (given.nearRaDec.size() == 2) {
        hint.centre = skyDegrees(given.nearRaDec[0], given.nearRaDec[1]);
    } else if (!given.blind) {
        hint.centre = info.pointing;
    }
    const auto scale = info.scaleArcsec();
    if (given.scale.size() == 2) {
        hint.scaleLow = given.scale[0];
        hint.scaleHigh = given.scale[1];
    } else if (scale) {
        hint.scaleLow = 0.8 * *scale;
        hint.scaleHigh = 1.2 * *scale;
    }
    // Unless told otherwise, the middle may be a frame's side away from where it is said to be.
    const double likely =
        given.scale.size() == 2 ? std::sqrt(given.scale[0] * given.scale[1]) : scale.value_or(1.5);
    hint.radius = given.radiusDegrees
                      ? Angle::degrees(*given.radiusDegrees)
                      : std::max(Angle::arcsec(std::max(info.width, info.height) * likely),
                                 Angle::degrees(0.2));
    return hint;
}

} // namespace

struct FrameSolver::Catalogue {
    catalog::StarStore store;
    solve::CataloguePatterns patterns;
    std::stop_token stop;

    Catalogue(catalog::StarStore opened,
              const std::string& folder,
              const std::string& name,
              const Job& job)
        : store(std::move(opened)), patterns(folder, name, store, job), stop(job.stop) {}
};

Result<FrameSolver>
FrameSolver::open(const std::string& store, const std::string& catalog, const Job& job) {
    auto opened = catalog::StarStore::open(store, catalog);
    if (!opened) {
        return fail(opened.error());
    }
    return FrameSolver(std::make_shared<Catalogue>(std::move(*opened), store, catalog, job));
}

Result<SolvedOnItsOwn> FrameSolver::solve(const std::filesystem::path& file,
                                          const frame::ReadingRules& rules,
                                          const PointingHint& given) {
    seconds_ = 0.0;
    auto loaded = frame::readFrame(file);
    if (!loaded) {
        return fail(loaded.error());
    }
    const auto info = frame::describeFrame(
        file, loaded->image.width(), loaded->image.height(), loaded->header, rules);
    solve::SolveHint hint = hintFor(given, info);
    const solve::FrameSize size{info.width, info.height};
    if (last_ && size_.width == size.width && size_.height == size.height &&
        given.nearRaDec.empty()) {
        hint.neighbour = last_;
    }
    if (!hint.centre) {
        catalogue_->patterns.get(); // once for all frames, so not this one's time
    }
    const auto start = std::chrono::steady_clock::now();
    const auto stop = [&] {
        seconds_ = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    };
    detect::DetectOptions options;
    options.saturation = calibrate::saturationOf(loaded->image, loaded->header, info);
    options.looksAgain = false;
    auto detection = detect::detectSources(loaded->image, options);
    if (!detection) {
        stop();
        return fail(detection.error());
    }
    const Utc date = info.midExposure.value_or(Utc::julian(kCatalogueEpoch));
    // Told where to look, one does not look elsewhere.
    const bool everywhere = given.nearRaDec.empty() || given.blind;
    auto solution = solve::solveFrame(
        *detection,
        size,
        date,
        hint,
        {&catalogue_->store, everywhere ? &catalogue_->patterns : nullptr, catalogue_->stop});
    stop();
    if (!solution) {
        return fail(solution.error());
    }
    last_ = solution->wcs;
    size_ = size;
    SolvedOnItsOwn solved{info, std::move(*detection), std::move(*solution), std::nullopt};
    const auto band = night::bandOf(info.filter, loaded->header);
    if (auto match = solve::matchPhotometry(
            solved.detection, solved.solution, size, band, info.exposureSeconds)) {
        solved.photometry = *match;
    }
    return solved;
}

Result<bool> writeSolution(const SolvedOnItsOwn& solved,
                           const std::filesystem::path& file,
                           const std::filesystem::path& folder) {
    frame::Header header;
    frame::writeWcs(solved.solution.wcs, header);
    header.set(frame::kSolutionErrorKeyword,
               solved.solution.placeErrorPixels,
               "[px] of a place by the solution, an axis");
    if (solved.photometry) {
        header.set("PMZEROPT",
                   solved.photometry->zeroPoint,
                   "[mag] of 1 unit/s, band " +
                       std::string(catalog::name(solved.photometry->band)));
        header.set("PMLIMIT", solved.photometry->limitingMag, "[mag] of a star at 5 sigma");
    }
    return frame::writeFitsHeader(folder / (frame::frameStem(file) + ".wcs"), header);
}

} // namespace pathmark::command
