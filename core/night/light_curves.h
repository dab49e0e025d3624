#pragma once

#include "core/base/job.h"
#include "core/catalog/band.h"
#include "core/catalog/star_store.h"
#include "core/frame/equipment.h"
#include "core/measure/ensemble.h"
#include "core/measure/period.h"
#include "core/night/sky_tables.h"
#include "core/orbit/elements.h"

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// What a light curve is wanted of: a body of known orbit, or a place.
struct CurveTarget {
    std::string name;
    std::optional<orbit::Elements> elements;
    SkyPos place;
};

/// A star of a set: told by its place, with a magnitude where one was typed.
struct SetStar {
    std::string name;
    SkyPos place;
    std::string band; ///< of `mag`
    std::optional<double> mag;
};

/// Stars that are to serve, whatever the frames say.
struct ComparisonSet {
    std::vector<SetStar> comparison;
    std::optional<SetStar> check;
};

struct CurveRequest {
    std::vector<std::filesystem::path> files;
    std::filesystem::path wcsFolder;
    frame::ReadingRules rules;
    std::vector<CurveTarget> targets;
    ComparisonSet set;
    std::optional<catalog::Band> band; ///< the only one wanted
    std::optional<measure::PeriodRange> period;
    std::optional<frame::Site> site;
};

/// A target in one frame.
struct TargetPoint {
    std::filesystem::path file;
    Utc time;
    double bjdTdb = 0.0;
    std::optional<double> mag;
    double magError = 0.0;
    std::optional<double> reducedMag; ///< at 1 au from Sun and observer
    double lightTimeDays = 0.0;
    double snr = 0.0;
    std::vector<std::string> flags;
};

struct TargetCurve {
    std::string name;
    std::vector<TargetPoint> points;
    std::optional<measure::Period> period;
};

/// A star of the field over the series.
struct FieldStar {
    catalog::Star star;
    double catalogueMag = 0.0;
    measure::StarScatter scatter;
    bool variable = false;
    std::vector<std::string> flags;
};

struct CurveFrame {
    std::filesystem::path file;
    double zeroPoint = 0.0; ///< magnitude of one electron per second
    double error = 0.0;
    double extinction = 0.0; ///< magnitudes that it is dimmer than the clearest frame
};

/// Everything in the common field in one band.
struct BandCurves {
    catalog::Band band = catalog::Band::G;
    std::vector<CurveFrame> frames;
    std::vector<TargetCurve> targets;
    std::vector<FieldStar> stars;
    std::optional<std::size_t> check; ///< index into stars
};

struct LightCurves {
    std::vector<BandCurves> bands;
    std::vector<Error> failures; ///< frames that could not be used
};

/// Light curves of targets and of every star of the common field.
///
/// Model    Point-spread photometry at the stars' places, the light of the catalogue's other stars taken off; measure::fitEnsemble;
///          measure::findPeriod on points without flags.
/// Errors   base.cancelled, frame.no_frames, catalog.no_stars, orbit.*
Result<LightCurves> measureCurves(const CurveRequest& request,
                                  const catalog::StarStore& store,
                                  const SkyTables& tables,
                                  const Job& job);

} // namespace pathmark::night
