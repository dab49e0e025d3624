#include "core/night/body_frames.h"

#include "core/night/recorded_frames.h"
#include "core/night/stack_motion.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kUsualWidths = 10.0; ///< star widths from the middle of the frames to their end
constexpr double kMostWidths = 24.0;  ///< that a survey may reach
constexpr double kLeastSnr = 5.0;     ///< of what counts as found

/// Where the body is predicted at a time, between the two frames about it.
SkyPos placeAt(std::span<const BodyInLight> body, const Utc& time) {
    std::size_t next = 1;
    while (next + 1 < body.size() && body[next].place->time < time) {
        ++next;
    }
    const PredictionRecord& a = *body[next - 1].place;
    const PredictionRecord& b = *body[next].place;
    const double span = b.time.secondsSince(a.time);
    const double t = span > 0.0 ? time.secondsSince(a.time) / span : 0.0;
    const PlanePos way = toTangentPlane(a.sky, b.sky);
    return fromTangentPlane(a.sky, {t * way.xi, t * way.eta});
}

/// The predicted motion nearest to a time.
SkyMotion motionAt(std::span<const BodyInLight> body, const Utc& time) {
    const auto nearest =
        std::min_element(body.begin(), body.end(), [&](const auto& a, const auto& b) {
            return std::abs(a.place->time.secondsSince(time)) <
                   std::abs(b.place->time.secondsSince(time));
        });
    return motionOf(*nearest->place);
}

/// See BodyFrames::predictedError.
MotionCovariance errorOf(std::span<const BodyInLight> body) {
    const PredictionRecord& first = *body.front().place;
    const PredictionRecord& last = *body.back().place;
    const double minutes = last.time.secondsSince(first.time) / 60.0;
    if (!(minutes > 0.0)) {
        return {};
    }
    const double major = (last.sigmaMajorArcsec - first.sigmaMajorArcsec) / minutes;
    const double minor = (last.sigmaMinorArcsec - first.sigmaMinorArcsec) / minutes;
    const double angle = last.sigmaAngleDegrees * kRadiansPerDegree;
    const double s = std::sin(angle);
    const double c = std::cos(angle);
    return {major * major * s * s + minor * minor * c * c,
            (major * major - minor * minor) * s * c,
            major * major * c * c + minor * minor * s * s};
}

/// North up and east to the left, with pixels of the size of the light's.
stack::PixelGrid northUp(const SkyPos& centre, const frame::Wcs& like, int side) {
    frame::Wcs wcs;
    wcs.referenceSky = centre;
    wcs.referencePixel = {0.5 * (side - 1), 0.5 * (side - 1)};
    const double scale = Angle::arcsec(like.scaleArcsec()).radians();
    wcs.cd = {-scale, 0.0, 0.0, scale};
    return {wcs, side, side};
}

} // namespace

SkyMotion SkyMotion::towards(double rate, double positionAngleDegrees) {
    const double angle = positionAngleDegrees * kRadiansPerDegree;
    return {rate * std::sin(angle), rate * std::cos(angle)};
}

double SkyMotion::rate() const {
    return std::hypot(east, north);
}

double SkyMotion::positionAngleDegrees() const {
    return normalised(Angle::radians(std::atan2(east, north))).degrees();
}

Result<BodyFrames> BodyFrames::cut(std::span<const BodyInLight> body, int side, const Job& job) {
    if (body.size() < 2) {
        return fail(ErrorId::StackNoFrames,
                    "A motion needs two frames of a series that show the body's place.");
    }
    std::vector<const LightRecord*> lights;
    double beta = 0.0;
    for (const BodyInLight& one : body) {
        lights.push_back(one.light);
        beta += one.light->shape.beta / static_cast<double>(body.size());
    }
    auto frames = recordedFrames(lights);
    for (std::size_t i = 0; i < frames.size(); ++i) {
        frames[i].middle = body[i].place->time; // under a rolling shutter the body's own
    }
    const Utc middle = stack::middleOf(frames);
    const SkyPos centre = placeAt(body, middle);
    for (std::size_t i = 0; i < frames.size(); ++i) {
        frames[i].place.shift = toTangentPlane(centre, body[i].place->sky);
    }
    auto moving = stack::MovingFrames::cut(
        frames, northUp(centre, *body.front().light->wcs, side), beta, job);
    if (!moving) {
        return fail(moving.error());
    }
    BodyFrames result;
    result.frames_ = std::make_shared<const stack::MovingFrames>(std::move(*moving));
    double width = 0.0;
    for (const auto& frame : result.frames_->frames()) {
        width = std::max(width, frame.star.fwhm());
    }
    result.sums_ = std::make_shared<const stack::PointSums>(
        *result.frames_, std::min(0.5 * side, (kMostWidths + 4.0) * width));
    result.middle_ = middle;
    result.predicted_ = motionAt(body, middle);
    result.predictedError_ = errorOf(body);
    result.placeErrorArcsec_ = body[body.size() / 2].place->sigmaMajorArcsec;
    return result;
}

