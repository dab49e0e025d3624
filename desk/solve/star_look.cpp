#include "desk/solve/star_look.h"

#include "core/night/recipe.h"
#include "desk/session/message.h"

#include <QMetaObject>

namespace pathmark::desk {
namespace {

constexpr int kKnownFrames = 16;

} // namespace

StarLook::StarLook(NightSession& session, QObject* parent) : QObject(parent), session_(session) {
    worker_.setMaxThreadCount(1);
    connect(&session_, &NightSession::nightChanged, this, [this] {
        forget();
        look();
    });
    connect(&session_, &NightSession::frameChanged, this, [this] { look(); });
}

StarLook::~StarLook() {
    worker_.clear();
    worker_.waitForDone();
}

void StarLook::setWanted(bool wanted) {
    if (wanted_ != wanted) {
        wanted_ = wanted;
        look();
    }
}

std::shared_ptr<const night::FrameStars> StarLook::stars() const {
    return known_.value(session_.frameInHand());
}

Result<std::shared_ptr<const catalog::StarStore>> StarLook::store() {
    const auto& path = session_.night()->recipePath;
    if (store_ && storeOf_ == path.string()) {
        return store_;
    }
    const auto recipe = night::readRecipe(path);
    if (!recipe) {
        return fail(recipe.error());
    }
    auto opened = catalog::StarStore::open(recipe->catalogStore, recipe->catalogName);
    if (!opened) {
        return fail(opened.error());
    }
    store_ = std::make_shared<const catalog::StarStore>(std::move(*opened));
    storeOf_ = path.string();
    return store_;
}

void StarLook::forget() {
    ++generation_;
    known_.clear();
    store_.reset();
    working_ = -1;
}

void StarLook::look() {
    state_.clear();
    const int index = session_.frameInHand();
    if (!wanted_ || session_.night() == nullptr || index < 0 || known_.contains(index)) {
        emit changed();
        return;
    }
    const auto& light = session_.night()->lights[static_cast<std::size_t>(index)];
    if (light.calibrated == light.raw) {
        state_ = "This frame has not been run yet. Run (Ctrl+R) calibrates and solves it.";
        emit changed();
        return;
    }
    state_ = "Searching the frame for its stars …";
    emit changed();
    // One at a time: while frames are stepped through, those in between are passed over.
    if (working_ >= 0) {
        return;
    }
    auto opened = store();
    if (!opened) {
        state_ = message(opened.error());
        emit changed();
        return;
    }
    working_ = index;
    worker_.start([this, light, store = *opened, index, generation = generation_] {
        auto found = night::starsOf(light, *store);
        QMetaObject::invokeMethod(
            this,
            [this, found = std::move(found), index, generation]() mutable {
                if (generation != generation_) {
                    return;
                }
                working_ = -1;
                if (found) {
                    if (known_.size() >= kKnownFrames) {
                        known_.clear();
                    }
                    known_.insert(index,
                                  std::make_shared<const night::FrameStars>(std::move(*found)));
                } else if (index == session_.frameInHand()) {
                    state_ = message(found.error()) +
                             "\n\nRun again (Ctrl+R): what is missing is made anew.";
                    emit changed();
                    return;
                }
                look();
            },
            Qt::QueuedConnection);
    });
}

} // namespace pathmark::desk
