#include "desk/solve/hand_fit_session.h"

#include "desk/session/message.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kFewestShown = 8;
constexpr int kMostShown = 1500;
constexpr int kShownAtFirst = 120;
constexpr double kFinestScale = 0.02; ///< arcsec per pixel; no camera is beyond
constexpr double kCoarsestScale = 120.0;
constexpr double kFainterStep = 1.5; ///< times as many stars
/// How much wider than the frame the field is that is read at once: the hand may move in it.
constexpr double kFieldRoom = 1.6;

/// The stars of a frame under the solution that a fit by hand locks on to.
Result<night::FrameStars> lockOn(const night::FrameStars& stars,
                                 const catalog::StarStore& catalogue,
                                 const frame::Wcs& wcs,
                                 double faintest,
                                 const Utc& date) {
    auto fit = solve::lockHandFit(stars.detection, stars.size, date, wcs, faintest, catalogue);
    if (!fit) {
        return fail(fit.error());
    }
    auto account = night::residualsOf(stars.detection, stars.size, date, *fit, catalogue);
    if (!account) {
        return fail(account.error());
    }
    night::FrameStars result = stars;
    result.solution = std::move(*fit);
    result.stars = std::move(*account);
    return result;
}

} // namespace

HandFitSession::HandFitSession(NightSession& session, FrameStarSearch& look, QObject* parent)
    : QObject(parent), session_(session), look_(look), locks_(session.jobs(), 1) {
    // A hand fit belongs to one frame.
    connect(&session_, &NightSession::frameChanged, this, [this] { leave(); });
    connect(&session_, &NightSession::nightChanged, this, [this] { leave(); });
}

frame::PixelPos HandFitSession::middle() const {
    return stars_->size.middle();
}

double HandFitSession::radiusPixels() const {
    return isOn() ? std::max(4.0, 0.006 * stars_->size.diagonal()) : 0.0;
}

double HandFitSession::faintest() const {
    return field_.empty() ? 0.0 : field_.back().magG;
}

void HandFitSession::begin() {
    const auto stars = look_.stars();
    if (isOn() || session_.night() == nullptr || session_.currentFrame() < 0) {
        return;
    }
    if (!stars) {
        emit session_.failed(look_.state());
        return;
    }
    auto store = look_.store();
    if (!store) {
        emit session_.failed(message(store.error()));
        return;
    }
    catalogue_ = *store;
    const NightSnapshot& night = *session_.night();
    light_ = night.lights[static_cast<std::size_t>(session_.currentFrame())];
    const frame::FrameInfo* info = night.infoOf(light_);
    stars_ = stars;
    start_ = night::handFitStart(
        light_, info != nullptr ? *info : frame::FrameInfo{}, night.lights, *catalogue_);
    shown_ =
        std::clamp(static_cast<int>(stars_->detection.sources.size()), kFewestShown, kShownAtFirst);
    fieldCentre_.reset();
    emit began();
    set(start_);
}

void HandFitSession::leave() {
    if (!isOn()) {
        return;
    }
    locks_.drop();
    stars_.reset();
    locked_.reset();
    field_.clear();
    coincidence_ = {};
    emit left();
    emit changed();
}

/// Reads the stars again once the hand has moved far from where they were read.
void HandFitSession::readField() {
    const SkyPos centre = wcs_.toSky(middle());
    const double scale = wcs_.scaleArcsec();
    const double diagonal = stars_->size.diagonal();
    const double reach = 0.5 * kFieldRoom * diagonal * scale;
    const bool near = fieldCentre_ && std::abs(std::log(scale / fieldScale_)) < 0.1 &&
                      separation(*fieldCentre_, centre).arcsec() < 0.25 * reach;
    if (near) {
        return;
    }
    const double squareDegrees = stars_->size.squareDegrees(scale);
    auto field = catalogue_->brightest(
        centre, Angle::arcsec(reach), light_.middle, shown_ / std::max(squareDegrees, 1e-9));
    field_ = field ? std::move(*field) : std::vector<catalog::Star>{};
    // Whole tiles are read: keep as many as were asked for.
    const double part = 3.15 * reach * reach / (squareDegrees * 3600.0 * 3600.0);
    const auto most = static_cast<std::size_t>(shown_ * std::max(part, 1.0));
    if (field_.size() > most) {
        field_.resize(most);
    }
    fieldCentre_ = centre;
    fieldScale_ = scale;
}

