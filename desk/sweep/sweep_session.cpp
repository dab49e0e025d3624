#include "desk/sweep/sweep_session.h"

#include "desk/session/message.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr std::size_t kLeastFrames = 4;
constexpr double kUsualMostRate = 1.5; ///< arcsec per minute, where no population says more

} // namespace

SweepSession::SweepSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), planning_(session.jobs(), 1),
      populating_(session.jobs(), 1) {
    connect(&session_, &NightSession::nightChanged, this, [this] {
        turningUp_.clear();
        series_ = {};
        showSeries();
        emit foundChanged();
    });
    connect(&session_, &NightSession::frameChanged, this, &SweepSession::showSeries);
    connect(&session_, &NightSession::measurementsChanged, this, [this] {
        plan(); // a frame may be left out now
        emit foundChanged();
    });
    connect(&session_, &NightSession::bodyChanged, this, &SweepSession::foundChanged);
    connect(&session_, &NightSession::runningChanged, this, [this](bool isRunning) {
        if (isRunning) {
            turningUp_.clear();
        }
        emit foundChanged();
        emit changed();
    });
    connect(&session_, &NightSession::sweptFound, this, [this](const night::SweptBody& body) {
        turningUp_.push_back(body);
        emit foundChanged();
    });
}

void SweepSession::setWanted(bool wanted) {
    isWanted_ = wanted;
    showSeries();
}

/// Another series moves elsewhere on the sky, and is swept for itself.
void SweepSession::showSeries() {
    const night::LightRecord* light = session_.currentLight();
    if (!isWanted_ || light == nullptr) {
        return;
    }
    if (std::exchange(series_, light->series) == light->series) {
        return;
    }
    hasWish_ = false;
    populations_.clear();
    orbitSector_.reset();
    const auto& sweeps = session_.night()->decided->sweeps;
    if (const auto known = sweeps.find(series_); known != sweeps.end()) {
        wish_ = known->second.back();
        hasWish_ = true;
    } else {
        wish_ = {0.0, kUsualMostRate, {}, {}, 0.1, 3};
    }
    findPopulations();
    plan();
    emit foundChanged();
}

std::vector<const night::LightRecord*> SweepSession::lights() const {
    std::vector<const night::LightRecord*> lights;
    const NightSnapshot* night = session_.night();
    for (std::size_t k = 0; night != nullptr && k < night->lights.size(); ++k) {
        const night::LightRecord& light = night->lights[k];
        if (light.series == series_ && night->isUsed(k)) {
            lights.push_back(&light);
        }
    }
    return lights;
}

identify::RateSector SweepSession::sector() const {
    return {wish_.leastRate,
            wish_.mostRate,
            wish_.fromDegrees.value_or(0.0),
            wish_.toDegrees.value_or(0.0)};
}

void SweepSession::setSector(const identify::RateSector& sector) {
    night::SweepWish wish = wish_;
    wish.leastRate = sector.least;
    wish.mostRate = sector.most;
    const bool isWhole = sector.fromDegrees == sector.toDegrees;
    wish.fromDegrees = isWhole ? std::nullopt : std::optional(sector.fromDegrees);
    wish.toDegrees = isWhole ? std::nullopt : std::optional(sector.toDegrees);
    setWish(wish);
}

void SweepSession::setWish(const night::SweepWish& wish) {
    hasWish_ = true;
    if (wish != wish_) {
        wish_ = wish;
        plan();
    }
}

void SweepSession::takePopulation(identify::Population population) {
    for (const auto& one : populations_) {
        if (one.population == population && !one.outline.empty()) {
            setSector(identify::sectorAbout(one.outline));
        }
    }
}

void SweepSession::takeOrbit() {
    const auto searched = lights();
    const orbit::BodyId body = session_.currentBody();
    if (searched.empty() || body.text().empty() || session_.sources() == nullptr) {
        return;
    }
    const Utc middle = searched[searched.size() / 2]->middle;
    planning_.start(
        [sources = session_.sources(), snapshot = session_.snapshot(), body, middle](
            const Job& job) -> Result<identify::RateSector> {
            const auto orbits = sources->orbits(job);
            if (!orbits) {
                return fail(orbits.error());
            }
            std::vector<night::MeasurementRecord> measured;
            for (const std::size_t i : snapshot->measuredOf(body)) {
                measured.push_back(snapshot->measurements[i]);
            }
            auto observed =
                night::orbitCaseOf(**orbits, measured, snapshot->decided->observationsOff, body);
            return night::sectorOfBody(**orbits, std::move(observed), middle);
        },
        [this](const Result<identify::RateSector>& sector) {
            if (sector) {
                orbitSector_ = *sector;
                setSector(*sector);
            } else {
                emit session_.notified(message(sector.error()));
            }
        });
}

