#include "desk/stack/stack_session.h"

#include "desk/session/message.h"

#include <utility>

namespace pathmark::desk {
namespace {

constexpr int kViewSide = 181; ///< pixels of the view
constexpr int kPlaneSide = 61; ///< motions of the plane, each way

/// The frames of a series that show the body and are not left out.
std::vector<night::BodyInLight>
bodyInSeries(const NightSnapshot& night, const night::SeriesId& series, const orbit::BodyId& body) {
    std::vector<night::BodyInLight> found;
    for (const std::size_t k : night.predictedIn(series, body)) {
        const night::PredictionRecord& place = night.predictions[k];
        const int light = night.placeOf(place.frame);
        const auto at = static_cast<std::size_t>(std::max(0, light));
        if (light >= 0 && night.isUsed(at)) {
            found.push_back({&night.lights[at], &place});
        }
    }
    return found;
}

std::vector<night::FrameId> framesOf(const std::vector<night::BodyInLight>& body) {
    std::vector<night::FrameId> frames;
    frames.reserve(body.size());
    for (const night::BodyInLight& one : body) {
        frames.push_back(one.light->frame);
    }
    return frames;
}

std::shared_ptr<const MotionViews> viewsAt(const night::BodyFrames& frames,
                                           const night::MotionSurvey& survey,
                                           const night::SkyMotion& motion,
                                           stack::Starlight starlight) {
    using night::StackPart;
    auto views = std::make_shared<MotionViews>();
    views->motion = motion;
    views->snr = frames.snrAt(motion, survey);
    std::size_t at = 0;
    for (const auto part : {StackPart::All, StackPart::FirstHalf, StackPart::SecondHalf}) {
        views->values[at] = frames.stackedAt(motion, part, starlight);
        views->pictures[at] = stretched(views->values[at], {});
        ++at;
    }
    return views;
}

} // namespace

StackSession::StackSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), reading_(session.jobs(), 1),
      surveying_(session.jobs(), 1), adding_(session.jobs(), 1) {
    connect(&session_, &NightSession::nightChanged, this, &StackSession::loadAgain);
    connect(&session_, &NightSession::bodyChanged, this, &StackSession::loadAgain);
    connect(&session_, &NightSession::frameChanged, this, [this] {
        const night::LightRecord* light = session_.currentLight();
        if (light != nullptr && light->series != series_) {
            loadAgain();
        }
    });
    connect(&session_, &NightSession::measurementsChanged, this, [this] {
        // A frame that is left out by a decision, or taken in again.
        const auto snapshot = session_.snapshot();
        if (frames_ != nullptr && snapshot != nullptr &&
            framesOf(bodyInSeries(*snapshot, series_, session_.currentBody())) != added_) {
            loadAgain();
        }
    });
}

void StackSession::loadAgain() {
    forget();
    load();
}

void StackSession::setWanted(bool wanted) {
    wanted_ = wanted;
    if (wanted && frames_ == nullptr && !reading_.isBusy()) {
        load();
    }
}

void StackSession::forget() {
    reading_.drop();
    surveying_.drop();
    adding_.drop();
    addsAgain_ = false;
    frames_.reset();
    survey_.reset();
    views_.reset();
    emit viewsChanged();
}

void StackSession::showState(const QString& state) {
    state_ = state;
    emit changed();
}

void StackSession::load() {
    const auto snapshot = session_.snapshot();
    const night::LightRecord* light = session_.currentLight();
    if (!wanted_ || snapshot == nullptr || light == nullptr) {
        return;
    }
    series_ = light->series;
    if (session_.currentBody().text().empty()) {
        showState(tr("Take a body in hand to see its motion."));
        return;
    }
    auto body = bodyInSeries(*snapshot, series_, session_.currentBody());
    added_ = framesOf(body);
    if (body.size() < 2) {
        showState(tr("Fewer than two solved frames of this series show the body, so there is no "
                     "motion to add them on."));
        return;
    }
    showState(tr("Reading %n frame(s) about the body…", nullptr, static_cast<int>(body.size())));
    reading_.start(
        [snapshot, body = std::move(body)](
            const Job& job) -> Result<std::shared_ptr<const night::BodyFrames>> {
            auto frames = night::BodyFrames::cut(body, kViewSide, job);
            if (!frames) {
                return fail(frames.error());
            }
            return std::make_shared<const night::BodyFrames>(std::move(*frames));
        },
        [this](Result<std::shared_ptr<const night::BodyFrames>> frames) {
            takeFrames(std::move(frames));
        });
}

void StackSession::takeFrames(Result<std::shared_ptr<const night::BodyFrames>> frames) {
    if (!frames) {
        showState(message(frames.error()));
        return;
    }
    frames_ = *frames;
    motion_ = frames_->predicted();
    surveyMotions(frames_->usualHalfWidth(), true);
}

void StackSession::surveyMotions(double halfWidth, bool isFirst) {
    surveying_.drop();
    surveying_.start(
        [frames = frames_, halfWidth] {
            return std::make_shared<const night::MotionSurvey>(
                frames->survey(halfWidth, kPlaneSide));
        },
        [this, isFirst](std::shared_ptr<const night::MotionSurvey> survey) {
            survey_ = std::move(survey);
            showState({});
            if (isFirst) {
                add();
            }
        });
}

void StackSession::widen(double factor) {
    if (survey_ != nullptr) {
        surveyMotions(survey_->halfWidth * factor, false);
    }
}

void StackSession::setMotion(const night::SkyMotion& motion) {
    motion_ = motion;
    add();
}

void StackSession::setShowsStars(bool shows) {
    const auto starlight = shows ? stack::Starlight::Kept : stack::Starlight::LeftOut;
    if (std::exchange(starlight_, starlight) != starlight) {
        add();
    }
}

void StackSession::takePredicted() {
    if (frames_ != nullptr) {
        setMotion(frames_->predicted());
    }
}

void StackSession::takeFitted() {
    if (survey_ != nullptr && survey_->fitted) {
        setMotion(survey_->fitted->motion);
    }
}

void StackSession::takeIntoRun() {
    if (frames_ == nullptr || survey_ == nullptr) {
        return;
    }
    const night::SkyMotion& orbit = frames_->predicted();
    const bool isOrbits = motion_.east == orbit.east && motion_.north == orbit.north;
    session_.addOnMotion(
        series_, isOrbits ? std::nullopt : std::optional(frames_->beyondOrbit(motion_, *survey_)));
}

std::optional<night::SkyMotion> StackSession::motionOfRun() const {
    const auto snapshot = session_.snapshot();
    if (snapshot == nullptr || frames_ == nullptr) {
        return std::nullopt;
    }
    const auto& motions = snapshot->decided->motions;
    const auto found = motions.find({session_.currentBody(), series_});
    if (found == motions.end()) {
        return std::nullopt;
    }
    return night::SkyMotion{frames_->predicted().east + found->second.eastArcsecPerMin,
                            frames_->predicted().north + found->second.northArcsecPerMin};
}

/// One at a time: what the hand did meanwhile is done next.
void StackSession::add() {
    if (frames_ == nullptr || survey_ == nullptr) {
        return;
    }
    if (adding_.isBusy()) {
        addsAgain_ = true;
        return;
    }
    adding_.start(
        [frames = frames_, survey = survey_, motion = motion_, starlight = starlight_] {
            return viewsAt(*frames, *survey, motion, starlight);
        },
        [this](std::shared_ptr<const MotionViews> views) {
            views_ = std::move(views);
            emit viewsChanged();
            if (std::exchange(addsAgain_, false)) {
                add();
            }
        });
}

} // namespace pathmark::desk
