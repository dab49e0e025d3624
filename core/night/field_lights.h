#pragma once

#include "core/base/job.h"
#include "core/catalog/band.h"
#include "core/catalog/star_store.h"
#include "core/frame/equipment.h"
#include "core/night/measure_file.h"
#include "core/night/sky_tables.h"
#include "core/orbit/elements.h"
#include "core/orbit/place/ephemeris.h"

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// What a light curve is wanted of: a body of known orbit, or a place.
struct CurveTarget {
    std::string name;
    std::optional<orbit::Elements> elements;
    SkyPos place;
};

/// The light of a target on one frame.
struct TargetLight {
    MeasurableFile::PlaceLight light;
    Utc time; ///< the middle of its exposure
    double julianTdb = 0.0;
    double bjdTdb = 0.0;               ///< at the barycentre
    std::optional<orbit::Place> place; ///< of a body
};

/// One frame, measured.
struct LightFrame {
    std::filesystem::path file;
    int field = 0; ///< frames of one field look the same way; other fields have other stars
    Utc middle;
    double exposureSeconds = 0.0;
    double fwhmArcsec = 0.0;
    std::vector<MeasurableFile::PlaceLight>
        stars; ///< in the order of the stars; outside of those of another field
    std::vector<TargetLight> targets; ///< in their order
};

/// The light of everything in the common field of a series on each of its frames: what light curves are made from, however often the
/// comparison stars change. A body that moves on is followed from field to field.
struct FieldLights {
    std::vector<CurveTarget> targets;
    std::vector<catalog::Star> stars;                        ///< the brightest first
    std::map<catalog::Band, std::vector<LightFrame>> byBand; ///< in order of time
    std::vector<Error> failures;                             ///< frames that could not be used
};

struct FieldRequest {
    std::vector<std::filesystem::path> files;
    std::filesystem::path wcsFolder;
    frame::ReadingRules rules;
    std::vector<CurveTarget> targets;
    std::optional<catalog::Band> band; ///< the only one wanted
    std::optional<frame::Site> site;
    MeasurableFile::LightMethod method{};
};

/// Measures targets and the stars of a catalogue on every frame.
///
/// Model    Photometry by the profile of a point, or in circles, at the stars' places, the light of the catalogue's other stars taken off. Frames whose middles lie
///          apart by more than a third of a frame are of several fields, each with the stars of its first frame that can be used.
/// Errors   base.cancelled, frame.no_frames, catalog.no_stars, orbit.*
Result<FieldLights> measureFieldLights(const FieldRequest& request,
                                       const catalog::StarStore& store,
                                       const SkyTables& tables,
                                       const Job& job);

} // namespace pathmark::night
