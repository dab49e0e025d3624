#include "desk/session/night_session.h"

#include "core/night/frame_picture.h"
#include "core/night/run_night.h"
#include "desk/session/in_window.h"
#include "desk/session/message.h"

#include <algorithm>
#include <map>
#include <utility>

namespace pathmark::desk {

NightSession::NightSession(QObject* parent)
    : QObject(parent), known_(jobs_), reading_(jobs_, 1), run_(jobs_, 1), storing_(jobs_, 1),
      ahead_(jobs_, 2), aside_(jobs_, 1), looks_(jobs_) {
    qRegisterMetaType<std::shared_ptr<const Picture>>();
    connect(&run_, &JobLane::progressed, this, &NightSession::progressed);
    connect(&run_, &JobLane::messageSent, this, &NightSession::notified);
    connect(&known_, &KnownFacts::progressed, this, &NightSession::progressed);
    connect(&known_, &KnownFacts::notified, this, &NightSession::notified);
    connect(&known_, &KnownFacts::failed, this, &NightSession::failed);
    connect(&looks_, &FirstLooks::looked, this, &NightSession::showLooks);
}

NightSession::~NightSession() {
    storing_.finish();
}

void NightSession::open(const QString& folderOrNight) {
    if (isRunning()) {
        run_.drop();
        emit runningChanged(false);
    }
    looks_.forget();
    opened_ = folderOrNight;
    hasAsked_ = false;
    frame_ = -1;
    emit notified(tr("Reading %1").arg(folderOrNight));
    refresh();
}

void NightSession::refresh() {
    reading_.drop();
    reading_.start(
        [path = opened_.toStdString(), stored = storing_.waiter()] {
            stored();
            return readSnapshot(path);
        },
        [this, decisions = decisions_](Result<std::shared_ptr<const NightSnapshot>> read) {
            if (!read) {
                emit failed(message(read.error()));
            } else if (decisions != decisions_) {
                refresh(); // what was decided meanwhile is not in it
            } else {
                takeSnapshot(std::move(*read));
            }
        });
}

void NightSession::takeSnapshot(std::shared_ptr<const NightSnapshot> snapshot) {
    const night::LightRecord* before = currentLight();
    const auto inHand = before != nullptr ? before->frame : night::FrameId();
    const std::shared_ptr<const NightSnapshot> old = snapshot_; // of `before`
    snapshot_ = std::move(snapshot);
    sources_ = std::make_shared<night::KeptSources>(snapshot_->recipePath);
    forgetPictures();
    const int count = static_cast<int>(snapshot_->lights.size());
    const bool fresh = frame_ < 0;
    // Who looks at the newest frame of a watch goes on doing so.
    const bool follows =
        isWatching_ && (!old || frame_ + 1 >= static_cast<int>(old->lights.size()));
    frame_ = count == 0 ? -1 : std::clamp(frame_, 0, count - 1);
    if (const int place = snapshot_->placeOf(inHand); !fresh && place >= 0) {
        frame_ = place;
    }
    frame_ = follows ? count - 1 : frame_;
    const bool known = std::any_of(snapshot_->bodies.begin(),
                                   snapshot_->bodies.end(),
                                   [&](const auto& b) { return b.id == body_; });
    if (!known) {
        body_ = snapshot_->bodies.empty() ? orbit::BodyId() : snapshot_->bodies.front().id;
    }
    known_.setNight(snapshot_);
    emit nightChanged();
    emit bodyChanged();
    emit frameChanged(frame_);
    wantPicture();
    // The same night again, after a run: the observer stays at the frame in hand.
    if (fresh) {
        goToBody();
    }
    if (!snapshot_->isArchive && !isRunning()) {
        looks_.start(*snapshot_);
    }
}

void NightSession::showLooks(const std::vector<LookedAt>& looked) {
    std::map<std::filesystem::path, std::size_t> places;
    for (std::size_t i = 0; i < snapshot_->lights.size(); ++i) {
        places.emplace(snapshot_->lights[i].raw, i);
    }
    auto copy = std::make_shared<NightSnapshot>(*snapshot_);
    auto& lights = copy->lights.edit();
    for (const LookedAt& one : looked) {
        if (const auto place = places.find(one.raw); place != places.end()) {
            static_cast<night::SourcesPart&>(lights[place->second]) = one.seen;
        }
    }
    const auto before =
        std::exchange(snapshot_, std::move(copy)); // until all views have the new one
    emit lightsLookedAt();
}

void NightSession::setRecipe(const QString& path) {
    if (!snapshot_) {
        return;
    }
    auto copy = std::make_shared<NightSnapshot>(*snapshot_);
    copy->recipePath = path.toStdString();
    const auto before =
        std::exchange(snapshot_, std::move(copy)); // until all views have the new one
    sources_ = std::make_shared<night::KeptSources>(snapshot_->recipePath);
    emit nightChanged();
}

std::optional<night::PrepareRequest> NightSession::preparation() const {
    const std::filesystem::path& recipe = snapshot_->recipePath;
    const bool isOpen = KnownFacts::countFor(*snapshot_) &&
                        (recipe.empty() || known_.isChanged() || night::isUnfinishedRecipe(recipe));
    return isOpen ? std::optional(known_.request()) : std::nullopt;
}

night::RunOptions NightSession::runOptions() {
    night::RunOptions options;
    options.folder = snapshot_->folder;
    options.only = snapshot_->only;
    options.recipe = snapshot_->recipePath;
    options.out = snapshot_->out;
    options.nightFile = snapshot_->nightFile;
    options.onSwept = [session = QPointer(this)](const night::SweptBody& body) {
        inWindow(session, [body](NightSession& s) { emit s.sweptFound(body); });
    };
    return options;
}

void NightSession::run() {
    if (!snapshot_ || isRunning()) {
        return;
    }
    if (snapshot_->isArchive) {
        emit failed(
            tr("This is a list of an archive. Open the folder of one of its nights to run it."));
        return;
    }
    const auto preparing = preparation();
    const night::NightFacts* facts = known_.facts();
    if (preparing && facts == nullptr) {
        emit failed(tr("What the observer's profiles say cannot be read."));
        return;
    }
    if (preparing && facts->isAsking() && !std::exchange(hasAsked_, true)) {
        emit factsAsked();
        return;
    }
    known_.stopFetching(); // the run goes on with it
    known_.setTaken();
    looks_.stop(); // the run sees it all, and better
    const night::RunOptions options = runOptions();
    run_.start(
        [options,
         preparing,
         known = preparing ? std::optional(*facts) : std::nullopt,
         stored = storing_.waiter()](const Job& job) -> Result<night::RunSummary> {
            stored(); // the run reads what was decided
            night::RunOptions running = options;
            std::vector<Error> problems;
            if (preparing) {
                auto prepared = night::prepareNight(*known, *preparing, job);
                if (!prepared) {
                    return fail(prepared.error());
                }
                running.recipe = prepared->recipe;
                problems = std::move(prepared->problems);
            }
            auto summary = night::runNight(running, job);
            if (summary) {
                summary->failures.insert(
                    summary->failures.begin(), problems.begin(), problems.end());
            }
            return summary;
        },
        [this](const auto& summary) {
            emit runningChanged(false);
            if (!summary) {
                emit failed(message(summary.error()));
            } else if (!summary->failures.empty()) {
                emit failed(message(summary->failures.front()) + " " +
                            tr("(%n problem(s) in summary.json)",
                               nullptr,
                               static_cast<int>(summary->failures.size())));
            } else {
                emit notified(tr("%1 of %2 lights solved, %3 measurements kept.")
                                  .arg(summary->solved)
                                  .arg(summary->lights)
                                  .arg(summary->kept));
            }
            refresh();
        });
    emit runningChanged(true);
}

void NightSession::stop() {
    run_.stop();
}

const night::LightRecord* NightSession::currentLight() const {
    return snapshot_ && frame_ >= 0 && static_cast<std::size_t>(frame_) < snapshot_->lights.size()
               ? &snapshot_->lights[static_cast<std::size_t>(frame_)]
               : nullptr;
}

std::optional<stack::PixelGrid> NightSession::gridOf(int index) const {
    if (!snapshot_ || index < 0) {
        return std::nullopt;
    }
    const auto& lights = snapshot_->lights;
    for (const auto& light : lights) {
        if (light.series == lights[static_cast<std::size_t>(index)].series && light.solved()) {
            return night::viewGrid(light);
        }
    }
    return std::nullopt;
}

void NightSession::setFrame(int index) {
    if (!snapshot_ || snapshot_->lights.empty()) {
        return;
    }
    const int bounded = std::clamp(index, 0, static_cast<int>(snapshot_->lights.size()) - 1);
    if (bounded == frame_ && !showsStack_) {
        return;
    }
    direction_ = bounded < frame_ ? -1 : 1;
    frame_ = bounded;
    showsStack_ = false;
    stackMap_ = StackMap::Light;
    emit frameChanged(frame_);
    wantPicture();
}

void NightSession::step(int by) {
    if (!snapshot_ || snapshot_->lights.empty()) {
        return;
    }
    const int count = static_cast<int>(snapshot_->lights.size());
    // Playing goes round, and passes over what is left out.
    for (int tries = 1; tries <= count; ++tries) {
        const int next = ((frame_ + by * tries) % count + count) % count;
        if (!snapshot_->excluded[static_cast<std::size_t>(next)]) {
            setFrame(next);
            return;
        }
    }
}

void NightSession::setBody(const orbit::BodyId& body) {
    if (body == body_) {
        return;
    }
    body_ = body;
    emit bodyChanged();
    if (showsStack_) {
        wantPicture();
    } else {
        goToBody();
    }
}

void NightSession::goToBody() {
    const night::LightRecord* here = currentLight();
    int first = -1;
    for (const auto& [series, paths] : *snapshot_->paths) {
        const auto path = std::find_if(
            paths.begin(), paths.end(), [&](const BodyPath& p) { return p.body == body_; });
        if (path == paths.end()) {
            continue;
        }
        for (const std::size_t p : path->predictions) {
            const int place = snapshot_->placeOf(snapshot_->predictions[p].frame);
            if (here != nullptr && place == frame_) {
                return;
            }
            first = first < 0 ? place : std::min(first, place);
        }
    }
    if (first >= 0) {
        setFrame(first);
    }
}

void NightSession::setShowsStack(bool shows) {
    showsStack_ = shows;
    stackMap_ = StackMap::Light;
    wantPicture();
}

void NightSession::nextStackMap() {
    showsStack_ = true;
    stackMap_ = static_cast<StackMap>((static_cast<int>(stackMap_) + 1) % kStackMaps);
    wantPicture();
}

Measurements NightSession::currentMeasurements() const {
    Measurements own;
    if (snapshot_) {
        for (const std::size_t i : snapshot_->measuredOf(body_)) {
            own.share(snapshot_->measurements, i);
        }
    }
    return own;
}

} // namespace pathmark::desk
