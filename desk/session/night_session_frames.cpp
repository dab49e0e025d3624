#include "core/base/atomic_file.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/session/snapshot_decisions.h"

#include <QDateTime>

#include <algorithm>
#include <utility>

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

/// Whether two histories hold the same acts.
bool isSame(const std::vector<night::PastAct>& a, const SharedRecords<night::PastAct>& b) {
    return std::equal(
        a.begin(), a.end(), b.begin(), b.end(), [](const auto& one, const auto& other) {
            return one.inForce == other.inForce && one.act.words == other.act.words;
        });
}

} // namespace

bool NightSession::keepsDecisions() {
    if (snapshot_ && snapshot_->isArchive) {
        emit failed(tr("A list of an archive keeps no decisions. Open the frames' own night."));
        return false;
    }
    return snapshot_ != nullptr;
}

void NightSession::store(std::function<Result<bool>(night::NightFile&)> change) {
    ++decisions_;
    storing_.start(
        [path = snapshot_->nightFile,
         change = std::move(change),
         expected = snapshot_->history]() -> Result<bool> {
            if (auto made = makeFolder(path.parent_path()); !made) {
                return made;
            }
            auto file = night::NightFile::open(path);
            auto stored = file ? change(*file) : fail(file.error());
            if (!stored) {
                return stored;
            }
            // Another window, or the command line, may have decided meanwhile: true where the file is as it is shown.
            const auto history = file->history();
            return history ? Result<bool>(isSame(*history, expected)) : fail(history.error());
        },
        [this, path = snapshot_->nightFile](const Result<bool>& asShown) {
            if (!asShown) {
                emit failed(message(asShown.error()));
            }
            if (snapshot_ && path == snapshot_->nightFile && !asShown.value_or(false)) {
                refresh();
            }
        });
}

void NightSession::finishStoring() {
    storing_.finish();
}

void NightSession::takeDecided(std::shared_ptr<const NightSnapshot> after) {
    const std::shared_ptr<const NightSnapshot> before = std::exchange(snapshot_, std::move(after));
    const night::Decided& was = before->decided;
    const night::Decided& is = snapshot_->decided;
    if (changesFrames(was, is)) {
        emit nightChanged();
    }
    if (was.observationsOff != is.observationsOff) {
        emit observationsSwitched();
    }
    emit measurementsChanged();
    if (was.kinds != is.kinds) {
        refresh(); // what a frame is decides where it stands: the night is read again
    }
}

void NightSession::decide(const night::Act& act) {
    if (act.decisions.empty() || !keepsDecisions()) {
        return;
    }
    auto after = std::make_shared<NightSnapshot>(*snapshot_);
    desk::decide(*after, act, QDateTime::currentDateTimeUtc().toString(Qt::ISODate).toStdString());
    takeDecided(std::move(after));
    store([act](night::NightFile& file) { return file.decide(act); });
}

void NightSession::turn(std::optional<night::Act> (*inSnapshot)(NightSnapshot&),
                        Result<std::vector<night::Act>> (night::NightFile::*inFile)(int),
                        const QString& nothing,
                        const QString& words) {
    auto after = snapshot_ ? std::make_shared<NightSnapshot>(*snapshot_) : nullptr;
    const auto turned = after ? inSnapshot(*after) : std::nullopt;
    if (!turned) {
        emit notified(nothing);
        return;
    }
    takeDecided(std::move(after));
    store([inFile](night::NightFile& file) -> Result<bool> {
        const auto done = (file.*inFile)(1);
        return done ? Result<bool>(true) : fail(done.error());
    });
    emit notified(words.arg(QString::fromStdString(turned->words)));
}

void NightSession::undo() {
    turn(desk::undo,
         &night::NightFile::undo,
         tr("There is nothing to undo in this night."),
         tr("Undone: %1"));
}

void NightSession::redo() {
    turn(desk::redo,
         &night::NightFile::redo,
         tr("There is nothing to redo in this night."),
         tr("Done again: %1"));
}

QString NightSession::nextUndo() const {
    const night::Act* act = snapshot_ ? latestInForce(*snapshot_) : nullptr;
    return act != nullptr ? QString::fromStdString(act->words) : QString();
}

QString NightSession::nextRedo() const {
    const night::Act* act = snapshot_ ? earliestUndone(*snapshot_) : nullptr;
    return act != nullptr ? QString::fromStdString(act->words) : QString();
}

void NightSession::decideAboutFiles(
    std::vector<std::filesystem::path> files,
    std::function<night::Act(const std::vector<night::FrameId>&)> act) {
    if (!keepsDecisions()) {
        return;
    }
    // The snapshot does not know these frames yet: what is stored is never as it is shown, and the night is read again.
    store([files = std::move(files), act = std::move(act)](night::NightFile& file) -> Result<bool> {
        const auto ids = file.frameIds(files);
        if (!ids) {
            return fail(ids.error());
        }
        std::vector<night::FrameId> known;
        for (const auto& id : *ids) {
            if (!id) {
                return fail(id.error());
            }
            known.push_back(*id);
        }
        return file.decide(act(known));
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
    emit notified(tr("%n frame(s) left out: %1. Ctrl+Z undoes it; run again (Ctrl+R) without them.",
                     nullptr,
                     static_cast<int>(frames.size()))
                      .arg(rule));
}

void NightSession::judge(const std::string& id,
                         night::MeasurementState state,
                         const QString& reason) {
    const auto& all = snapshot_->measurements;
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const auto& m) { return m.id == id; });
    if (found == all.end() || !found->seen) {
        return;
    }
    decide({std::string(night::name(state)) + " " + found->body.text(),
            {night::JudgeMeasurement{id,
                                     state,
                                     reason.isEmpty() ? std::string("decided by the observer: ") +
                                                            night::name(state)
                                                      : reason.toStdString()}}});
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
    emit notified(tr("The next run (Ctrl+R) calibrates with this match. Ctrl+Z undoes it."));
}

void NightSession::decideBackground(const night::BackgroundChoice& choice) {
    if (snapshot_) {
        decide({"the background of the lights", {night::SetBackground{choice}}});
        emit notified(tr("The next run (Ctrl+R) treats the background so. Ctrl+Z undoes it."));
    }
}

void NightSession::protectDisc(int index, const std::optional<calibrate::ProtectedDisc>& disc) {
    if (!snapshot_ || index < 0 || static_cast<std::size_t>(index) >= snapshot_->lights.size()) {
        return;
    }
    const auto& light = snapshot_->lights[static_cast<std::size_t>(index)];
    const std::string words =
        (disc ? "a coma marked in " : "no coma marked in ") + light.raw.filename().string();
    const auto actOf = [disc, words](const std::vector<night::FrameId>& about) {
        night::Act act{words, {}};
        for (const night::FrameId& frame : about) {
            act.decisions.emplace_back(night::ProtectDisc{frame, disc});
        }
        return act;
    };
    if (light.frame.isKnown()) {
        decide(actOf({light.frame}));
    } else {
        decideAboutFiles({light.raw}, actOf);
    }
    if (disc) {
        emit notified(tr("Mark it in one more frame where it moves. The next run (Ctrl+R) takes no "
                         "sky from it."));
    }
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
    emit notified(path);
}

void NightSession::setFrameOf(const night::FrameId& frame) {
    if (const int place = snapshot_ ? snapshot_->placeOf(frame) : -1; place >= 0) {
        setFrame(place);
    }
}

} // namespace pathmark::desk
