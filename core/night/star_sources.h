#pragma once

#include "core/catalog/star_store.h"
#include "core/measure/picture.h"
#include "core/solve/photometric_match.h"
#include "core/solve/solve_frame.h"

#include <functional>
#include <optional>
#include <vector>

namespace pathmark::night {

/// Nearer to each other than so many widths of a star two lights are one to the eye.
constexpr double kItselfFwhm = 0.8;

/// The light that a star of the catalogue has on a picture; the colour of an average star where its own is not known.
double electronsOf(const catalog::Star& star,
                   const solve::PhotometricMatch& photometry,
                   double exposureSeconds);

/// A star of the catalogue as it stands and shines in a picture, its light not known without a zero point; nothing where the picture
/// cannot see its place.
std::optional<measure::StarNearby> starOn(const measure::Picture& picture,
                                          const catalog::Star& star);

/// Stars within a distance of a place.
struct StarsAbout {
    SkyPos place;
    Angle reach;
    Utc time;
};

/// Those of a catalogue as they stand and shine in a picture; none where it cannot be asked.
///
/// Shapes   `isLeftOut`: whether a star at a pixel is none of them
std::vector<measure::StarNearby>
starsOn(const measure::Picture& picture,
        const catalog::StarStore& store,
        const StarsAbout& about,
        const std::function<bool(const catalog::Star&, frame::PixelPos)>& isLeftOut);

/// Those of them that shine into a fit of what is anywhere within the distance of the place: near ones all, far ones where they are
/// bright.
std::vector<measure::StarNearby>
starsBeside(const measure::Picture& picture,
            const catalog::StarStore& store,
            const StarsAbout& about,
            const std::function<bool(const catalog::Star&, frame::PixelPos)>& isLeftOut);

/// Indices of the sources of a solved frame whose light stars of the catalogue explain: those that the solution is
/// matched with, and those beside which stars lie that together are as bright. Two stars that run together have a centroid
/// that jumps from frame to frame; it is no body for that.
std::vector<std::size_t> sourcesOnStars(const detect::Detection& detection,
                                        const solve::Solution& solution,
                                        const std::optional<solve::PhotometricMatch>& photometry,
                                        double exposureSeconds,
                                        const Utc& date,
                                        solve::FrameSize size,
                                        const catalog::StarStore& store);

} // namespace pathmark::night
