#pragma once

#include "core/base/job.h"
#include "core/frame/image.h"
#include "core/survey/tile_file.h"

#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::survey {

/// What a survey says of itself.
struct SurveyProperties {
    std::string title;
    bool isGalactic = false; ///< its cells are laid on galactic coordinates
    int order = 0;           ///< of the finest tiles
    int tileWidth = 512;
    std::vector<TileFormat> formats;
    std::optional<double> epochModifiedJulian; ///< middle of its exposures

    /// Side of a pixel of the finest tiles, arcsec.
    [[nodiscard]] double pixelArcsec() const;
};

/// Reads the properties of a survey ("key = value" lines).
///
/// Errors   catalog.bad_survey  a needed one is missing, or says what cannot be
/// Source   HiPS 1.0, IVOA Recommendation 2017, sec. 4.4.
Result<SurveyProperties> readProperties(const std::string& text);

/// Where a survey is, and where its tiles are kept.
struct SurveyPlace {
    std::string url;              ///< of its folder
    std::filesystem::path folder; ///< tiles are kept below it
    double timeoutSeconds = 20.0;
    int tries = 2;
    bool isOffline = false; ///< only what is kept
};

/// A sky survey in the open layout HiPS, over HTTP: tiles are fetched when they are asked for, and kept.
///
/// Threads  Any number may ask for tiles.
/// Source   HiPS 1.0, IVOA Recommendation 2017.
class Survey {
  public:
    /// Errors   catalog.no_answer, catalog.service_refused, catalog.bad_survey; base.*
    static Result<Survey> open(const SurveyPlace& place, const Job& job);

    [[nodiscard]] const SurveyProperties& properties() const { return properties_; }

    /// In which format its tiles are read: FITS where it has them.
    [[nodiscard]] TileFormat format() const;

    /// Whether values are linear in light.
    [[nodiscard]] bool isLinear() const { return format() == TileFormat::Fits; }

    /// A tile; null: the survey has none there.
    ///
    /// Errors   as open, and those of readTile
    Result<std::shared_ptr<const frame::Image>>
    tile(int order, std::int64_t cell, const Job& job) const;

  private:
    Survey(SurveyPlace place, SurveyProperties properties)
        : place_(std::move(place)), properties_(std::move(properties)) {}

    SurveyPlace place_;
    SurveyProperties properties_;
};

} // namespace pathmark::survey
