#pragma once

#include "core/night/decisions.h"
#include "core/stack/motion_plane.h"

#include <memory>
#include <optional>
#include <span>

namespace pathmark::night {

/// A body in a light: what it is measured by.
struct BodyInLight {
    const LightRecord* light = nullptr; ///< solved
    const PredictionRecord* place = nullptr;
};

/// A motion over the sky, arcsec per minute.
struct SkyMotion {
    double east = 0.0;
    double north = 0.0;

    /// Of that rate towards a position angle.
    static SkyMotion towards(double rate, double positionAngleDegrees);

    [[nodiscard]] double rate() const;

    /// East of north, 0 to 360.
    [[nodiscard]] double positionAngleDegrees() const;
};

/// An error ellipse in the plane of motions: variances and covariance, (arcsec per minute) squared.
struct MotionCovariance {
    double east = 0.0;
    double both = 0.0;
    double north = 0.0;
};

/// What frames show of a body on motions about its own.
struct MotionSurvey {
    SkyMotion middle;       ///< of the plane: the predicted motion
    double halfWidth = 0.0; ///< arcsec per minute
    frame::Image
        snr; ///< square; the first pixel is farthest east and south, as on a sky with north up and east to the left

    /// The motion that the frames show; nothing where no light stands out of them.
    struct Fitted {
        SkyMotion motion;
        MotionCovariance covariance;
        double snr = 0.0;
        double eastArcsec = 0.0; ///< from the predicted place, in the middle of the frames
        double northArcsec = 0.0;
    };

    std::optional<Fitted> fitted;
};

/// Which of the frames are added.
enum class StackPart { All, FirstHalf, SecondHalf };

/// The frames of a series about a body, kept in memory on pixels that go along with it: north up, east to the left.
class BodyFrames {
  public:
    /// `body`: of lights of one series, in the order of time. `side`: of the view, pixels of the first light's size.
    ///
    /// Errors   stack.no_frames  fewer than two lights, or none shows the place; base.cancelled, and those of the readers
    static Result<BodyFrames> cut(std::span<const BodyInLight> body, int side, const Job& job);

    /// In the middle of the frames.
    [[nodiscard]] const SkyMotion& predicted() const { return predicted_; }

    /// What the orbit leaves open of its motion: how far the errors of the predicted places differ between the first frame and the last.
    ///
    /// Model    Both are taken to be of one cause, as errors of elements are within a night.
    [[nodiscard]] const MotionCovariance& predictedError() const { return predictedError_; }

    [[nodiscard]] int count() const { return static_cast<int>(frames_->frames().size()); }

    [[nodiscard]] double spanMinutes() const { return frames_->spanMinutes(); }

    /// Motions that far from the predicted are told apart well: ten star widths from the middle of the frames to their end.
    [[nodiscard]] double usualHalfWidth() const;

    /// The S/N over motions, and the motion of what is there.
    ///
    /// Model    stack::fitMotion with places within three of the predicted place's errors, at least a star's width and a half; the plane is that
    ///          at the place that was found, else at the predicted one.
    [[nodiscard]] MotionSurvey survey(double halfWidth, int side) const;

    /// At the place of a survey.
    [[nodiscard]] double snrAt(const SkyMotion& motion, const MotionSurvey& survey) const;

    /// A motion and the place of a survey, as what the body does beyond its orbit.
    [[nodiscard]] BeyondOrbit beyondOrbit(const SkyMotion& motion,
                                          const MotionSurvey& survey) const;

    /// The view at a motion: clipped, electrons of the first light.
    [[nodiscard]] frame::Image
    stackedAt(const SkyMotion& motion,
              StackPart part,
              stack::Starlight starlight = stack::Starlight::LeftOut) const;

    /// The way from pixels of the view to the sky, in the middle of the frames.
    [[nodiscard]] const stack::PixelGrid& grid() const { return frames_->grid(); }

    /// Where a survey has the body, in the middle of the frames.
    [[nodiscard]] frame::PixelPos placeOf(const MotionSurvey& survey) const;

    /// Of a star, pixels of the view.
    [[nodiscard]] double fwhmPixels() const { return sums_->fwhm(); }

  private:
    BodyFrames() = default;

    [[nodiscard]] stack::GridMotion fasterBy(const SkyMotion& motion) const;

    std::shared_ptr<const stack::MovingFrames> frames_;
    std::shared_ptr<const stack::PointSums> sums_;
    Utc middle_;
    SkyMotion predicted_;
    MotionCovariance predictedError_;
    double placeErrorArcsec_ = 0.0;
};

} // namespace pathmark::night
