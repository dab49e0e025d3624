#pragma once

#include "core/base/job.h"
#include "core/catalog/star_store.h"
#include "core/frame/equipment.h"
#include "core/solve/photometric_match.h"
#include "core/solve/solve_frame.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::command {

/// What the caller knows of where frames point; what is absent, headers say.
struct PointingHint {
    std::vector<double> nearRaDec; ///< degrees, two or none
    std::optional<double> radiusDegrees;
    std::vector<double> scale; ///< arcsec per pixel, least and greatest, or none
    bool blind = false;        ///< whatever the header says
};

/// A frame that was solved on its own.
struct SolvedOnItsOwn {
    frame::FrameInfo info;
    detect::Detection detection;
    solve::Solution solution;
    std::optional<solve::PhotometricMatch> photometry;
};

/// Solves frames one after another against one catalogue; each helps the next one of its size.
class FrameSolver {
  public:
    /// Errors   catalog.not_found and the like
    static Result<FrameSolver>
    open(const std::string& store, const std::string& catalog, const Job& job);

    /// Errors   frame.*, detect.*, solve.*, base.cancelled
    Result<SolvedOnItsOwn> solve(const std::filesystem::path& file,
                                 const frame::ReadingRules& rules,
                                 const PointingHint& hint);

    /// Wall time of the last frame after it was read.
    [[nodiscard]] double seconds() const { return seconds_; }

  private:
    struct Catalogue;

    explicit FrameSolver(std::shared_ptr<Catalogue> catalogue) : catalogue_(std::move(catalogue)) {}

    std::shared_ptr<Catalogue> catalogue_;
    std::optional<frame::Wcs> last_; ///< solution of the last frame of `size_`
    solve::FrameSize size_;
    double seconds_ = 0.0;
};

/// Writes DIR/STEM.wcs: the solution, and the limiting magnitude where it is known.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeSolution(const SolvedOnItsOwn& solved,
                           const std::filesystem::path& file,
                           const std::filesystem::path& folder);

} // namespace pathmark::command
