#include "desk/curve/light_curve_session.h"

#include "core/night/curve_files.h"
#include "core/night/night_curves.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr std::size_t kMostBodies = 40;
constexpr auto kSetEnding = ".stars.csv";

/// The bodies of a night that were measured on single frames.
std::vector<orbit::BodyId> measuredBodies(const NightSnapshot& night) {
    std::vector<orbit::BodyId> bodies;
    for (const BodyView& body : night.bodies) {
        const auto places = night.measuredOf(body.id);
        const bool isOnFrames = std::any_of(places.begin(), places.end(), [&](std::size_t i) {
            return night.measurements[i].seen && !night.measurements[i].onStack;
        });
        if (isOnFrames && bodies.size() < kMostBodies) {
            bodies.push_back(body.id);
        }
    }
    return bodies;
}

} // namespace

LightCurveSession::LightCurveSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), measuring_(session.jobs(), 1),
      making_(session.jobs(), 1) {
    connect(&session_, &NightSession::nightChanged, this, &LightCurveSession::checkField);
    connect(&session_, &NightSession::frameChanged, this, &LightCurveSession::checkField);
    connect(&session_, &NightSession::bodyChanged, this, [this] {
        if (lights_ != nullptr) {
            make(); // another check star
        } else {
            emit changed();
        }
    });
    connect(&session_, &NightSession::measurementsChanged, this, &LightCurveSession::checkChoice);
    connect(&measuring_,
            &JobLane::progressed,
            this,
            [this](const QString&, int done, int total, double left) {
                showState(left >= 0.0 ? tr("Frame %1 of %2 is measured, %3 s left.")
                                            .arg(done + 1)
                                            .arg(total)
                                            .arg(left, 0, 'f', 0)
                                      : tr("Frame %1 of %2 is measured.").arg(done + 1).arg(total));
            });
}

std::vector<std::filesystem::path> LightCurveSession::files() const {
    const auto night = session_.snapshot();
    const night::LightRecord* light = session_.currentLight();
    if (night == nullptr || light == nullptr || !light->solved() || night->isArchive) {
        return {};
    }
    std::set<night::FrameId> out;
    for (const auto& entry : night->decided->leftOut) {
        out.insert(entry.first);
    }
    return night::filesOfField(*night->lights, *light, out);
}

/// Curves of another field are not those of this one.
void LightCurveSession::checkField() {
    const auto now = files();
    if (!now.empty() && now == files_) {
        return;
    }
    forget();
    if (now.empty()) {
        showState(tr("Frames are measured once they are calibrated and solved: run the night "
                     "(Ctrl+R)."));
        return;
    }
    showState(tr("%n frame(s) show this field. Enter measures every star of it, and the bodies.",
                 nullptr,
                 static_cast<int>(now.size())));
}

/// What was decided about the stars since the curves were made.
void LightCurveSession::checkChoice() {
    const auto night = session_.snapshot();
    if (night == nullptr || lights_ == nullptr) {
        return;
    }
    if (night->decided->starSet != setPath_) {
        const std::size_t targets = set_.targets.size();
        readSet(night->decided->starSet);
        if (set_.targets.size() + targets > 0) {
            measure();
            return;
        }
        make();
    } else if (night->decided->starsOff != off_) {
        make();
    }
}

void LightCurveSession::readSet(const std::string& path) {
    setPath_ = path;
    set_ = {};
    setTrouble_.clear();
    if (path.empty()) {
        return;
    }
    if (auto set = night::readSet(path)) {
        set_ = std::move(*set);
    } else {
        setTrouble_ = message(set.error());
    }
}

void LightCurveSession::useSet(const QString& path) {
    if (!path.isEmpty()) {
        if (const auto set = night::readSet(path.toStdString()); !set) {
            emit session_.notified(message(set.error()));
            return;
        }
    }
    session_.decide({(path.isEmpty() ? tr("comparison stars: the steady ones")
                                     : tr("comparison stars: those of %1").arg(path))
                         .toStdString(),
                     {night::UseStarSet{path.toStdString()}}});
}

void LightCurveSession::write(const QString& path) const {
    const auto night = session_.snapshot();
    if (night == nullptr || curves() == nullptr) {
        return;
    }
    night::LightCurves all;
    all.bands = bands_;
    const std::filesystem::path file = path.toStdString();
    Result<bool> done = true;
    if (path.endsWith(kSetEnding)) {
        done = night::writeSet(file, all, lights_->targets);
    } else {
        const auto recipe = night::readRecipe(night->recipePath);
        done =
            night::writeCurves(file, all, recipe ? night::originOf(*recipe) : night::CurveOrigin{});
    }
    emit session_.notified(done ? tr("Written: %1").arg(path) : message(done.error()));
}

