#pragma once

#include "core/frame/equipment.h"
#include "core/identify/bodies_in_frame.h"

#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::identify {

/// A frame whose place on the sky is known, as far as a search for known bodies needs it.
struct SolvedFrame {
    std::filesystem::path file;
    frame::Wcs wcs;
    int width = 0;
    int height = 0;
    Utc middle;                              ///< of the first row
    double rowSeconds = 0.0;                 ///< a rolling shutter's delay from row to row
    std::optional<double> limitingMagnitude; ///< PMLIMIT of the header
};

/// A frame as it was described, with its solution and what it reaches.
///
/// Errors   frame.no_time
Result<SolvedFrame> solvedFrame(const frame::FrameInfo& info,
                                const frame::Wcs& wcs,
                                std::optional<double> limitingMagnitude);

/// The solution of a frame: from its header, else from STEM.wcs beside it or in `wcsFolder` where one is given.
///
/// Errors   frame.bad_wcs
Result<frame::Wcs> solutionOf(const std::filesystem::path& file,
                              const frame::Header& header,
                              const std::filesystem::path& wcsFolder);

/// The header of STEM.wcs beside a frame, or in `wcsFolder` where one is given.
///
/// Errors   frame.not_readable
Result<frame::Header> solutionBeside(const std::filesystem::path& file,
                                     const std::filesystem::path& wcsFolder);

/// Reads the head of a frame of any kind, and its solution.
///
/// Errors   frame.not_readable, frame.not_an_image; frame.bad_wcs where it is not solved; frame.no_time
Result<SolvedFrame> readSolvedFrame(const std::filesystem::path& file,
                                    const std::filesystem::path& wcsFolder,
                                    const frame::ReadingRules& rules);

/// Everything that a search over frames of any number of nights needs.
struct FrameSearch {
    const OrbitCatalog& catalog;
    const orbit::Planets& planets;
    const orbit::EarthTurn& turn;
    frame::Site site;
};

/// Called once for each frame, with its index and its bodies or the reason why there are none; in order of time.
using FrameFound =
    std::function<void(std::size_t, const Result<std::vector<BodyInFrame>>&, double seconds)>;

/// Bodies in all frames, night by night: frames of one night share its look over the catalogue.
///
/// Returns the bodies whose motion could not be followed, with the reason, each once.
std::vector<Error> searchFrames(const FrameSearch& search,
                                std::span<const SolvedFrame> frames,
                                const Job& job,
                                const FrameFound& found);

} // namespace pathmark::identify
