#include "core/night/watch/night_watch.h"
#include "desk/session/in_window.h"
#include "desk/session/message.h"
#include "desk/shell/notice.h"

#include <algorithm>

// A folder that fills, watched from the window.
namespace pathmark::desk {
namespace {

bool isNews(night::WatchEvent::Kind kind) {
    using Kind = night::WatchEvent::Kind;
    return kind == Kind::Seen || kind == Kind::Missing || kind == Kind::Mover;
}

} // namespace

void NightSession::takeNews(const night::WatchEvent& event) {
    const QString words = QString::fromStdString(event.words);
    if (event.kind == night::WatchEvent::Kind::Problem ||
        (event.kind == night::WatchEvent::Kind::Folder && !event.isGood)) {
        emit failed(words);
        return;
    }
    if (isNews(event.kind)) {
        notifyDesktop(tr("Path Mark: %1").arg(QString::fromStdString(event.name)), words);
        news_.append(words);
        constexpr qsizetype kept = 3;
        news_ = news_.mid(std::max<qsizetype>(0, news_.size() - kept));
    }
    emit newsTold(words);
}

void NightSession::sayWatching() {
    const auto lights = snapshot_ ? static_cast<int>(snapshot_->lights.size()) : 0;
    emit progressed(
        (QStringList(tr("Watching: %n light(s)", nullptr, lights)) + news_).join(" · "), 0, 0, -1);
}

void NightSession::watch() {
    if (isWatching_) {
        stop();
        return;
    }
    if (!snapshot_ || snapshot_->isArchive || isRunning()) {
        emit failed(isRunning() ? tr("A run is going on; a watch can begin when it has ended.")
                                : tr("Open the folder that fills first."));
        return;
    }
    looks_.stop();
    night::WatchOptions options;
    options.run = runOptions();
    options.run.only.clear();
    options.places = {snapshot_->folder};
    const auto preparing = preparation();
    if (preparing) {
        options.run.recipe.clear();
        options.preparing = *preparing;
        if (const night::NightFacts* facts = known_.facts()) {
            options.preparing.told = facts->choices();
            options.preparing.told.store.clear(); // what is fetched is found anew
            options.preparing.told.catalog.clear();
            options.preparing.told.orbits.clear();
        }
    }
    const QPointer session(this);
    options.onEvent = [session](const night::WatchEvent& event) {
        inWindow(session, [event](NightSession& s) { s.takeNews(event); });
    };
    options.onMarked = [session] { inWindow(session, [](NightSession& s) { s.refresh(); }); };
    options.onDeepened = [session] {
        inWindow(session, [](NightSession& s) {
            s.refresh();
            s.sayWatching();
        });
    };
    isWatching_ = true;
    news_.clear();
    run_.start(
        [options, stored = storing_.waiter()](const Job& job) {
            stored();
            return night::watchNight(options, job);
        },
        [this](const Result<night::WatchSummary>& summary) {
            isWatching_ = false;
            emit runningChanged(false);
            if (!summary) {
                emit failed(message(summary.error()));
            } else {
                emit notified(tr("The watch has ended; what it made is kept."));
            }
            refresh();
        });
    emit runningChanged(true);
    sayWatching();
}

} // namespace pathmark::desk