double BodyFrames::usualHalfWidth() const {
    const double minutes = std::max(1e-3, 0.5 * spanMinutes());
    return kUsualWidths * fwhmPixels() * grid().wcs.scaleArcsec() / minutes;
}

stack::GridMotion BodyFrames::fasterBy(const SkyMotion& motion) const {
    return stack::toGrid({(motion.east - predicted_.east) * kRadiansPerArcsec,
                          (motion.north - predicted_.north) * kRadiansPerArcsec},
                         grid().wcs);
}

MotionSurvey BodyFrames::survey(double halfWidth, int side) const {
    const double scale = grid().wcs.scaleArcsec();
    MotionSurvey survey;
    survey.middle = predicted_;
    survey.halfWidth = std::min(halfWidth, usualHalfWidth() * kMostWidths / kUsualWidths);
    const stack::GridMotion half{survey.halfWidth / scale, survey.halfWidth / scale};
    const double reach =
        std::clamp(3.0 * placeErrorArcsec_ / scale, 1.5 * fwhmPixels(), 4.0 * fwhmPixels());
    stack::PointTrack track{sums_->middle(), {}};
    if (const auto fit = stack::fitMotion(*sums_, track, half, reach, kLeastSnr)) {
        track.place = fit->track.place;
        const PlanePos faster = stack::toSky(fit->track.faster, grid().wcs);
        MotionSurvey::Fitted found;
        found.motion = {predicted_.east + faster.xi / kRadiansPerArcsec,
                        predicted_.north + faster.eta / kRadiansPerArcsec};
        // East is against x.
        found.covariance = {scale * scale * fit->covariance(2, 2),
                            -scale * scale * fit->covariance(2, 3),
                            scale * scale * fit->covariance(3, 3)};
        found.snr = fit->snr;
        found.eastArcsec = -scale * (fit->track.place.x - sums_->middle().x);
        found.northArcsec = scale * (fit->track.place.y - sums_->middle().y);
        survey.fitted = found;
    }
    survey.snr = sums_->plane(track, half, side);
    return survey;
}

frame::PixelPos BodyFrames::placeOf(const MotionSurvey& survey) const {
    const double scale = grid().wcs.scaleArcsec();
    const frame::PixelPos middle = sums_->middle();
    return survey.fitted ? frame::PixelPos{middle.x - survey.fitted->eastArcsec / scale,
                                           middle.y + survey.fitted->northArcsec / scale}
                         : middle;
}

BeyondOrbit BodyFrames::beyondOrbit(const SkyMotion& motion, const MotionSurvey& survey) const {
    return {middle_,
            survey.fitted ? survey.fitted->eastArcsec : 0.0,
            survey.fitted ? survey.fitted->northArcsec : 0.0,
            motion.east - predicted_.east,
            motion.north - predicted_.north};
}

double BodyFrames::snrAt(const SkyMotion& motion, const MotionSurvey& survey) const {
    return sums_->snr({placeOf(survey), fasterBy(motion)});
}

frame::Image
BodyFrames::stackedAt(const SkyMotion& motion, StackPart part, stack::Starlight starlight) const {
    std::vector<std::size_t> chosen;
    for (std::size_t i = 0; i < frames_->frames().size(); ++i) {
        const bool isFirst = frames_->frames()[i].minutes < 0.0;
        if (part == StackPart::All || isFirst == (part == StackPart::FirstHalf)) {
            chosen.push_back(i);
        }
    }
    combine::CombineRule rule;
    rule.combination = combine::chooseCombination(static_cast<int>(chosen.size())).combination;
    return frames_->stacked(fasterBy(motion), chosen, rule, starlight);
}

} // namespace pathmark::night
