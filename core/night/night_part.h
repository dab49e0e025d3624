#pragma once

#include "core/base/result.h"

#include <cstddef>
#include <filesystem>
#include <limits>
#include <vector>

namespace pathmark::night {

class NightFile;

/// What of a night is done here, where others do the rest: its masters, some of its lights, or all that is left.
struct NightPart {
    enum class End {
        Masters, ///< the masters alone
        Frames,  ///< the steps on single frames, of some lights
        Report,
    };

    End end = End::Report;
    std::size_t firstLight = 0; ///< in the order of the series
    std::size_t lights = std::numeric_limits<std::size_t>::max();
    std::vector<std::filesystem::path> from =
        {}; ///< results' folders of other parts; the first is where this one goes on from

    [[nodiscard]] bool holds(std::size_t light) const {
        return light >= firstLight && light - firstLight < lights;
    }
};

/// Brings a part's results to an output folder that has none yet: to go on from there.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> goOnFrom(const std::filesystem::path& results, const std::filesystem::path& out);

/// Takes over the products of another part with their files. Its night file is copied before it is opened: what lies in a shared
/// folder is only ever read as bytes.
///
/// Errors   night.file_damaged, night.cannot_store, base.cannot_write, base.disk_full
Result<bool> takeProducts(const std::filesystem::path& results,
                          NightFile& file,
                          const std::filesystem::path& out);

} // namespace pathmark::night
