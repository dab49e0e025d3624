#pragma once

#include "core/catalog/star_store.h"
#include "core/frame/equipment.h"
#include "core/measure/comet.h"
#include "core/measure/dust.h"
#include "core/measure/fixed_place.h"
#include "core/measure/tail.h"
#include "core/night/found_trail.h"
#include "core/night/stack_lights.h"
#include "core/stack/sky_levels.h"

#include <algorithm>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// A solved frame or stack opened for measuring, without a night around it.
class MeasurableFile {
  public:
    /// Reads it, finds its stars and, with a catalogue, its zero point and the error of its solution. `wcsFolder`: see
    /// identify::solutionOf. `store` must outlive this.
    ///
    /// Errors   frame.*; frame.bad_wcs where it is not solved or is a raw mosaic; frame.no_time
    static Result<MeasurableFile> open(const std::filesystem::path& path,
                                       const std::filesystem::path& wcsFolder,
                                       const frame::ReadingRules& rules,
                                       const catalog::StarStore* store);

    [[nodiscard]] const frame::FrameInfo& info() const { return info_; }

    [[nodiscard]] const frame::Wcs& wcs() const { return picture_.wcs; }

    /// What was found in it.
    [[nodiscard]] const std::vector<LightStar>& sources() const { return sources_; }

    /// The middle of the exposure of a place: a rolling shutter exposes rows one after another.
    [[nodiscard]] Utc timeAt(const SkyPos& place) const;

    [[nodiscard]] double fwhmArcsec() const {
        return picture_.shape.fwhm() * picture_.wcs.scaleArcsec();
    }

    /// How far from a place that was pointed at, or foretold well, a light is looked for.
    [[nodiscard]] double searchArcsec() const { return measure::searchArcsecOn(picture_); }

    [[nodiscard]] const std::optional<solve::PhotometricMatch>& photometry() const {
        return picture_.photometry;
    }

    /// A body looked for near a place, or measured at that very place.
    [[nodiscard]] Result<measure::Measured> measureBody(measure::Target target) const;
    [[nodiscard]] Result<measure::FixedLight> lightAt(measure::Target target) const;

    /// A trail of a length and direction that nobody knew.
    struct Trail {
        FoundTrail found;
        measure::Measured measured;
    };

    /// The trail at the target's place.
    ///
    /// Errors   those of aimAtTrail and measure::measureBody
    [[nodiscard]] Result<Trail> measureTrail(measure::Target target) const;

    struct Comet {
        measure::CometMeasured measured;
        std::optional<Angle> tail; ///< position angle
    };

    [[nodiscard]] Result<Comet> measureComet(measure::Target target,
                                             const measure::CometOptions& options) const;

    /// What is wrong with the light of a star or body, as bits.
    enum LightFlag : unsigned {
        kLightBlend = 1,       ///< a star of the catalogue stands beside it
        kLightPassingStar = 2, ///< likewise, beside a body
        kLightSaturated = 4,
        kLightEdge = 8,
        kLightDefect = 16,
        kLightElsewhere = 32 ///< a star of another field
    };

    /// How light at a place is measured: by the profile of a point, or within a circle whose light is made up to all of a point's.
    struct LightMethod {
        enum class Kind { Profile, Arcsec, Widths, Best };

        Kind kind = Kind::Profile;
        double radius = 0.0; ///< arcsec, or widths of a star on the frame
    };

    /// Light at a place, as it compares with that of others on the same frame.
    struct PlaceLight {
        double flux = 0.0; ///< electrons; NaN where it could not be measured
        double error = 0.0;
        unsigned flags = 0;
    };

    /// The first `count` stars of a catalogue field at their very places, their neighbours taken off.
    [[nodiscard]] std::vector<PlaceLight> starLights(std::span<const catalog::Star> field,
                                                     std::size_t count,
                                                     const LightMethod& method) const;

    /// A body by the same measure, at the place where it was found, or where it should be.
    [[nodiscard]] PlaceLight bodyLight(const measure::Target& target,
                                       std::span<const catalog::Star> field,
                                       const LightMethod& method) const;

    /// The magnitude of the faintest light that would be seen about the predicted place: see measure::leastSeen.
    [[nodiscard]] std::optional<double> upperLimit(const measure::Target& target) const;

    /// The magnitude of so many electrons at a place.
    [[nodiscard]] std::optional<double> magnitudeOf(double electrons, const SkyPos& place) const;

  private:
    /// Forms whose lights, by their weights, make up that of a place between them.
    struct MixedForms {
        measure::PointForms forms;
        double weight = 1.0;
    };

    MeasurableFile() = default;

    void learn(const frame::Header& header, const catalog::StarStore* store);
    void learnFromStack(const frame::Header& header);
    [[nodiscard]] std::optional<solve::PhotometricMatch> photometryAt(const SkyPos& place) const;
    [[nodiscard]] measure::Picture pictureAt(const SkyPos& place) const;
    [[nodiscard]] PlaceLight lightOf(std::span<const MixedForms> forms,
                                     frame::PixelPos place,
                                     std::span<const measure::StarNearby> nearby,
                                     unsigned blend,
                                     const LightMethod& method) const;
    [[nodiscard]] std::optional<PlaceLight>
    lightBy(const LightMethod& method,
            const measure::PointForms& forms,
            frame::PixelPos place,
            std::span<const measure::StarNearby> nearby) const;
    void markPixels(frame::PixelPos place, PlaceLight& light) const;
    void addMotion(measure::Target& target) const;
    [[nodiscard]] measure::Target aimed(measure::Target target) const;
    void addNeighbours(measure::Target& target, double aroundArcsec) const;
    [[nodiscard]] bool isItself(const measure::Target& target, const catalog::Star& star) const;

    frame::FrameInfo info_;
    Utc middle_;
    frame::Image electrons_;
    frame::Image withoutSky_;
    frame::Image variance_;                          ///< of a stack
    measure::Picture picture_;                       ///< with the shape of its middle
    std::optional<detect::PointSpreadField> spread_; ///< of its stars
    std::vector<LightStar> sources_;
    double rate_ = 0.0; ///< of what stands still in a stack, arcsec per minute
    Angle angle_;       ///< its position angle
    const catalog::StarStore* store_ = nullptr;
};

} // namespace pathmark::night