void SweepSession::findPopulations() {
    populating_.drop();
    const auto searched = lights();
    if (searched.empty() || session_.night()->recipePath.empty()) {
        return;
    }
    const night::LightRecord light = *searched[searched.size() / 2];
    populating_.start([recipe = session_.night()->recipePath,
                       light] { return night::populationsIn(recipe, light); },
                      [this](Result<std::vector<identify::PopulationMotion>> found) {
                          if (found) {
                              populations_ = *std::move(found);
                          }
                          // What most bodies do here is what is searched first.
                          if (!hasWish_) {
                              takePopulation(identify::Population::MainBelt);
                          }
                          emit changed();
                      });
}

void SweepSession::plan() {
    planning_.drop();
    outlook_.reset();
    if (!isWanted_ || session_.night() == nullptr) {
        return;
    }
    const auto searched = lights();
    if (searched.size() < kLeastFrames) {
        state_ = tr("A sweep needs four solved frames of a series or more. Run the night "
                    "(Ctrl+R), or take a frame of another series in hand.");
        emit changed();
        return;
    }
    state_.clear();
    std::vector<night::LightRecord> copies;
    copies.reserve(searched.size());
    for (const night::LightRecord* light : searched) {
        copies.push_back(*light);
    }
    planning_.start(
        [lights = std::move(copies), wish = wish_] {
            std::vector<const night::LightRecord*> pointers;
            pointers.reserve(lights.size());
            for (const night::LightRecord& light : lights) {
                pointers.push_back(&light);
            }
            return night::outlookOf(pointers, wish);
        },
        [this](const Result<night::SweepOutlook>& outlook) {
            if (outlook) {
                outlook_ = *outlook;
            } else {
                state_ = message(outlook.error());
            }
            emit changed();
        });
    emit changed();
}

void SweepSession::start() {
    if (session_.night() == nullptr || !outlook_ || session_.isRunning()) {
        return;
    }
    session_.decide({tr("sweep %1 to %2 \"/min")
                         .arg(wish_.leastRate, 0, 'f', 2)
                         .arg(wish_.mostRate, 0, 'f', 2)
                         .toStdString(),
                     {night::SweepSeries{series_, wish_, true}}});
    session_.run();
}

void SweepSession::forget() {
    if (session_.night() == nullptr) {
        return;
    }
    const auto& sweeps = session_.night()->decided->sweeps;
    if (const auto known = sweeps.find(series_); known != sweeps.end()) {
        session_.decide({tr("forget a sweep").toStdString(),
                         {night::SweepSeries{series_, known->second.back(), false}}});
        emit changed();
    }
}

std::vector<const night::SweepRecord*> SweepSession::swept() const {
    std::vector<const night::SweepRecord*> found;
    if (session_.night() != nullptr) {
        for (const night::SweepRecord& sweep : session_.night()->sweeps) {
            if (sweep.series == series_) {
                found.push_back(&sweep);
            }
        }
    }
    return found;
}

int SweepSession::waiting() const {
    if (session_.night() == nullptr) {
        return 0;
    }
    const auto& sweeps = session_.night()->decided->sweeps;
    const auto known = sweeps.find(series_);
    if (known == sweeps.end()) {
        return 0;
    }
    const auto done = swept();
    return static_cast<int>(
        std::count_if(known->second.begin(), known->second.end(), [&](const auto& wish) {
            return std::none_of(done.begin(), done.end(), [&](const night::SweepRecord* sweep) {
                return sweep->wish == wish;
            });
        }));
}

void SweepSession::judge(const orbit::BodyId& body, night::MeasurementState state) {
    if (session_.night() == nullptr) {
        return;
    }
    night::Act act;
    for (const std::size_t i : session_.night()->measuredOf(body)) {
        const night::MeasurementRecord& m = session_.night()->measurements[i];
        if (m.seen) {
            act.decisions.emplace_back(night::JudgeMeasurement{m.id, state, {}});
        }
    }
    if (!act.decisions.empty()) {
        act.words = (state == night::MeasurementState::Kept ? tr("keep %1") : tr("drop %1"))
                        .arg(QString::fromStdString(body.text()))
                        .toStdString();
        session_.decide(act);
    }
}

} // namespace pathmark::desk