void LightCurveSession::forget() {
    measuring_.drop();
    making_.drop();
    lights_.reset();
    bands_.clear();
    files_.clear();
    band_ = 0;
}

void LightCurveSession::showState(const QString& state) {
    state_ = state;
    emit changed();
}

void LightCurveSession::measure() {
    const auto night = session_.snapshot();
    const auto now = files();
    if (now.empty() || measuring_.isBusy()) {
        return;
    }
    files_ = now;
    readSet(night->decided->starSet);
    showState(tr("Measuring …"));
    measuring_.start(
        [wanted = night::NightCurves{now, measuredBodies(*night), set_.targets},
         sources = session_.sources()](
            const Job& job) -> Result<std::shared_ptr<const night::FieldLights>> {
            const auto all = sources->all(job);
            if (!all) {
                return fail(all.error());
            }
            auto lights = night::fieldLightsOf(wanted, *all, job);
            if (!lights) {
                return fail(lights.error());
            }
            return std::make_shared<const night::FieldLights>(std::move(*lights));
        },
        [this](Result<std::shared_ptr<const night::FieldLights>> lights) {
            if (!lights) {
                files_.clear();
                showState(message(lights.error()));
                return;
            }
            bands_.clear(); // of what was measured before
            lights_ = *lights;
            make();
        });
}

void LightCurveSession::stop() {
    measuring_.stop();
}

void LightCurveSession::make() {
    const auto night = session_.snapshot();
    off_ = night == nullptr ? std::set<std::int64_t>() : night->decided->starsOff;
    night::CurveChoice choice;
    choice.off = off_;
    choice.set = set_.stars;
    choice.subject = static_cast<std::size_t>(std::max(0, target()));
    making_.drop(); // only the latest choice counts
    making_.start(
        [lights = lights_, choice](const Job& job) -> Result<std::vector<night::BandCurves>> {
            std::vector<night::BandCurves> bands;
            for (const auto& [band, frames] : lights->byBand) {
                if (job.stop.stop_requested()) {
                    return fail(ErrorId::BaseCancelled, "Stopped.");
                }
                bands.push_back(night::curvesOf(*lights, band, choice));
            }
            return bands;
        },
        [this](Result<std::vector<night::BandCurves>> bands) {
            if (bands) {
                takeBands(std::move(*bands));
            } else {
                showState(message(bands.error()));
            }
        });
}

void LightCurveSession::takeBands(std::vector<night::BandCurves> bands) {
    bands_ = std::move(bands);
    band_ = std::min(band_, bands_.empty() ? 0 : bands_.size() - 1);
    QString state = setTrouble_;
    if (usesSet() && setTrouble_.isEmpty()) {
        state =
            tr("Magnitudes go by the stars of %1.")
                .arg(QString::fromStdString(std::filesystem::path(setPath_).filename().string()));
    }
    if (bands_.empty()) {
        state = lights_->failures.empty() ? tr("None of these frames could be used.")
                                          : message(lights_->failures.front());
    } else if (!lights_->failures.empty()) {
        state = tr(
            "%n frame(s) could not be used.", nullptr, static_cast<int>(lights_->failures.size()));
    }
    showState(state);
}

void LightCurveSession::nextBand() {
    if (!bands_.empty()) {
        band_ = (band_ + 1) % bands_.size();
        emit changed();
    }
}

int LightCurveSession::target() const {
    if (lights_ == nullptr) {
        return -1;
    }
    const std::string body = session_.currentBody().text();
    for (std::size_t t = 0; t < lights_->targets.size(); ++t) {
        if (lights_->targets[t].name == body) {
            return static_cast<int>(t);
        }
    }
    return -1;
}

void LightCurveSession::toggleStar(int star) {
    if (curves() == nullptr || star < 0) {
        return;
    }
    const std::int64_t id = lights_->stars[static_cast<std::size_t>(star)].sourceId;
    const bool off = !off_.contains(id);
    session_.decide(
        {(off ? tr("star %1 does not serve as comparison") : tr("star %1 may serve as comparison"))
             .arg(id)
             .toStdString(),
         {night::SwitchStar{id, off}}});
}

} // namespace pathmark::desk
