#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::simulate {

/// What may be wrong with a night.
enum class OddFault {
    NoExposure, ///< one light does not say how long it was
    NoDate,     ///< one light does not say when
    NoPointing, ///< no light says where
    WrongHint,  ///< all lights point elsewhere
    Cloud,      ///< one light is dimmed by magnitudes
    Shaken,     ///< the stars of one light are lines
    Satellite,  ///< a line crosses one light
    Truncated,  ///< one file ends early
    Decoys,     ///< calibration frames that fit nothing
    TwoTimes,   ///< one light's keywords say two times
    Twice,      ///< one light lies there under two names
    NotFits,    ///< a text with the name of a frame
    WrongClock, ///< the camera's clock is off, and the equipment file says by how much
    OldOrbit    ///< the orbits are some arcseconds out
};

inline constexpr int kOddFaults = 14;

const char* wordOf(OddFault fault);

/// A fault as it was done to a night's files.
struct FaultDone {
    OddFault fault = OddFault::NoExposure;
    std::string file;        ///< its name without folders; empty: it is no file's
    bool mustBeSaid = false; ///< of that file
    bool isUnusable = false; ///< nothing may be measured in that file
};

/// Does the faults that are a matter of files. `seed` chooses the frames.
///
/// Errors   base.cannot_write
Result<std::vector<FaultDone>> doFaults(const std::vector<OddFault>& faults,
                                        const std::filesystem::path& folder,
                                        std::uint64_t seed);

} // namespace pathmark::simulate
