#pragma once

#include "core/catalog/star_store.h"
#include "core/measure/fit_picture.h"
#include "core/night/found_trail.h"
#include "core/night/records.h"

#include <filesystem>
#include <optional>

namespace pathmark::night {

/// What is asked for at a place that somebody points at.
struct HandAim {
    SkyPos place;
    HandModel model = HandModel::
        Light; ///< the light nearest to it, that of the very place, a trail of unknown length, or a coma
    double rateArcsecPerMin = 0.0; ///< of what is there, so that it trails
    double positionAngleDegrees = 0.0;
    std::filesystem::path stack{}; ///< that it is measured on, instead of the light; empty: none
};

/// What is at a place that somebody points at.
struct MeasuredHere {
    MeasurementRecord record;    ///< of no body; not seen where nothing stands above 3 sigma
    std::optional<double> limit; ///< the magnitude of the faintest light that would be seen there
    std::optional<catalog::Star> star; ///< of the catalogue, that stands there
    measure::FitPicture fit;           ///< of what was seen; empty pictures where nothing was
    std::optional<FoundTrail> trail;   ///< where one was asked for
};

/// Measures what is at a place of a calibrated and solved light, its neighbours of the catalogue taken off.
///
/// Shapes   `store`: null: without neighbours, and no star is named. A coma has no picture of its fit and no limit, a stack no picture of its fit.
/// Errors   those of the reader; measure.outside; of a coma those of MeasurableFile::open
Result<MeasuredHere>
measureHere(const LightRecord& light, const HandAim& aim, const catalog::StarStore* store);

} // namespace pathmark::night
