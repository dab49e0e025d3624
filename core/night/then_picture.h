#pragma once

#include "core/base/job.h"
#include "core/catalog/star_store.h"
#include "core/night/night_file.h"
#include "core/night/records.h"
#include "core/night/then_and_now.h"
#include "core/survey/survey.h"

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark::night {

/// Where a picture of then comes from: one of them.
struct ThenSource {
    std::string survey;               ///< address of a survey in the HiPS layout
    std::filesystem::path image;      ///< a FITS image, solved or not
    std::filesystem::path night;      ///< another night file: its light that looks nearest
    std::optional<LightRecord> light; ///< another light, of this night or another
    bool isOffline = false;           ///< only tiles that are kept
};

/// An older picture on the pixels of a light, turned, scaled and flipped to match.
struct ThenPicture {
    frame::Image values; ///< NaN where it has nothing
    std::string title;
    bool isLinear = true;
    std::optional<Utc> epoch;
    double pixelArcsec = 0.0; ///< of its own pixels
};

/// Makes it.
///
/// Domain   The light is solved. `stars`: what an image without a solution is solved with; may be null.
/// Errors   frame.*, solve.*, catalog.*, those of NightFile::open; measure.outside  they have no sky in common
Result<ThenPicture> thenPicture(const LightRecord& light,
                                const ThenSource& source,
                                const catalog::StarStore* stars,
                                const Job& job);

/// Where tiles of surveys are kept: pathmark/surveys of the observer's data.
std::filesystem::path keptSurveys();

/// What differs between a light and an older picture of its place, see differingLights. Lights of the night that look at the same field
/// confirm what is new.
///
/// Errors   those of differingLights and of reading the night file
Result<std::vector<DifferingLight>> compareThen(const NightFile& night,
                                                const LightRecord& light,
                                                const ThenPicture& then,
                                                const catalog::StarStore* stars);

/// Of another night, the solved light in use that looks nearest to where a light does, of equal ones the sharpest.
///
/// Errors   measure.outside  none of them shows the light's middle
Result<LightRecord> lightAt(const NightFile& other, const LightRecord& light);

} // namespace pathmark::night
