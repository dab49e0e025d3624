#pragma once

#include "core/frame/wcs.h"
#include "core/survey/survey.h"

namespace pathmark::survey {

/// A survey on the pixels of a picture.
struct SurveyPicture {
    frame::Image values; ///< NaN where the survey has nothing
    int order = 0;       ///< of the tiles that it was taken from
    int tiles = 0;
    double pixelArcsec = 0.0; ///< of the survey at that order
};

/// Takes a survey onto a picture of that solution and size, turned, scaled and flipped to match.
///
/// Model    Bilinear between the survey's pixels, of the order whose pixels are just smaller than the picture's, or the finest. Places are
///          worked out every eighth pixel and interpolated between (0.001 of a pixel), but for pixels at the edge of a face.
/// Errors   those of Survey::tile; measure.outside  the survey has nothing there
Result<SurveyPicture>
surveyPicture(const Survey& survey, const frame::Wcs& wcs, int width, int height, const Job& job);

} // namespace pathmark::survey
