#include "core/base/atomic_file.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <QMetaObject>

#include <algorithm>

// What the observer decides, and how it is taken back. Every decision goes into the history of the night that is open.
namespace pathmark::desk {
namespace {

/// Decisions on frames that are calibrated, matched or solved anew in the next run.
bool changesFrames(const night::Decided& a, const night::Decided& b) {
    const auto handFitsOf = [](const night::Decided& d) {
        std::vector<night::FrameId> frames;
        for (const auto& entry : d.handFits) {
            frames.push_back(entry.first);
        }
        return frames;
    };
    return a.leftOut != b.leftOut || a.masters != b.masters || handFitsOf(a) != handFitsOf(b);
}

} // namespace

Result<night::NightFile> NightSession::nightFile() {
    if (snapshot_->isArchive) {
        return fail(ErrorId::NightCannotStore,
                    "A list of an archive keeps no decisions; run the frames' own night.");
    }
    if (auto made = makeFolder(snapshot_->nightFile.parent_path()); !made) {
        return fail(made.error());
    }
    return night::NightFile::open(snapshot_->nightFile);
}

void NightSession::takeHistory(night::NightFile& file) {
    auto history = file.history();
    if (!history) {
        emit failed(message(history.error()));
        return;
    }
    const std::shared_ptr<const NightSnapshot> before = snapshot_;
    auto copy = std::make_shared<NightSnapshot>(*snapshot_);
    applyHistory(*copy, std::move(*history));
    snapshot_ = copy;
    if (before->decided.kinds != copy->decided.kinds) {
        refresh(); // what a frame is decides where it stands: the night is read again
        return;
    }
    if (changesFrames(before->decided, copy->decided)) {
        emit nightChanged();
    }
    if (before->decided.observationsOff != copy->decided.observationsOff) {
        emit observationsSwitched();
    }
    emit measurementsChanged();
}

void NightSession::decide(const night::Act& act) {
    if (!snapshot_ || act.decisions.empty()) {
        return;
    }
    auto file = nightFile();
    if (!file) {
        emit failed(message(file.error()));
        return;
    }
    if (auto stored = file->decide(act); !stored) {
        emit failed(message(stored.error()));
        return;
    }
    takeHistory(*file);
}

void NightSession::undo() {
    if (!snapshot_ || nextUndo().isEmpty()) {
        emit said("There is nothing to undo in this night.");
        return;
    }
    auto file = nightFile();
    const auto undone = file ? file->undo() : fail(file.error());
    if (!undone) {
        emit failed(message(undone.error()));
        return;
    }
    takeHistory(*file);
    emit said("Undone: " + QString::fromStdString(undone->front().words));
}

void NightSession::redo() {
    if (!snapshot_ || nextRedo().isEmpty()) {
        emit said("There is nothing to redo in this night.");
        return;
    }
    auto file = nightFile();
    const auto redone = file ? file->redo() : fail(file.error());
    if (!redone) {
        emit failed(message(redone.error()));
        return;
    }
    takeHistory(*file);
    emit said("Done again: " + QString::fromStdString(redone->front().words));
}

QString NightSession::nextUndo() const {
    if (snapshot_) {
        for (auto past = snapshot_->history.rbegin(); past != snapshot_->history.rend(); ++past) {
            if (past->inForce) {
                return QString::fromStdString(past->act.words);
            }
        }
    }
    return {};
}

QString NightSession::nextRedo() const {
    if (snapshot_) {
        for (const night::PastAct& past : snapshot_->history) {
            if (!past.inForce) {
                return QString::fromStdString(past.act.words);
            }
        }
    }
    return {};
}

void NightSession::decideAboutFiles(
    std::vector<std::filesystem::path> files,
    std::function<night::Act(const std::vector<night::FrameId>&)> act) {
    auto file = nightFile();
    if (!file) {
        emit failed(message(file.error()));
        return;
    }
    auto shared = std::make_shared<night::NightFile>(std::move(*file));
    work_.start([this, shared, files = std::move(files), act = std::move(act)] {
        auto ids = shared->frameIds(files);
        std::vector<night::FrameId> known;
        std::optional<Error> error = ids ? std::nullopt : std::optional(ids.error());
        for (std::size_t i = 0; ids && i < ids->size(); ++i) {
            if ((*ids)[i]) {
                known.push_back(*(*ids)[i]);
            } else {
                error = (*ids)[i].error();
            }
        }
        if (!error) {
            if (auto stored = shared->decide(act(known)); !stored) {
                error = stored.error();
            }
        }
        QMetaObject::invokeMethod(
            this,
            [this, shared, error] {
                if (snapshot_ == nullptr || shared->path() != snapshot_->nightFile) {
                    return;
                }
                if (error) {
                    emit failed(message(*error));
                }
                refresh();
            },
            Qt::QueuedConnection);
    });
}

void NightSession::leaveOut(const std::vector<int>& frames,
                            bool out,
                            const QString& rule,
                            const QString& words) {
    std::vector<std::filesystem::path> files;
    std::vector<night::FrameId> ids;
    for (const int index : frames) {
        const auto& light = snapshot_->lights[static_cast<std::size_t>(index)];
        files.push_back(light.raw);
        if (light.frame.isKnown()) {
            ids.push_back(light.frame);
        }
    }
    const auto actOf = [out, rule, words](const std::vector<night::FrameId>& about) {
        night::Act act{words.toStdString(), {}};
        for (const night::FrameId& frame : about) {
            act.decisions.emplace_back(night::LeaveOut{frame, out, rule.toStdString()});
        }
        return act;
    };
    if (ids.size() == files.size()) {
        decide(actOf(ids));
    } else {
        decideAboutFiles(std::move(files), actOf);
    }
}

void NightSession::toggleExcluded(int index) {
    if (!snapshot_ || index < 0 || static_cast<std::size_t>(index) >= snapshot_->lights.size()) {
        return;
    }
    const auto at = static_cast<std::size_t>(index);
    const QString name = QString::fromStdString(snapshot_->lights[at].raw.filename().string());
    const bool out = !snapshot_->excluded[at];
    leaveOut({index}, out, {}, (out ? "leave out " : "take back ") + name);
}

void NightSession::leaveOut(const std::vector<int>& frames, const QString& rule) {
    if (!snapshot_ || frames.empty()) {
        return;
    }
    leaveOut(frames, true, rule, "leave out: " + rule);
    emit said(QString("%1 frames left out: %2. Ctrl+Z takes them back; run again (Ctrl+R) "
                      "without them.")
                  .arg(frames.size())
                  .arg(rule));
}

void NightSession::judge(const std::string& id, night::MeasurementState state) {
    const auto& all = snapshot_->measurements;
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const auto& m) { return m.id == id; });
    if (found == all.end() || !found->seen) {
        return;
    }
    decide({std::string(night::name(state)) + " " + found->body.text(),
            {night::JudgeMeasurement{
                id, state, std::string("decided by the observer: ") + night::name(state)}}});
}

