#pragma once

#include "core/base/fields.h"
#include "core/base/names.h"
#include "core/night/calibration_settings.h"
#include "core/night/recipe.h"

#include <array>

// The lists of fields of settings; see record_fields.h. A setting that is not listed would not change a key: a test walks
// through all of them.
namespace pathmark {

template <>
struct FieldsOf<calibrate::ProtectedDisc> {
    using R = calibrate::ProtectedDisc;
    static constexpr auto list =
        std::tuple{Field{"centre", &R::centre}, Field{"radius", &R::radius}};
};

template <>
struct FieldsOf<night::GradientSettings> {
    using R = night::GradientSettings;
    static constexpr auto list = std::tuple{Field{"removed", &R::removed},
                                            Field{"degree", &R::degree},
                                            Field{"per_series", &R::perSeries}};
};

template <>
struct FieldsOf<night::BackgroundChoice> {
    using R = night::BackgroundChoice;
    static constexpr auto list =
        std::tuple{Field{"without_flats", &R::withoutFlats}, Field{"gradient", &R::gradient}};
};

template <>
struct FieldsOf<night::NoiseSettings> {
    using R = night::NoiseSettings;
    static constexpr auto list = std::tuple{Field{"e_per_adu", &R::electronsPerAdu},
                                            Field{"read_noise", &R::readNoiseElectrons},
                                            Field{"saturation", &R::saturationAdu}};
};

template <>
struct FieldsOf<night::MasterSettings> {
    using R = night::MasterSettings;
    static constexpr auto list =
        std::tuple{Field{"combination", &R::combination}, Field{"library", &R::library}};
};

template <>
struct FieldsOf<night::LightSettings> {
    using R = night::LightSettings;
    static constexpr auto list = std::tuple{Field{"level", &R::levelElectrons},
                                            Field{"colour", &R::colour},
                                            Field{"protect", &R::protect},
                                            Field{"writes_gradient", &R::writesGradient},
                                            Field{"writes_variance", &R::writesVariance},
                                            Field{"masks_hits", &R::masksHits}};
};

template <>
struct FieldsOf<night::CandidateSettings> {
    using R = night::CandidateSettings;
    static constexpr auto list = std::tuple{Field{"search", &R::search},
                                            Field{"slowest", &R::slowestArcsecPerMin},
                                            Field{"fastest", &R::fastestArcsecPerMin}};
};

template <>
struct FieldsOf<measure::CometOptions> {
    using R = measure::CometOptions;
    static constexpr auto list =
        std::tuple{Field{"apertures_arcsec", &R::aperturesArcsec}, Field{"centroid", &R::centroid}};
};

template <>
struct FieldsOf<night::ReviewRules> {
    using R = night::ReviewRules;
    static constexpr auto list = std::tuple{Field{"snr", &R::leastSnr},
                                            Field{"brighter_mag", &R::brighterMag},
                                            Field{"passing_mag", &R::passingMag}};
};

template <>
struct FieldsOf<night::MeasureSettings> {
    using R = night::MeasureSettings;
    static constexpr auto list = std::tuple{Field{"search_arcsec", &R::searchArcsec},
                                            Field{"band", &R::band},
                                            Field{"comet", &R::comet},
                                            Field{"review", &R::review}};
};

} // namespace pathmark
