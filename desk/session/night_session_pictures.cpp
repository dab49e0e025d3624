#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <algorithm>
#include <array>
#include <cstdlib>

// The pictures of the session: what is wanted, what is read ahead, what is kept.
namespace pathmark::desk {
namespace {

/// Pictures are kept up to this much: seven frames of 26 megapixels.
constexpr std::size_t kKeptBytes = std::size_t{1} << 30U;

/// What is read ahead of the frame in hand, in steps of the hand's direction, in order of how soon it is wanted.
constexpr std::array kAhead{0, 1, 2, -1, 3};

} // namespace

void NightSession::forgetPictures() {
    ahead_.drop();
    aside_.drop();
    cache_.clear();
    loading_.clear();
    unreadable_.clear();
}

void NightSession::setBrightness(int brightness) {
    if (stretch_.brightness == brightness) {
        return;
    }
    stretch_.brightness = brightness;
    forgetPictures();
    wantPicture();
}

void NightSession::wantPicture() {
    if (!snapshot_ || frame_ < 0) {
        return;
    }
    if (showsStack_) {
        loadBodyStack();
        return;
    }
    if (showsOwnPixels_) {
        loadOwnPixels();
        return;
    }
    if (const auto known = cache_.value(frame_)) {
        emit pictureChanged(known);
    }
    loadWanted();
}

/// Reads the frame in hand and those ahead of it, two at a time: a frame that was passed over meanwhile is not begun.
void NightSession::loadWanted() {
    const int count = static_cast<int>(snapshot_->lights.size());
    for (const int by : kAhead) {
        const int wanted = frame_ + direction_ * by;
        const bool isThere = wanted >= 0 && wanted < count;
        if (isThere && loading_.size() < 2 && !cache_.contains(wanted) &&
            !loading_.contains(wanted) && !unreadable_.contains(wanted)) {
            loadFrame(wanted);
        }
    }
}

void NightSession::showAside(std::shared_ptr<const Picture> picture) {
    aside_.drop();
    emit pictureChanged(std::move(picture));
}

LightFile NightSession::lightFile(int index) const {
    const auto& light = snapshot_->lights[static_cast<std::size_t>(index)];
    const frame::FrameInfo* info = snapshot_->infoOf(light);
    return {light, info != nullptr ? info->bayerPattern : std::string()};
}

void NightSession::loadFrame(int index) {
    loading_.insert(index);
    ahead_.start([file = lightFile(index),
                  grid = gridOf(index),
                  stretch = stretch_] { return loadLight(file, grid, stretch); },
                 [this, index](Result<std::shared_ptr<const Picture>> picture) {
                     loading_.remove(index);
                     if (picture) {
                         keep(index, *picture);
                         if (index == frame_ && !showsStack_) {
                             emit pictureChanged(*picture);
                         }
                     } else {
                         unreadable_.insert(index);
                         if (index == frame_) {
                             emit failed(message(picture.error()));
                         }
                     }
                     loadWanted();
                 });
}

void NightSession::keep(int index, const std::shared_ptr<const Picture>& picture) {
    cache_.insert(index, picture);
    std::size_t bytes = 0;
    for (const auto& kept : cache_) {
        bytes += kept->bytes();
    }
    while (bytes > kKeptBytes && cache_.size() > 1) {
        const auto farthest =
            std::max_element(cache_.keyBegin(), cache_.keyEnd(), [this](int a, int b) {
                return std::abs(a - frame_) < std::abs(b - frame_);
            });
        bytes -= cache_.value(*farthest)->bytes();
        cache_.remove(*farthest);
    }
}

void NightSession::loadOwnPixels() {
    loadAside(
        [file = lightFile(frame_), stretch = stretch_]() mutable {
            file.light.wcs.reset();
            return loadLight(file, std::nullopt, stretch);
        },
        [this, index = frame_] { return showsOwnPixels_ && index == frame_; });
}

void NightSession::setShowsRaw(bool shows) {
    if (showsRaw_ == shows || currentLight() == nullptr) {
        return;
    }
    showsRaw_ = shows;
    if (shows) {
        loadRawFrame();
    } else {
        wantPicture();
    }
}

void NightSession::setShowsOwnPixels(bool shows) {
    if (showsOwnPixels_ == shows || currentLight() == nullptr) {
        return;
    }
    showsOwnPixels_ = shows;
    wantPicture();
}

void NightSession::loadRawFrame() {
    loadAside([file = lightFile(frame_),
               grid = gridOf(frame_),
               stretch = stretch_] { return loadRaw(file, grid, stretch); },
              [this, index = frame_] { return showsRaw_ && index == frame_; });
}

std::filesystem::path NightSession::starStack() const {
    const auto& lights = snapshot_->lights;
    const auto series = currentLight()->series;
    const std::filesystem::path* found = nullptr;
    int latest = -1;
    for (const auto& [first, path] : snapshot_->starStacks) {
        const int place = snapshot_->placeOf(first);
        if (place < 0 || lights[static_cast<std::size_t>(place)].series != series) {
            continue;
        }
        if (found == nullptr || (place <= frame_ && place > latest)) {
            found = &path;
            latest = place;
        }
    }
    return found != nullptr ? *found : std::filesystem::path();
}

NightSession::StackInHand NightSession::stackInHand() const {
    const auto measurements = currentMeasurements();
    const Utc& now = currentLight()->middle;
    const night::MeasurementRecord* stack = nullptr;
    for (const auto& m : measurements) {
        if (m.onStack && (stack == nullptr || std::abs(m.time.secondsSince(now)) <
                                                  std::abs(stack->time.secondsSince(now)))) {
            stack = &m;
        }
    }
    if (stack == nullptr) {
        return {starStack(), tr("Stack on the stars")};
    }
    return {stack->picture,
            tr("%1, %n frame(s) on its motion", nullptr, stack->frames)
                .arg(QString::fromStdString(body_.text()))};
}

void NightSession::loadBodyStack() {
    loadAside(
        [stack = stackInHand(), grid = gridOf(frame_), stretch = stretch_, map = stackMap_] {
            return loadStack(stack.path, stack.title, grid, stretch, map);
        },
        [this, map = stackMap_] { return showsStack_ && map == stackMap_; });
}

void NightSession::loadAside(std::function<Result<std::shared_ptr<const Picture>>()> load,
                             std::function<bool()> isWanted) {
    aside_.start(std::move(load),
                 [this, isWanted = std::move(isWanted)](
                     const Result<std::shared_ptr<const Picture>>& picture) {
                     if (!isWanted()) {
                         return;
                     }
                     if (picture) {
                         emit pictureChanged(*picture);
                     } else {
                         emit failed(message(picture.error()));
                     }
                 });
}

} // namespace pathmark::desk
