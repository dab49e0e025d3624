#include "desk/solve/frame_star_search.h"

#include "desk/session/message.h"

namespace pathmark::desk {
namespace {

constexpr int kKnownFrames = 16;

} // namespace

FrameStarSearch::FrameStarSearch(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), searching_(session.jobs(), 1) {
    connect(&session_, &NightSession::nightChanged, this, [this] {
        forget();
        look();
    });
    connect(&session_, &NightSession::frameChanged, this, [this] { look(); });
}

void FrameStarSearch::setWanted(bool wanted) {
    if (wanted_ != wanted) {
        wanted_ = wanted;
        look();
    }
}

std::shared_ptr<const night::FrameStars> FrameStarSearch::stars() const {
    return known_.value(session_.currentFrame());
}

Result<std::shared_ptr<const catalog::StarStore>> FrameStarSearch::store() {
    return session_.sources()->stars();
}

void FrameStarSearch::forget() {
    searching_.drop();
    known_.clear();
}

void FrameStarSearch::look() {
    state_.clear();
    const int index = session_.currentFrame();
    if (!wanted_ || session_.night() == nullptr || index < 0 || known_.contains(index)) {
        emit changed();
        return;
    }
    const auto& light = session_.night()->lights[static_cast<std::size_t>(index)];
    if (light.calibrated == light.raw) {
        state_ = tr("This frame has not been run yet. Run (Ctrl+R) calibrates and solves it.");
        emit changed();
        return;
    }
    state_ = tr("Searching the frame for its stars …");
    emit changed();
    // One at a time: while frames are stepped through, those in between are passed over.
    if (searching_.isBusy()) {
        return;
    }
    auto opened = store();
    if (!opened) {
        state_ = message(opened.error());
        emit changed();
        return;
    }
    searching_.start(
        [light, store = *opened] { return night::starsOf(light, *store); },
        [this, index](Result<night::FrameStars> found) { take(index, std::move(found)); });
}

void FrameStarSearch::take(int index, Result<night::FrameStars> found) {
    if (!found && index == session_.currentFrame()) {
        state_ = message(found.error()) + "\n\n" +
                 tr("Run again (Ctrl+R): what is missing is made anew.");
        emit changed();
        return;
    }
    if (found) {
        if (known_.size() >= kKnownFrames) {
            known_.clear();
        }
        known_.insert(index, std::make_shared<const night::FrameStars>(std::move(*found)));
    }
    look();
}

} // namespace pathmark::desk
