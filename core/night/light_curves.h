#pragma once

#include "core/measure/ensemble.h"
#include "core/measure/period.h"
#include "core/night/field_lights.h"

#include <filesystem>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

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

/// What curves go by beside the light.
struct CurveChoice {
    ComparisonSet set;
    std::set<std::int64_t> off; ///< stars of the catalogue that are not to serve
    std::size_t subject = 0;    ///< the target that the check star is to be as bright as
    std::optional<measure::PeriodRange> period;
};

struct CurveRequest : FieldRequest {
    CurveChoice choice;
};

/// A target in one frame.
struct TargetPoint {
    std::filesystem::path file;
    Utc time;
    double bjdTdb = 0.0;
    std::optional<double> mag;
    double magError = 0.0;
    std::optional<double> reducedMag; ///< at 1 au from Sun and observer
    double julianTdb = 0.0; ///< when its light left it; as it came where the distance is not known
    double snr = 0.0;
    std::optional<orbit::Place> place; ///< of a body
    int field = 0; ///< see LightFrame: each has a level of its own where a period is sought
    std::vector<std::string> flags;
};

/// A period that chance would make more often stands out of nothing.
constexpr double kSurePeriodLog10 = -2.0;

struct TargetCurve {
    std::string name;
    std::vector<TargetPoint> points;
    std::optional<measure::Period> period;

    /// What a period is sought in: magnitudes without flags, reduced where they can be, in days from the first of them.
    [[nodiscard]] std::vector<measure::CurvePoint> clean() const;
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
    Utc middle;
    double zeroPoint = 0.0; ///< magnitude of one electron per second
    double error = 0.0;
    double extinction = 0.0; ///< magnitudes that it is dimmer than the clearest frame
};

/// Everything in the common field in one band.
struct BandCurves {
    catalog::Band band = catalog::Band::G;
    std::vector<CurveFrame> frames;
    std::vector<TargetCurve> targets;
    std::vector<FieldStar> stars;     ///< in the order of the field
    std::optional<std::size_t> check; ///< index into stars
    measure::Ensemble ensemble;       ///< that all magnitudes go by
};

struct LightCurves {
    std::vector<BandCurves> bands;
    std::vector<Error> failures; ///< frames that could not be used
};

/// What is to be said of curves that are not as they should be, in sentences: no comparison star, none that is steady, frames without one,
/// a target off every frame, too few points for a period, a period as long as what was seen of it.
std::vector<std::string> remarksOn(const BandCurves& curves);
/// Those on its stars, and on one target, alone.
std::vector<std::string> remarksOnStars(const BandCurves& curves);
std::vector<std::string> remarksOn(const TargetCurve& curve);

/// The curves of one band: fast, to be made again whenever a choice changes.
///
/// Model    measure::fitEnsemble; measure::findPeriod on points without flags
/// Shapes   `lights` has frames of the band
BandCurves curvesOf(const FieldLights& lights, catalog::Band band, const CurveChoice& choice);

/// A star on one frame.
struct StarPoint {
    Utc time;
    double mag = 0.0;
    double error = 0.0; ///< of its noise, the frame's zero point, and what all stars scatter by
};

/// The curve of a star of the field, without the frames on which it could not be measured.
std::vector<StarPoint>
starCurve(const FieldLights& lights, const BandCurves& curves, std::size_t star);

/// Light curves of targets and of every star of the common field.
///
/// Errors   those of measureFieldLights
Result<LightCurves> measureCurves(const CurveRequest& request,
                                  const catalog::StarStore& store,
                                  const SkyTables& tables,
                                  const Job& job);

} // namespace pathmark::night
