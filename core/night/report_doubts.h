#pragma once

#include "core/frame/frame_info.h"
#include "core/night/records.h"

#include <map>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// What the lines of a report say of each other, of the sky, and of the clock.
struct DoubtedReport {
    std::span<const MeasurementRecord* const> lines; ///< those that are sent
    const frame::Site* site = nullptr;               ///< null: not known
};

/// Whether a line of a known body lies more than 1 arcsec and 3 of its own errors from the orbit.
bool isFarFromOrbit(const MeasurementRecord& m);

/// Doubts of lines, each a sentence, by MeasurementRecord::id.
///
/// Model    A line is doubted at whose time the Sun stood less than 6 degrees below the horizon; whose band is none that reports know; that
///          lies more than 0.5 arcsec and 5 errors from where the body's other lines lie against its orbit; that is
///          of a body with fewer than three lines; that has another body's line within an arcsec at the same time. All lines of a
///          frame are doubted where two bodies or more lie off together, against their own other lines; all lines of
///          known bodies where these are early or late by one time, by more than half a second and 5 errors (each orbit good to 0.1 arcsec).
std::map<std::string, std::vector<std::string>> reportDoubts(const DoubtedReport& report);

} // namespace pathmark::night
