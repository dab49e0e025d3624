#pragma once

#include "core/base/job.h"
#include "core/night/stack_lights.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// Lights of one colour.
struct PictureChannel {
    std::string name;        ///< of the filter or plane
    double nanometres = 0.0; ///< about the middle of its band; 0: no colour (clear, luminance)
    std::vector<StackLight> lights; ///< in the order of time
};

struct PictureChannels {
    std::vector<PictureChannel> channels; ///< those of no colour first, then from blue to red
    std::vector<Error> failures;          ///< frames that could not be used
    bool arePlanes = false; ///< of a colour camera: light k of each channel is of one frame
};

/// The lights of all channels together, in the order of time.
std::vector<StackLight> allLights(const PictureChannels& channels);

/// The lights of a picture by colour. The mosaic of a colour camera, and a file that holds all three colours at every pixel, become
/// three lights each; sums of cells have no colour.
///
/// Files    The planes, in `folder`, which the caller takes away.
PictureChannels readChannels(std::span<const std::filesystem::path> files,
                             const std::filesystem::path& wcsFolder,
                             const frame::ReadingRules& rules,
                             const std::filesystem::path& folder,
                             const Job& job);

} // namespace pathmark::night
