#pragma once

#include "core/night/sweep_field.h"
#include "core/night/sweep_motions.h"
#include "desk/session/night_session.h"

#include <QObject>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// The sweep of the series in hand: what would be searched, what that costs and shows, and what was found; the search itself is the run's.
class SweepSession : public QObject {
    Q_OBJECT

  public:
    explicit SweepSession(NightSession& session, QObject* parent = nullptr);

    /// Whether somebody looks.
    void setWanted(bool wanted);

    [[nodiscard]] const night::SweepWish& wish() const { return wish_; }

    void setWish(const night::SweepWish& wish);
    void setSector(const identify::RateSector& sector);

    [[nodiscard]] identify::RateSector sector() const;

    /// That of the orbit that was taken last, if one was.
    [[nodiscard]] const std::optional<identify::RateSector>& orbitSector() const {
        return orbitSector_;
    }

    /// Takes the bounds of a population, or of the orbit of the body in hand.
    void takePopulation(identify::Population population);
    void takeOrbit();

    [[nodiscard]] const std::vector<identify::PopulationMotion>& populations() const {
        return populations_;
    }

    /// What the wish costs and shows; null: not known yet.
    [[nodiscard]] const std::optional<night::SweepOutlook>& outlook() const { return outlook_; }

    /// What is in the way; empty: nothing.
    [[nodiscard]] const QString& state() const { return state_; }

    /// The lights that are searched.
    [[nodiscard]] std::vector<const night::LightRecord*> lights() const;

    /// Asks for the sweep and runs the night, which does it.
    void start();

    /// Takes the latest sweep of the series back; the next run forgets what it found.
    void forget();

    /// What the last run's sweeps of the series found, and what the one that is going on has so far.
    [[nodiscard]] std::vector<const night::SweepRecord*> swept() const;

    [[nodiscard]] const std::vector<night::SweptBody>& turningUp() const { return turningUp_; }

    /// Sweeps that are asked for and that no run has done.
    [[nodiscard]] int waiting() const;

    /// Keeps or drops all measurements of a body.
    void judge(const orbit::BodyId& body, night::MeasurementState state);

  signals:
    void changed();
    void foundChanged();

  private:
    void showSeries();
    void plan();
    void findPopulations();

    NightSession& session_;
    JobLane planning_;
    JobLane populating_;
    night::SweepWish wish_;
    night::SeriesId series_;
    std::optional<night::SweepOutlook> outlook_;
    std::vector<identify::PopulationMotion> populations_;
    std::vector<night::SweptBody> turningUp_;
    std::optional<identify::RateSector> orbitSector_;
    QString state_;
    bool isWanted_ = false;
    bool hasWish_ = false; ///< somebody, or the series, has said what to search
};

} // namespace pathmark::desk