void NightSession::decideMatch(std::size_t series,
                               calibrate::Role role,
                               const std::optional<calibrate::Override>& chosen) {
    if (!snapshot_ || series >= snapshot_->groups.size()) {
        return;
    }
    const auto id = snapshot_->groups[series].id;
    decide({std::string(calibrate::name(role)) + " of " + snapshot_->groups[series].title(),
            {night::ChooseMaster{
                id, role, chosen.has_value(), chosen ? chosen->group : night::SeriesId()}}});
    emit said("The next run (Ctrl+R) calibrates with this match. Ctrl+Z takes it back.");
}

void NightSession::setKind(std::size_t group, frame::FrameKind kind) {
    if (!snapshot_ || group >= snapshot_->groups.size()) {
        return;
    }
    std::vector<std::filesystem::path> files;
    for (const auto& info : snapshot_->groups[group].frames) {
        files.push_back(info.path);
    }
    const std::string words =
        std::string("taken for ") + frame::name(kind) + ": " + snapshot_->groups[group].title();
    decideAboutFiles(std::move(files), [kind, words](const std::vector<night::FrameId>& about) {
        night::Act act{words, {}};
        for (const night::FrameId& frame : about) {
            act.decisions.emplace_back(night::SetKind{frame, kind});
        }
        return act;
    });
}

void NightSession::switchObservation(const std::string& id, bool off) {
    decide({std::string(off ? "observation off: " : "observation on: ") + id,
            {night::SwitchObservation{id, off}}});
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

void NightSession::setFrameOf(const night::FrameId& frame) {
    if (!snapshot_) {
        return;
    }
    for (std::size_t i = 0; i < snapshot_->lights.size(); ++i) {
        if (snapshot_->lights[i].frame == frame) {
            setFrame(static_cast<int>(i));
        }
    }
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
