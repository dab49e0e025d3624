#include "core/base/atomic_file.h"
#include "core/night/decisions.h"
#include "desk/session/decision.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <algorithm>

// What the observer decides about frames, their kinds and their masters.
namespace pathmark::desk {

Result<night::NightFile> NightSession::nightFile() {
    if (snapshot_->isArchive) {
        return fail(ErrorId::NightCannotStore,
                    "A list of an archive keeps no decisions; run the frames' own night.");
    }
    if (auto made = makeFolder(snapshot_->out); !made) {
        return fail(made.error());
    }
    return night::NightFile::open(snapshot_->out / "night.pmnight");
}

void NightSession::setExcluded(const std::vector<int>& frames, bool excluded) {
    auto file = nightFile();
    auto copy = std::make_shared<NightSnapshot>(*snapshot_);
    for (const int index : frames) {
        const auto at = static_cast<std::size_t>(index);
        if (!file || !file->setExcluded(snapshot_->lights[at].raw, excluded)) {
            emit failed("The night file cannot be written; the frames stay as they were.");
            return;
        }
        copy->excluded[at] = excluded;
    }
    snapshot_ = copy;
    emit nightChanged();
}

void NightSession::toggleExcluded(int index) {
    if (!snapshot_ || index < 0 || static_cast<std::size_t>(index) >= snapshot_->lights.size()) {
        return;
    }
    const bool next = !snapshot_->excluded[static_cast<std::size_t>(index)];
    undo_.push(new Decision(
        next ? "exclude frame" : "take frame back",
        [this, index, next] { setExcluded({index}, next); },
        [this, index, next] { setExcluded({index}, !next); }));
}

void NightSession::leaveOut(const std::vector<int>& frames, const QString& rule) {
    if (!snapshot_ || frames.empty()) {
        return;
    }
    undo_.push(new Decision(
        "leave out: " + rule,
        [this, frames, rule] {
            setExcluded(frames, true);
            emit said(QString("%1 frames left out: %2. Ctrl+Z takes them back; run again (Ctrl+R) "
                              "without them.")
                          .arg(frames.size())
                          .arg(rule));
        },
        [this, frames] { setExcluded(frames, false); }));
}

void NightSession::decideMatch(std::size_t series,
                               calibrate::Role role,
                               const std::optional<calibrate::Override>& said) {
    if (!snapshot_ || series >= snapshot_->groups.size()) {
        return;
    }
    const std::string id = snapshot_->groups[series].id();
    std::optional<calibrate::Override> before;
    if (auto file = nightFile()) {
        for (const auto& one : night::matchDecisions(*file)[id]) {
            before = one.role == role ? std::optional(one) : before;
        }
    }
    const auto store = [this, id, role](const std::optional<calibrate::Override>& what) {
        auto file = nightFile();
        if (!file || !night::decideMatch(*file, id, role, what)) {
            emit failed("The night file cannot be written; the match stays as it was.");
            return;
        }
        auto copy = std::make_shared<NightSnapshot>(*snapshot_);
        rematch(*copy, night::matchDecisions(*file));
        snapshot_ = copy;
        emit nightChanged();
        emit this->said("The next run (Ctrl+R) calibrates with this match. Ctrl+Z takes it back.");
    };
    undo_.push(new Decision(
        "match", [store, said] { store(said); }, [store, before] { store(before); }));
}

void NightSession::setKind(std::size_t group, frame::FrameKind kind) {
    if (!snapshot_ || group >= snapshot_->groups.size()) {
        return;
    }
    auto file = nightFile();
    if (!file) {
        emit failed(message(file.error()));
        return;
    }
    const night::KindDecisions before = night::kindDecisions(*file);
    night::KindDecisions after = before;
    for (const auto& info : snapshot_->groups[group].frames) {
        after.emplace_back(info.path.string(), kind);
    }
    const auto store = [this](const night::KindDecisions& kinds) {
        auto opened = nightFile();
        if (!opened || !night::decideKinds(*opened, kinds)) {
            emit failed("The night file cannot be written; the frames keep their kind.");
            return;
        }
        refresh();
    };
    undo_.push(new Decision(
        "kind of frames", [store, after] { store(after); }, [store, before] { store(before); }));
}

void NightSession::switchObservation(const std::string& id, bool off) {
    if (!snapshot_) {
        return;
    }
    const auto store = [this, id](bool out) {
        auto file = nightFile();
        if (!file || !night::switchObservation(*file, id, out)) {
            emit failed("The night file cannot be written; the observation stays as it was.");
            return;
        }
        emit observationsSwitched();
    };
    undo_.push(new Decision(
        off ? "take observation out" : "take observation back",
        [store, off] { store(off); },
        [store, off] { store(!off); }));
}

void NightSession::setFrameByPath(const QString& path) {
    if (!snapshot_) {
        return;
    }
    for (std::size_t i = 0; i < snapshot_->lights.size(); ++i) {
        if (snapshot_->lights[i].raw == path.toStdString()) {
            setFrame(static_cast<int>(i));
            return;
        }
    }
    emit said(path);
}

void NightSession::setShowsRaw(bool shows) {
    if (showsRaw_ == shows || !snapshot_ || frame_ < 0) {
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
    if (showsOwnPixels_ == shows || !snapshot_ || frame_ < 0) {
        return;
    }
    showsOwnPixels_ = shows;
    wantPicture();
}

void NightSession::loadRawFrame() {
    loadAside([light = snapshot_->lights[static_cast<std::size_t>(frame_)],
               grid = gridOf(frame_),
               stretch = stretch_] { return loadRaw(light, grid, stretch); },
              [this, index = frame_] { return showsRaw_ && index == frame_; });
}

} // namespace pathmark::desk
