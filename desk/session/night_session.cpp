#include "desk/session/night_session.h"

#include "core/base/atomic_file.h"
#include "core/night/frame_picture.h"
#include "core/night/steps/report_step.h"
#include "desk/session/message.h"

#include <QMetaObject>

#include <algorithm>

namespace pathmark::desk {
NightSession::NightSession(QObject* parent) : QObject(parent) {
    qRegisterMetaType<std::shared_ptr<const Picture>>();
    pictures_.setMaxThreadCount(2);
    work_.setMaxThreadCount(1);
}

NightSession::~NightSession() {
    stop_.request_stop();
    pictures_.clear();
    pictures_.waitForDone();
    work_.waitForDone();
}

void NightSession::open(const QString& folderOrNight) {
    opened_ = folderOrNight;
    frame_ = -1;
    emit said("Reading " + folderOrNight);
    refresh();
}

void NightSession::refresh() {
    const QString path = opened_;
    work_.start([this, path] {
        auto snapshot = readSnapshot(path.toStdString());
        QMetaObject::invokeMethod(
            this,
            [this, path, snapshot] {
                if (path != opened_) {
                    return;
                }
                if (snapshot) {
                    takeSnapshot(*snapshot);
                } else {
                    emit failed(message(snapshot.error()));
                }
            },
            Qt::QueuedConnection);
    });
}

void NightSession::takeSnapshot(std::shared_ptr<const NightSnapshot> snapshot) {
    const auto before = frame_ >= 0 && snapshot_
                            ? snapshot_->lights[static_cast<std::size_t>(frame_)].frame
                            : night::FrameId();
    snapshot_ = std::move(snapshot);
    ++generation_;
    cache_.clear();
    loading_.clear();
    const int count = static_cast<int>(snapshot_->lights.size());
    const bool fresh = frame_ < 0;
    frame_ = count == 0 ? -1 : std::clamp(frame_, 0, count - 1);
    for (int i = 0; before.isKnown() && i < count; ++i) {
        if (snapshot_->lights[static_cast<std::size_t>(i)].frame == before) {
            frame_ = i;
        }
    }
    const bool known = std::any_of(snapshot_->bodies.begin(),
                                   snapshot_->bodies.end(),
                                   [&](const auto& b) { return b.id == body_; });
    if (!known) {
        body_ = snapshot_->bodies.empty() ? orbit::BodyId() : snapshot_->bodies.front().id;
    }
    emit nightChanged();
    emit bodyChanged();
    emit frameChanged(frame_);
    wantPicture();
    // The same night again, after a run: the observer stays at the frame in hand.
    if (fresh && body_.isKnown()) {
        goToBody();
    }
}

void NightSession::setRecipe(const QString& path) {
    if (!snapshot_) {
        return;
    }
    auto copy = std::make_shared<NightSnapshot>(*snapshot_);
    copy->recipePath = path.toStdString();
    snapshot_ = copy;
    emit nightChanged();
}

void NightSession::run() {
    if (!snapshot_ || running_) {
        return;
    }
    if (snapshot_->isArchive) {
        emit failed(
            "This is a list of an archive. Open the folder of one of its nights to run it.");
        return;
    }
    if (snapshot_->recipePath.empty()) {
        emit failed("This folder has no recipe.toml, which says where the site, the star catalogue "
                    "and the orbits "
                    "are. Put one there, or choose one with Ctrl+Shift+O.");
        return;
    }
    running_ = true;
    stop_ = std::stop_source();
    emit runningChanged(true);
    night::RunOptions options;
    options.folder = snapshot_->folder;
    options.recipe = snapshot_->recipePath;
    options.out = snapshot_->out;
    options.nightFile = snapshot_->nightFile;
    Job job;
    job.stop = stop_.get_token();
    job.onProgress = [this](const Progress& p) {
        QMetaObject::invokeMethod(
            this,
            [this, p] {
                const QString stage = QString::fromStdString(p.stage);
                if (stage != stage_) {
                    stage_ = stage;
                    stageClock_.start();
                }
                const double spent = static_cast<double>(stageClock_.elapsed()) / 1000.0;
                const double left =
                    p.done > 0 && p.total > 0 ? spent / p.done * (p.total - p.done) : -1.0;
                emit progressed(stage, p.done, p.total, left);
            },
            Qt::QueuedConnection);
    };
    job.onMessage = [this](const std::string& text) {
        QMetaObject::invokeMethod(
            this, [this, text] { emit said(QString::fromStdString(text)); }, Qt::QueuedConnection);
    };
    work_.start([this, options, job] {
        auto summary = night::runNight(options, job);
        QMetaObject::invokeMethod(
            this,
            [this, summary, options] {
                running_ = false;
                emit runningChanged(false);
                if (!summary) {
                    emit failed(message(summary.error()));
                } else if (!summary->failures.empty()) {
                    emit failed(QString("%1 (%2 such messages in summary.json)")
                                    .arg(message(summary->failures.front()))
                                    .arg(summary->failures.size()));
                } else {
                    emit said(QString("%1 of %2 lights solved, %3 measurements kept")
                                  .arg(summary->solved)
                                  .arg(summary->lights)
                                  .arg(summary->kept));
                }
                refresh();
            },
            Qt::QueuedConnection);
    });
}

void NightSession::stop() {
    stop_.request_stop();
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
    frame_ = bounded;
    showsStack_ = false;
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
    const auto& lights = snapshot_->lights;
    const auto isIn = [&](const night::LightRecord& light) {
        return std::any_of(
            snapshot_->predictions.begin(), snapshot_->predictions.end(), [&](const auto& p) {
                return p.body == body_ && p.frame == light.frame;
            });
    };
    if (frame_ >= 0 && isIn(lights[static_cast<std::size_t>(frame_)])) {
        return;
    }
    const auto there = std::find_if(lights.begin(), lights.end(), isIn);
    if (there != lights.end()) {
        setFrame(static_cast<int>(there - lights.begin()));
    }
}

void NightSession::setShowsStack(bool shows) {
    showsStack_ = shows;
    wantPicture();
}

void NightSession::setBrightness(int brightness) {
    if (stretch_.brightness == brightness) {
        return;
    }
    stretch_.brightness = brightness;
    ++generation_;
    cache_.clear();
    loading_.clear();
    wantPicture();
}

std::vector<night::MeasurementRecord> NightSession::measurementsInHand() const {
    std::vector<night::MeasurementRecord> own;
    if (snapshot_) {
        for (const auto& m : snapshot_->measurements) {
            if (m.body == body_) {
                own.push_back(m);
            }
        }
    }
    return own;
}

QString NightSession::reportText(const std::string& format) const {
    if (!snapshot_ || snapshot_->measurements.empty()) {
        return "Nothing is measured yet. Run the night (Ctrl+R).";
    }
    auto recipe = night::readRecipe(snapshot_->recipePath);
    if (!recipe) {
        return message(recipe.error());
    }
    auto file = night::NightFile::open(snapshot_->nightFile);
    if (!file) {
        return message(file.error());
    }
    auto text = night::reportText(*file, *recipe, format);
    return text ? QString::fromStdString(*text) : message(text.error());
}

bool NightSession::saveReport(const QString& path, const std::string& format) {
    const QString text = reportText(format);
    if (auto written = writeWholeText(path.toStdString(), text.toStdString()); !written) {
        emit failed(message(written.error()));
        return false;
    }
    emit said("Saved " + path);
    return true;
}

} // namespace pathmark::desk
