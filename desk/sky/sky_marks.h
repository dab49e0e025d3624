#pragma once

#include "desk/session/night_snapshot.h"
#include "desk/sky/sky_layer.h"

#include <QString>

#include <utility>
#include <vector>

namespace pathmark::desk {

/// The path of one body over the sky: a tick for each exposure's middle, a chevron at the newest end, notches
/// where it was measured, an outline where its orbit leaves its place open.
struct PathMark {
    QString name;
    std::vector<SkyPos> predicted; ///< in order of time
    std::vector<SkyPos> measured;
    std::vector<night::MeasurementState> states;
    std::vector<SkyPos> uncertainty; ///< outline of where it is to 95 % in the frame in hand
    int currentTick = -1;            ///< index into predicted of the frame in hand
    bool inHand = false;
    bool candidate = false; ///< found, not predicted: its path is solid
};

/// The paths of the bodies of one series that are in reach or in hand.
std::vector<PathMark> pathMarks(const NightSnapshot& night,
                                const night::SeriesId& series,
                                const night::FrameId& currentFrame,
                                const orbit::BodyId& currentBody);

/// The body of a stack on its motion: where it stands, and `ahead` of the way it goes.
std::vector<PathMark> stackMarks(const Measurements& measurements, Angle ahead);

/// Paths of bodies; marks never cover the place they mark.
class PathLayer final : public SkyLayer {
  public:
    explicit PathLayer(std::vector<PathMark> marks) : marks_(std::move(marks)) {}

    void draw(QPainter& painter, const SkyPlaces& places, LabelGround& ground) const override;

  private:
    std::vector<PathMark> marks_;
};

} // namespace pathmark::desk
