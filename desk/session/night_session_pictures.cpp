#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <QMetaObject>

#include <algorithm>

// The pictures of the session: what is wanted, what is read ahead, what is kept.
namespace pathmark::desk {
namespace {

constexpr int kCachedPictures = 24;

} // namespace

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
    } else {
        loadFrame(frame_);
    }
    prefetch();
}

void NightSession::prefetch() {
    const int count = static_cast<int>(snapshot_->lights.size());
    for (const int by : {1, 2, -1, 3}) {
        const int near = frame_ + by;
        if (near >= 0 && near < count && !cache_.contains(near)) {
            loadFrame(near);
        }
    }
}

void NightSession::loadFrame(int index) {
    if (loading_.contains(index)) {
        return;
    }
    loading_.insert(index);
    const auto snapshot = snapshot_;
    const auto grid = gridOf(index);
    const int generation = generation_;
    const Stretch stretch = stretch_;
    pictures_.start([this, snapshot, grid, index, generation, stretch] {
        auto picture = loadLight(snapshot->lights[static_cast<std::size_t>(index)], grid, stretch);
        QMetaObject::invokeMethod(
            this,
            [this, picture, index, generation] {
                if (generation != generation_) {
                    return;
                }
                loading_.remove(index);
                if (!picture) {
                    emit failed(message(picture.error()));
                    return;
                }
                if (cache_.size() >= kCachedPictures) {
                    const auto farthest =
                        std::max_element(cache_.keyBegin(), cache_.keyEnd(), [this](int a, int b) {
                            return std::abs(a - frame_) < std::abs(b - frame_);
                        });
                    cache_.remove(*farthest);
                }
                cache_.insert(index, *picture);
                if (index == frame_ && !showsStack_) {
                    emit pictureChanged(*picture);
                }
            },
            Qt::QueuedConnection);
    });
}

void NightSession::loadOwnPixels() {
    loadAside(
        [light = snapshot_->lights[static_cast<std::size_t>(frame_)],
         stretch = stretch_]() mutable {
            light.wcs.reset();
            return loadLight(light, std::nullopt, stretch);
        },
        [this, index = frame_] { return showsOwnPixels_ && index == frame_; });
}

std::filesystem::path NightSession::starStack() const {
    const auto& lights = snapshot_->lights;
    const auto series = lights[static_cast<std::size_t>(frame_)].series;
    for (const auto& [first, path] : snapshot_->starStacks) {
        const auto light = std::find_if(
            lights.begin(), lights.end(), [&](const auto& l) { return l.frame == first; });
        if (light != lights.end() && light->series == series) {
            return path;
        }
    }
    return {};
}

void NightSession::loadBodyStack() {
    const auto measurements = measurementsInHand();
    const auto stack = std::find_if(
        measurements.begin(), measurements.end(), [](const auto& m) { return m.onStack; });
    const auto path = stack != measurements.end() ? stack->picture : starStack();
    const QString title = stack != measurements.end()
                              ? QString("%1, %2 frames on its motion")
                                    .arg(QString::fromStdString(body_.text()))
                                    .arg(stack->frames)
                              : QString("Stack on the stars");
    loadAside([path, title, stretch = stretch_] { return loadStack(path, title, stretch); },
              [this] { return showsStack_; });
}

void NightSession::loadAside(std::function<Result<std::shared_ptr<const Picture>>()> load,
                             std::function<bool()> isWanted) {
    pictures_.start(
        [this, load = std::move(load), isWanted = std::move(isWanted), generation = generation_] {
            auto picture = load();
            QMetaObject::invokeMethod(
                this,
                [this, picture, isWanted, generation] {
                    if (generation != generation_ || !isWanted()) {
                        return;
                    }
                    if (picture) {
                        emit pictureChanged(*picture);
                    } else {
                        emit failed(message(picture.error()));
                    }
                },
                Qt::QueuedConnection);
        });
}

} // namespace pathmark::desk