void HandFitSession::set(const frame::Wcs& wcs) {
    wcs_ = wcs;
    locked_.reset();
    locks_.drop();
    readField();
    coincidence_ = solve::coincide(stars_->detection, field_, wcs_, stars_->size, radiusPixels());
    emit changed();
}

void HandFitSession::drag(frame::PixelPos from, frame::PixelPos to) {
    if (isOn()) {
        set(solve::moved(wcs_, from, to));
    }
}

void HandFitSession::turn(double degrees, frame::PixelPos about) {
    if (isOn()) {
        set(solve::turned(wcs_, Angle::degrees(degrees), about));
    }
}

void HandFitSession::scale(double factor, frame::PixelPos about) {
    const double scale = isOn() ? wcs_.scaleArcsec() / factor : 0.0;
    if (scale > kFinestScale && scale < kCoarsestScale) {
        set(solve::scaled(wcs_, factor, about));
    }
}

void HandFitSession::flip() {
    if (isOn()) {
        set(solve::flipped(wcs_, middle()));
    }
}

void HandFitSession::showFainter(int steps) {
    if (isOn()) {
        shown_ = std::clamp(static_cast<int>(std::lround(shown_ * std::pow(kFainterStep, steps))),
                            kFewestShown,
                            kMostShown);
        fieldCentre_.reset();
        set(wcs_);
    }
}

void HandFitSession::backToStart() {
    if (isOn()) {
        set(start_);
    }
}

void HandFitSession::lock() {
    if (!isOn() || isLocking()) {
        return;
    }
    locks_.start([stars = stars_,
                  catalogue = catalogue_,
                  wcs = wcs_,
                  faintest = faintest(),
                  date = light_.middle] { return lockOn(*stars, *catalogue, wcs, faintest, date); },
                 [this](Result<night::FrameStars> result) {
                     if (result) {
                         locked_ = std::make_shared<const night::FrameStars>(std::move(*result));
                     } else {
                         emit session_.failed(message(result.error()));
                     }
                     emit changed();
                 });
    emit changed();
}

std::vector<night::FrameId> HandFitSession::unsolvedOfSeries() const {
    std::vector<night::FrameId> others;
    if (session_.night() != nullptr) {
        for (const auto& light : session_.night()->lights) {
            if (light.series == light_.series && light.frame != light_.frame && !light.solved()) {
                others.push_back(light.frame);
            }
        }
    }
    return others;
}

void HandFitSession::keep(bool offerToSeries) {
    if (!locked_) {
        return;
    }
    const auto offered = offerToSeries ? unsolvedOfSeries() : std::vector<night::FrameId>{};
    const std::string name = light_.raw.filename().string();
    const night::FitByHand fit{light_.frame, locked_->solution->wcs, offered};
    leave();
    session_.decide({"hand fit of " + name, {fit}});
    emit changed();
    emit session_.notified(
        (offered.empty()
             ? tr("The hand fit is kept.")
             : tr("The hand fit is kept, and offered to %n other frame(s) of the series.",
                  nullptr,
                  static_cast<int>(offered.size()))) +
        " " + tr("The next run (Ctrl+R) uses it; Ctrl+Z undoes it."));
}

bool HandFitSession::isKept() const {
    const int index = session_.currentFrame();
    return session_.night() != nullptr && index >= 0 &&
           session_.night()->decided->handFits.contains(
               session_.night()->lights[static_cast<std::size_t>(index)].frame);
}

void HandFitSession::forget() {
    if (!isKept()) {
        return;
    }
    const auto& light = session_.night()->lights[static_cast<std::size_t>(session_.currentFrame())];
    session_.decide({"no hand fit of " + light.raw.filename().string(),
                     {night::FitByHand{light.frame, std::nullopt, {}}}});
    emit changed();
    emit session_.notified(
        tr("The hand fit of this frame is removed. The next run (Ctrl+R) solves it by itself."));
}

} // namespace pathmark::desk
