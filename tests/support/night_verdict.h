#pragma once

#include "simulate/odd_night.h"

#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::test_support {

/// What a run of an odd night came to, held against its truth.
struct NightVerdict {
    std::vector<std::string>
        wrong; ///< what a report, a solution or a list says that is not so, and what was not said
    std::vector<std::string> lost; ///< what could have been found; the program says that it was not
    int lights = 0;
    int solved = 0;
    int observations = 0;
    int bodies = 0;                     ///< known, bright enough, in the frames
    int reported = 0;                   ///< of these
    double chiSquare = 0.0;             ///< over both coordinates of all observations
    std::vector<double> solutionPixels; ///< root mean square error of each solution
    std::vector<double> magnitudeChi;   ///< (measured - true) / stated error
    double seconds = 0.0;
};

/// Makes a night in `folder` / "night", imports its stars, runs the program over it with one thread and judges the output in
/// `folder` / "out". `program`: the headless command.
///
/// Model    Truth is the simulator's: its own optics, ephemeris and star formulas. A position is wrong beyond 5 of its own
///          sigma, a solution beyond a pixel; a candidate where no body is within three pixels of most of its places.
NightVerdict liveOddNight(const simulate::OddNight& night,
                          const std::filesystem::path& folder,
                          const std::string& program);

} // namespace pathmark::test_support
